"""Writes the block that a framework wants for a cord, with its secret by that platform's own reference."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from typing import Any, NamedTuple

from ..catalog import load_driver
from ..errors import FieldError, UnknownName
from ..exchange import Ledger, LedgerLine, Outcome, write
from ..lines import DIALECTS, encode_value
from ..model import Cord, Locator, clear
from ..syntax.scalars import encode
from .baring import bared
from .filling import Raw, argument_lines, fill_template, leaves, template_roles
from .layouts import CordPlaces, Layout, load_layouts, refuse_filling

Keys = tuple[str, ...]


class Emission(NamedTuple):
    """A block, the file that it goes into, what has to be installed, where the secret is put, and what is lost.

    ``beside`` are other files with their texts: the variables that the block names, for each to fill in.
    """

    id: str
    title: str
    text: str
    file: str
    packages: tuple[str, ...]
    secret: str | None
    ledger: Ledger
    beside: Mapping[str, str] = {}
    remark: str | None = None

    def to_dict(self) -> dict[str, Any]:
        """Give ``cordtally/emission/1``."""
        return {
            "schema": "cordtally/emission/1",
            "layout": self.id,
            "file": self.file,
            "text": self.text,
            "packages": list(self.packages),
            "secret": self.secret,
            "beside": dict(self.beside),
            "remark": self.remark,
            "ledger": [line.to_dict() for line in self.ledger],
        }


def emitted_layouts() -> tuple[str, ...]:
    """List the layouts for which a block can be written."""
    return tuple(name for name, layout in load_layouts().items() if layout.emit)


def emit(
    cord: Cord, layout_id: str, *, called: str = "tides", name: str | None = None, environment: str | None = None
) -> Emission:
    """Write the block of a framework for a cord.

    Parameters
    ----------
    cord : Cord
        What is to be described; a secret in it is never written, but named.
    layout_id : str
        A layout of `emitted_layouts`.
    called : str
        What the cord is called: its secret's variable is named after it.
    name : str, optional
        What the connection is called there, where the layout names it; what is usual there, or the cord's name.
    environment : str, optional
        The environment, where the layout has a place for it.

    Raises
    ------
    UnknownName
        When there is no such layout.
    FieldError
        When the layout has no way for the engine, or its format cannot hold a part.
    """
    layout = load_layouts().get(layout_id)
    if layout is None or not layout.emit:
        from ..catalog import find_nearest

        known = emitted_layouts()
        raise UnknownName(
            "layout", layout_id, nearest=find_nearest(layout_id, known), hint=f"one of {', '.join(known)}"
        )
    places = layout.cords[int(layout.emit.get("cord", 0))] if layout.cords else CordPlaces(places={})
    template = str(layout.emit.get("template", ""))
    roles = template_roles(template) | _in_variable(layout) if template else frozenset(places.places)
    drivers: Mapping[str, str] = layout.emit.get("drivers", {})
    if cord.engine not in drivers:
        raise FieldError(f"{layout.title} is written for {', '.join(drivers)}, and not for {cord.engine}")
    driver = drivers[cord.engine].partition("/")[0]
    open_cord, hidden = bared(cord)
    values, lines = _values(open_cord, layout, places, roles)
    lines += hidden
    named = {"name": name or str(layout.emit.get("name") or called), "environment": environment or "production"}
    for value in values.values():
        refuse_filling(layout, value)
    secret, beside = None, dict[str, str]()
    variable = variable_of(cord, called)
    if cord.password is not None:
        secret = str(layout.emit.get("beside", f"the variable {variable}")).format(
            **named, NAME=_capital(named["name"])
        )
        if "NAME" in (reference := str(layout.emit.get("secret", ""))):
            beside[".env.example"] = f"{variable}=\n"
        if "secret" in roles or "password" in roles:
            values["password"] = Raw(reference.replace("NAME", variable))
    if "in_variable" in layout.emit:
        variable = str(layout.emit["in_variable"])
        text = encode_value(values.pop("text", ""), "plain", DIALECTS["variables"])
        beside[".env.example"] = f"{variable}={text}\n"
        secret = None if secret is None else f"the variable {variable}, percent-encoded"
    if template:
        text = fill_template(layout.emit, values, {**named, "NAME": _capital(named["name"]), "variable": variable})
    else:
        text, more = _block(open_cord, layout, places, values, named)
        lines += more
    packages = tuple(f"{manager}: {one}" for manager, one in load_driver(driver).packages.items())
    file = str(layout.emit["file"]).format(**named)
    remark = str(layout.emit.get("remark", "")) or None
    return Emission(layout.id, layout.title, text, file, packages, secret, Ledger(tuple(lines)), beside, remark)


def _in_variable(layout: Layout) -> frozenset[str]:
    """The text, where a variable holds all of it."""
    return frozenset(["text"] if "in_variable" in layout.emit else [])


def _capital(name: str) -> str:
    return "".join(c if c.isalnum() else "_" for c in name).upper()


def _block(
    cord: Cord, layout: Layout, places: CordPlaces, values: Mapping[str, str], named: Mapping[str, str]
) -> tuple[str, list[LedgerLine]]:
    """The block of a layout that is written key by key, with further options of the driver where it has a place."""
    lines = list[LedgerLine]()
    chosen = {role: paths[0] for role, paths in places.places.items()} | dict(layout.emit.get("places", {}))
    entries = {_keys(chosen[role], named): value for role, value in values.items() if role in chosen}
    if places.options:
        driver = layout.emit["drivers"][cord.engine]
        bare = cord.copy_with(hosts=(), database=None, user=None, password=None)
        writing = write(bare, f"{driver}/arguments")
        lines += writing.ledger.losses
        below = _keys(places.options, named)
        found = leaves(writing.arguments or {})
        entries |= {(*below, *keys): one if isinstance(one, str) else Raw(repr(one)) for keys, one in found}
    return _FORMATS[layout.emit["format"]](entries), lines


def variable_of(cord: Cord, name: str) -> str:
    """The variable that a cord's secret comes from: its own, or one that is named after the cord."""
    if isinstance(cord.password, Locator) and cord.password.scheme == "env":
        return cord.password.rest
    return f"{_capital(name)}_PASSWORD"


def _values(
    cord: Cord, layout: Layout, places: CordPlaces, roles: frozenset[str]
) -> tuple[dict[str, str], list[LedgerLine]]:
    """The values by role, and what there is no place for."""
    if "text" in roles and "host" not in roles:
        return _with_text(cord, roles, layout.emit["drivers"][cord.engine], _engine_word(cord, layout, roles))
    lines, more = list[LedgerLine](), dict[str, Any]()
    if len(cord.hosts) > 1:
        others = ", ".join(map(str, cord.hosts[1:]))
        lines.append(LedgerLine("host", others, None, Outcome.DROPPED, f"{layout.title} takes one host here"))
    host = cord.hosts[0] if cord.hosts else None
    port = None if host is None or host.port is None else str(host.port)
    address = None if host is None else clear(host.address)
    if places.carries_port and address and port:
        address, port = f"{address}:{port}", None
    found: dict[str, str | None] = {
        "host": address,
        "port": port,
        "database": None if cord.database is None else clear(cord.database),
        "user": cord.user_name,
    }
    for role, value in found.items():
        if value and role not in roles:
            lines.append(LedgerLine(role, value, None, Outcome.DROPPED, f"{layout.title} has no place for it"))
    if "arguments" in roles:
        more, lost = _arguments(cord, layout)
        lines += lost
    elif not places.options:
        said = [] if cord.tls.level is None else [("tls.level", cord.tls.level.value)]
        said += [(f"options.{option}", str(given)) for option, given in cord.options]
        reason = "its place differs with the driver: add it"
        lines += [LedgerLine(part, source, None, Outcome.DROPPED, reason) for part, source in said]
    values = _engine_word(cord, layout, roles)
    if "arguments" in roles and more:
        values["arguments"] = Raw("\n".join(argument_lines(more, layout.emit["style"])))
    values |= {role: value for role, value in found.items() if value and role in roles}
    return values | {role: Raw(values[role]) for role in ("port",) if role in values}, lines


def _arguments(cord: Cord, layout: Layout) -> tuple[dict[str, Any], tuple[LedgerLine, ...]]:
    """The driver's arguments that have no place of their own: TLS, timeouts, names."""
    target = f"{layout.emit['drivers'][cord.engine]}/arguments"
    bare = cord.copy_with(hosts=(), database=None, user=None)
    writing = write(bare, target)
    # an argument that is there without any option holds the place (a connect string), which stands elsewhere
    place = write(Cord(cord.engine), target).arguments or {}
    given = {name: value for name, value in (writing.arguments or {}).items() if name not in place}
    hidden = [name for name, value in place.items() if (writing.arguments or {}).get(name) != value]
    reason = f"it would stand in {', '.join(hidden)}, which holds the place, too"
    lost = tuple(
        LedgerLine("tls.level", cord.tls.level.value, None, Outcome.DROPPED, reason)
        for _ in hidden[:1]
        if cord.tls.level
    )
    return given, (*writing.ledger.losses, *lost)


def _engine_word(cord: Cord, layout: Layout, roles: frozenset[str]) -> dict[str, str]:
    """What the layout calls the engine, where it wants to be told."""
    if "engine_in" not in roles:
        return {}
    words = {engine: word for word, engine in reversed([*layout.engines.items()])} | dict(layout.emit.get("words", {}))
    return {"engine_in": words.get(cord.engine, cord.engine)}


def _with_text(
    cord: Cord, roles: frozenset[str], driver: str, engine: dict[str, str]
) -> tuple[dict[str, str], list[LedgerLine]]:
    """The text for a driver, without what stands beside it; a secret never stands in it."""
    beside = {role: getattr(cord, role) for role in ("user",) if role in roles and getattr(cord, role) is not None}
    bare = cord.copy_with(**dict.fromkeys(beside))
    writing = write(bare, driver)
    lines = [line for line in writing.ledger if line.outcome.is_loss]
    values = {"text": writing.text.unmask()}
    return values | {role: clear(value) for role, value in beside.items()} | engine, lines


def _keys(path: str, named: Mapping[str, str]) -> Keys:
    """A path's keys; what a name holds is no separator."""
    return tuple(piece.format(**named) for piece in path.split("."))


def _flat(dialect: str) -> Callable[[Mapping[Keys, str]], str]:
    def written(entries: Mapping[Keys, str]) -> str:
        lines = []
        for keys, value in entries.items():
            shown = value if isinstance(value, Raw) else encode_value(value, "plain", DIALECTS[dialect])
            lines.append(f"{'.'.join(keys)}={shown}\n")
        return "".join(lines)

    return written


def _nested(entries: Mapping[Keys, str]) -> dict[str, Any]:
    root: dict[str, Any] = {}
    for keys, value in entries.items():
        into = root
        for key in keys[:-1]:
            into = into.setdefault(key, {})
        into[keys[-1]] = value
    return root


def _as_yaml(entries: Mapping[Keys, str]) -> str:
    def lines(value: dict[str, Any], depth: int) -> str:
        made = ""
        for key, inner in value.items():
            indent = "  " * depth + encode(key, "yaml-plain") + ":"
            if isinstance(inner, dict):
                made += f"{indent}\n{lines(inner, depth + 1)}"
            else:
                made += f"{indent} {inner if isinstance(inner, Raw) else encode(inner, 'yaml-plain')}\n"
        return made

    return lines(_nested(entries), 0)


def _as_json(entries: Mapping[Keys, str]) -> str:
    return json.dumps(_nested(entries), indent=2, ensure_ascii=False) + "\n"


def _as_python(entries: Mapping[Keys, str]) -> str:
    def shown(value: Any, depth: int) -> str:  # noqa: ANN401 -- a nest of dictionaries
        if not isinstance(value, dict):
            return str(value) if isinstance(value, Raw) else encode(value, "python")
        pad = "    " * (depth + 1)
        inner = "".join(f"{pad}{encode(key, 'python')}: {shown(one, depth + 1)},\n" for key, one in value.items())
        return "{\n" + inner + "    " * depth + "}"

    nested = _nested(entries)
    imports = "import os\n\n" if any("os.environ" in value for value in entries.values()) else ""
    return imports + "".join(f"{name} = {shown(value, 0)}\n" for name, value in nested.items())


def _as_defines(entries: Mapping[Keys, str]) -> str:
    lines = ["<?php\n"]
    for keys, value in entries.items():
        shown = value if isinstance(value, Raw) else encode(value, "php")
        lines.append(f"define( {encode(keys[0], 'php')}, {shown} );\n")
    return "".join(lines)


_FORMATS: Mapping[str, Callable[[Mapping[Keys, str]], str]] = {
    "properties": _flat("properties"),
    "variables": _flat("variables"),
    "yaml": _as_yaml,
    "json": _as_json,
    "python": _as_python,
    "defines": _as_defines,
}
