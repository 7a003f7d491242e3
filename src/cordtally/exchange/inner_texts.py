"""Reads texts that stand inside a value: options of a driver behind the driver, whole texts, objects, file URIs."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING

from ..catalog import Driver, Option
from ..catalog.facts import ROLES
from ..errors import TextError
from ..model import Secret
from ..model.suspicion import guard, safe_name
from ..notation import Case, Field, GrammarError, Remark
from ..text import as_text
from .detection import claim_of
from .gathering import Part
from .tables import match_state
from .targets import load_target

if TYPE_CHECKING:
    from .interpreting import Interpreter

FILES = frozenset({"tls.ca", "tls.certificate", "tls.key", "tls.key_password"})
_PLACED = frozenset(ROLES)
"""Parts of an inner text that have no place beside those of the outer one."""


def take_boxed(reader: Interpreter, text: str, field: Field, option: Option) -> bool:
    """Read an option whose value is a text of its own; where it cannot be read, the option stays one."""
    nested, carries = reader.driver.nested, reader.target.facts.carries
    if nested is not None and option.name == nested[0]:
        return _take_nested(reader, text, field, nested[1])
    return carries is not None and _take_carried(reader, text, field, carries[1])


def take_members(reader: Interpreter, value: object, field: Field, option: Option) -> bool:
    """Take an object, or the JSON text of one, member by member; False where it is none, or has no members."""
    if isinstance(value, str) and value.lstrip().startswith("{"):
        try:
            value = json.loads(value)
        except (ValueError, RecursionError):
            return False
    if not isinstance(value, dict) or not value:
        return False
    reader.in_object = True
    for name, inner in value.items():
        # what stands in the object as a whole cannot be marked part by part
        reader.take(field._replace(name=f"{option.name}.{name}", value=inner))
    reader.in_object = False
    return True


def _take_nested(reader: Interpreter, text: str, field: Field, target: str) -> bool:
    """Read the options inside an option whose value is a text of its own; False where it cannot be read."""
    inner = load_target(target)
    found = reader.found
    try:
        parsed = inner.grammar.parse(text, inner.dialect, "")
    except GrammarError as error:
        _remark_inside(reader, field, error)
        return False
    secret = any(reader.is_secret(f.name or "", inner.driver) or guard(as_text(f.value)) is not as_text(f.value)
                 for f in parsed.fields)  # fmt: skip
    found.parts.append(Part("option", field.name, field.start, field.end, secret, field.whole))
    for raw in parsed.fields:
        placed = raw._replace(start=field.start, end=field.end, whole=field.whole)
        name, word = placed.name or "", as_text(raw.value)
        option = inner.driver.option(name)
        canonical = option.canonical if option is not None else None
        if option is None:
            reader.take_unknown(name, word, placed, inner.driver, inside=True)
        elif canonical in FILES:
            found.files[str(canonical)[4:]] = word
            found.given.add(f"{field.name}.{option.name}")  # as the driver's tables of states call it
        elif canonical == "authentication" and (login := _login_of(inner.driver, option, word)):
            found.login = login
        elif canonical in _PLACED or canonical in {"tls.level", "authentication"}:
            # hosts, users and passwords of the inner text have no place beside those of the outer one
            found.native[f"{option.vocabulary}/{option.name}"] = Secret(word) if option.secret else word
        else:
            reader.take_value(name, word, placed, option, inner.driver)
    return True


def _take_carried(reader: Interpreter, text: str, field: Field, target: str) -> bool:
    """Read an option whose value is a whole text for another target; False where it cannot be read."""
    found = reader.found
    try:
        claim = claim_of(text, target)
        inner = load_target(claim.target)
        parsed = inner.grammar.parse(text, inner.dialect, claim.prefix)
    except (GrammarError, TextError) as error:
        _remark_inside(reader, field, error)
        return False
    inside = type(reader)(inner).interpret(parsed, claim.engine)
    # an escaped text has other lengths than the one that stands there: then every part gets the whole field
    verbatim = field.end - field.start == len(text)
    found.carried = inside.cord
    if not verbatim:
        secret = bool(inside.secret_spans)
        found.parts.append(Part("option", field.name, field.start, field.end, secret, field.whole))
    shift = field.start
    for part in inside.parts if verbatim else ():
        moved = part._replace(start=part.start + shift, end=part.end + shift, whole=part.whole + shift)
        found.parts.append(moved)
    found.rows.extend(inside.rows)
    for remark in inside.remarks:
        start, end = (remark.start, remark.end) if verbatim else (0, len(text))
        found.remarks.append(remark._replace(start=start + shift, end=min(end + shift, field.end)))
    return True


def take_file_uri(reader: Interpreter, switch: str, target: str) -> None:
    """Read a database that is a ``file:`` URI, where the driver hands one on, or does so once ``switch`` is on.

    Options of a URL that the driver does not know are the URI's (SQLAlchemy, pysqlite.py: create_connect_args;
    sqlite-jdbc the same).
    """
    found = reader.found
    known = [row for row in found.rows if row.option is not None]
    if switch and not any(row.option.name == switch and row.value is True for row in known if row.option is not None):
        return
    rest = {row.name: row for row in found.rows if row.option is None} if reader.target.facts.grammar == "url" else {}
    text = found.roles.get("database", "")
    if rest:
        text += "?" + "&".join(f"{name}={as_text(rest[name].raw)}" for name in sorted(rest))
    if any(isinstance(row.value, Secret) for row in rest.values()) or not text:
        return
    if text.startswith("file:"):
        inner = load_target(target)
        try:
            parsed = inner.grammar.parse(text, inner.dialect, "file:")
        except GrammarError:
            return
        inside = type(reader)(inner).interpret(parsed, None)
        found.carried = inside.cord
        del found.roles["database"]
        found.rows.extend(inside.rows)
    else:
        found.roles["database"] = text
    for full_name in [f"{reader.driver.id}/{name}" for name in rest]:
        found.native.pop(full_name, None)
    if switch:
        found.native.pop(f"{reader.driver.options[switch].vocabulary}/{switch}", None)
    found.rows[:] = [row for row in found.rows if row.option is not None or row.name not in rest]
    found.remarks[:] = [r for r in found.remarks if r.case is not Case.UNKNOWN or r.facts["name"] not in rest]


def _remark_inside(reader: Interpreter, field: Field, error: GrammarError | TextError) -> None:
    facts = {"name": safe_name(field.name or ""), "problem": error.problem, "hint": error.hint or ""}
    reader.found.remarks.append(Remark(Case.INSIDE, field.start, field.end, facts))


def _login_of(driver: Driver, option: Option, text: str) -> str | None:
    """The log-in method that one word of another driver means by itself."""
    state = match_state(driver.authentication, {option.name: text}, {option.name})
    return None if state is None or state.read_only else state.meaning
