"""Repeated keys: which of them the driver heeds, and what is said of the others."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from operator import attrgetter
from typing import TYPE_CHECKING

from ..model import MASK
from ..model.suspicion import safe_name
from ..notation import Case, Field, Remark
from .gathering import Part

if TYPE_CHECKING:
    from .interpreting import Interpreter


def keep_heeded(at: Interpreter, fields: list[Field]) -> list[Field]:
    """Keep of repeated keys the one that the driver heeds; a list keeps them all."""
    repeated = at.target.dialect.repeated
    key: Callable[[Field], str | None] = attrgetter("name")
    if at.target.dialect.synonyms == "one" and repeated == "last":
        key = partial(_option_named, at)
    if len(fields) < 2 or len({key(field) for field in fields}) == len(fields):
        return fields
    fields = _joined(at, fields)
    if repeated in {"list", "refused"}:
        _refuse_lists(at, fields)
        return fields
    heeded: dict[str | None, Field] = {}
    for field in fields:
        earlier = heeded.get(key(field))
        if earlier is None:
            heeded[key(field)] = field
            continue
        if repeated == "last":
            heeded[key(field)] = field
        ignored, kept = (earlier, field) if repeated == "last" else (field, earlier)
        _ignore(at, ignored, repeated, kept)
    return list(heeded.values())


def _joined(at: Interpreter, fields: list[Field]) -> list[Field]:
    """Make one field of a key that may stand several times, whatever the driver does with the others."""
    made: dict[str | None, Field] = {}
    kept = list[Field]()
    for field in fields:
        option = at.target.option(field.name or "")
        earlier = made.get(field.name) if option is not None and option.repeats else None
        if earlier is None:
            kept.append(field)
            made[field.name] = field
        else:
            # one native option cannot hold a list: a newline is the one thing that no such value holds
            joined = earlier._replace(value=f"{earlier.value}\n{field.value}", end=field.end)
            kept[next(number for number, one in enumerate(kept) if one is earlier)] = joined
            made[field.name] = joined
    return kept


def _option_named(at: Interpreter, field: Field) -> str | None:
    option = at.target.option(field.name or "")
    return field.name if option is None else option.name


def _refuse_lists(at: Interpreter, fields: list[Field]) -> None:
    """Report repeated keys that become a list, which no driver takes but as hosts and ports."""
    seen: set[str | None] = set()
    for field in fields:
        option = at.target.option(field.name or "")
        listed = option is not None and option.canonical in {"host", "port"}
        if field.name in seen and not (listed and at.target.facts.hosts != "single"):
            name = safe_name(field.name or "")
            way = " as a list" if at.target.dialect.repeated == "list" else ""
            why = f"{name} is given twice, which {at.driver.title} takes{way} and is refused"
            facts = {"why": why, "hint": "keep one"}
            at.found.remarks.append(Remark(Case.REFUSED, field.start, field.end, facts))
        seen.add(field.name)


def _ignore(at: Interpreter, field: Field, repeated: str, kept: Field) -> None:
    """Book a repeated key that does not count; nothing is said where both values are the same."""
    secret = at.is_secret(field.name or "", at.driver)
    shown = safe_name(field.name or "")
    at.found.parts.append(Part("ignored", shown, field.start, field.end, secret or shown == MASK, field.whole))
    if field.value != kept.value:
        name = shown if field.name == kept.name else f"{shown}, also as {safe_name(kept.name or '')},"
        facts = {"name": "a secret" if secret else name, "which": repeated}
        at.found.remarks.append(Remark(Case.REPEATED, field.start, field.end, facts))
