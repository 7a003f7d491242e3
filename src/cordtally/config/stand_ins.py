"""Texts of which a part is filled in when the program runs: read and edited with a stand-in for each such part."""

from __future__ import annotations

import re
from collections.abc import Mapping

from ..errors import CordTallyError
from ..exchange import read
from ..model import MASK, Cord, Host, Secret, clear
from ..model.placeholders import variable_in
from .layouts import Layout
from .variables import patterns_of

# what looks like a part that is filled in, where the file is nobody's
_ANY = re.compile(
    r"\$\{(?P<name>\w[\w.]*)(?P<behind>[^{}]*)\}|<%=\s*(?P<ruby>.*?)\s*%>|\{\{\s*(?P<mustache>.*?)\s*\}\}"
)
_PARTS = ("database", "user", "password")


def with_stand_ins(text: str, layout: Layout) -> tuple[str, dict[str, str]]:
    """Give a text with a word for each part that is filled in, a number for a port; and what each stands for."""
    made: dict[str, str] = {}

    def told(match: re.Match[str]) -> str:
        before, after = text[match.start() - 1 : match.start()], text[match.end() :]
        is_port = before == ":" and after[:1] in {"/", "", ";", ","} and "@" not in after
        token = f"{61000 + len(made)}" if is_port else f"standin{len(made)}x"
        made[token] = match[0]
        return token

    for pattern in (*patterns_of(layout), *([] if layout.cords else [_ANY])):
        text = pattern.sub(told, text)
    return text, made


def restored(text: str, stand_ins: Mapping[str, str]) -> str:
    """Give a text with what its stand-ins stand for."""
    for token, raw in stand_ins.items():
        text = text.replace(token, raw)
    return text


def filled_parts(cord: Cord, stand_ins: Mapping[str, str]) -> dict[str, str]:
    """Give the parts of a cord that are stand-ins, and what is filled in there."""
    found = {role: _raw(getattr(cord, role)) for role in _PARTS}
    if cord.hosts:
        found["host"] = clear(cord.hosts[0].address)
        found["port"] = str(cord.hosts[0].port)
    return {role: restored(value, stand_ins) for role, value in found.items() if any(one in value for one in stand_ins)}


def _raw(value: object) -> str:
    return value.unmask() if isinstance(value, Secret) else str(value or "")


def without_stand_ins(cord: Cord, stand_ins: Mapping[str, str]) -> Cord:
    """Give a cord that shows what is filled in as it is written, without a port or a password that is."""
    filled = filled_parts(cord, stand_ins)
    hosts = tuple(
        Host(
            restored(clear(host.address), stand_ins), None if str(host.port) in stand_ins else host.port, host.instance
        )
        for host in cord.hosts
    )
    made = cord.copy_with(hosts=hosts, **{role: raw for role, raw in filled.items() if role in {"database", "user"}})
    return made.copy_with(password=None) if "password" in filled else made


def masked_text(text: str, layout: Layout, target: str | None) -> str:
    """Give a text with its secrets masked; what is filled in is none, and shown as it is written."""
    bare, stand_ins = with_stand_ins(text, layout)
    try:
        reading = read(bare, driver=target)
    except CordTallyError:
        return MASK
    secret = [bare[start:end] for start, end in reading.secret_spans]
    # a reference that has a default holds the secret, too
    open_ones = all(one in stand_ins and _has_no_default(stand_ins[one], layout) for one in secret)
    return restored(bare if open_ones else str(reading.text), stand_ins)


def name_in(raw: str, layout: Layout) -> str | None:
    """The variable that a reference names."""
    match = _match(raw, layout)
    return variable_in(raw) if match is None else match["name"]


def _has_no_default(raw: str, layout: Layout) -> bool:
    match = _match(raw, layout)
    return match is not None and match.groupdict().get("default") is None and match.groupdict().get("behind", "") == ""


def _match(raw: str, layout: Layout) -> re.Match[str] | None:
    return next((match for one in (*patterns_of(layout), _ANY) if (match := one.fullmatch(raw)) is not None), None)
