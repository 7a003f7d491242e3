"""Conversions of many texts of one shape: the first is converted in full, the next ones fill their values into it.

A text has a shape when its user, hosts, ports, database and names are tame (letters first, nothing that any notation
escapes); everything else, TLS words and durations included, is part of the shape. What is not tame is converted in
full, so that the answer is always the one that `convert` gives; a property test holds the two against each other.
"""

from __future__ import annotations

import json
import re
import string
from functools import cache

from ..errors import CordTallyError
from ..model import MASK
from ..notation import GrammarError
from .conversion import convert
from .detection import claim_of, find_claim
from .targets import Target, load_target

_TAME = re.compile(r"[A-Za-z][A-Za-z0-9_-]*(?:\.[A-Za-z0-9_-]+)*")
_PORT = re.compile(r"[1-9][0-9]{3,4}")
_FREE_ROLES = frozenset({"user", "host", "database"})
_FREE_OPTIONS = _FREE_ROLES | {"application_name"}
_SECRET = "Zq0secretq"
_MOST_PLANS = 1024
_LONGEST = 4096

Key = tuple[object, ...]
Plan = list[str | int]


class Planner:
    """Answers conversions as JSON texts, and remembers the shapes that it has seen; its memory is bounded."""

    def __init__(self, *, pin: bool = False) -> None:
        self.pin = pin
        self._plans: dict[Key, Plan | None] = {}

    def answer(self, text: str, to: str, driver: str | None) -> str:
        """Convert a text and give ``cordtally/writing/1`` as JSON, its secrets masked.

        Raises
        ------
        TextError, UnknownName, FieldError
            As `convert`.
        """
        shaped = self._shape(text, to, driver) if len(text) <= _LONGEST else None
        if shaped is not None:
            key, values, spans = shaped
            if key not in self._plans:
                if len(self._plans) >= _MOST_PLANS:
                    self._plans.clear()
                self._plans[key] = self._make_plan(text, to, driver, spans)
            plan = self._plans[key]
            if plan is not None:
                return "".join([values[piece] if type(piece) is int else piece for piece in plan])  # type: ignore[misc]
        return self._in_full(text, to, driver)

    def _in_full(self, text: str, to: str, driver: str | None) -> str:
        return json.dumps(convert(text, to=to, driver=driver, pin=self.pin).to_dict(), ensure_ascii=False)

    def _shape(
        self, text: str, to: str, driver: str | None
    ) -> tuple[Key, list[str], list[tuple[int, int, str]]] | None:
        """Give what the answer depends on, the values that it does not depend on, and where those stand."""
        try:
            found = find_claim(text) if driver is None else claim_of(text, driver)
            target = load_target(found.target)
            fields = target.grammar.parse(text, target.dialect, found.prefix).fields
        except (CordTallyError, GrammarError):
            return None
        key: list[object] = [found.target, to]
        values: list[str] = []
        spans: list[tuple[int, int, str]] = []
        for role, name, given, start, end, _ in fields:
            value = given if isinstance(given, str) else repr(given)
            kind = role if role != "option" else _kind(target, name)
            if kind in _FREE_OPTIONS:
                if _TAME.fullmatch(value) is None or text[start:end] != value:
                    return None
                spans.append((start, end, _sentinel(len(values))))
                values.append(value)
            elif kind == "port":
                if _PORT.fullmatch(value) is None or int(value) > 65535 or text[start:end] != value:
                    return None
                spans.append((start, end, str(60001 + len(values))))
                values.append(value)
            elif kind == "password":
                if not (given == value and value and value.isascii() and value.isprintable()):
                    return None
                spans.append((start, end, _SECRET))
            elif kind == "secret":
                return None
            else:
                key += (name, value)
            key += (role, name)
        hidden = any(mark is _SECRET for _, _, mark in spans)
        if hidden and not _takes_any_password(to, found.engine or target.driver.engines[0]):
            return None
        return tuple(key), values, spans

    def _make_plan(self, text: str, to: str, driver: str | None, spans: list[tuple[int, int, str]]) -> Plan | None:
        """Convert the text with marks in place of its values, and cut the answer at the marks."""
        probe = text
        for start, end, mark in sorted(spans, reverse=True):
            probe = probe[:start] + mark + probe[end:]
        if any(text.find(mark) >= 0 for _, _, mark in spans):
            return None
        try:
            answer = self._in_full(probe, to, driver)
        except CordTallyError:
            return None
        marks = {mark: index for index, mark in enumerate(m for _, _, m in spans if m != _SECRET)}
        if _SECRET in answer:
            return None
        if not marks:
            return [answer]
        pieces = re.split("(" + "|".join(map(re.escape, marks)) + ")", answer)
        return [marks.get(piece, piece) for piece in pieces]


def _sentinel(index: int) -> str:
    return f"zQ{index}markq"


@cache
def _kinds(target_name: str) -> dict[str, str]:
    kinds = {}
    target = load_target(target_name)
    for spelling, option in target.by_spelling.items():
        if option.canonical in _FREE_OPTIONS | {"port", "password"} and not target.facts.addresses:
            kinds[spelling] = str(option.canonical)
        elif option.secret or (target.facts.carries or target.driver.nested or ("",))[0] == option.name:
            kinds[spelling] = "secret"
    return kinds


def _kind(target: Target, name: str | None) -> str:
    spelling = (name or "") if target.driver.case_sensitive or target.facts.names else (name or "").casefold()
    return _kinds(target.name).get(spelling, "option")


@cache
def _takes_any_password(to: str, engine: str) -> bool:
    """Whether the target holds every password of printable ASCII characters: tried with each of them."""
    from ..model import Cord, Host, Secret
    from .writing import write

    characters = string.printable[:95]
    for password in [characters, *(f"{c}x{c}" for c in characters)]:
        cord = Cord(engine, (Host("gauge.greywick.example"),), "tides", "keeper", Secret(password))
        try:
            line = write(cord, to).ledger.line("password")
        except CordTallyError:
            return False
        if line is None or line.target is None or line.outcome.is_loss or MASK not in line.target:
            return False
    return True
