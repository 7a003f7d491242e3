"""Connections in files of no known layout: whole texts in any value, and keys whose last word speaks."""

from __future__ import annotations

import re
from collections.abc import Iterable

from ..errors import AmbiguousText, CordTallyError
from ..exchange import read
from ..patterns import pattern
from ..syntax import Slot
from .layouts import CordPlaces, Layout, speaking
from .matching import Found
from .stand_ins import with_stand_ins

_TEXT = pattern(
    r"(?:[A-Za-z][\w.+-]*:)+//\S+|(?:[\w ]+=[^;]*;){2,}.*|\S+@(?:tcp|unix)\(.*"
    r"|(?:dbi:)?[A-Za-z]\w*:[\w ]+=[^;]*(?:;[\w ]+=[^;]*)*;?|(?=.*\b(?:host|dbname|service)=)(?:\w+=\S+\s+)+\w+=\S+",
    re.DOTALL,
)
_WORD = pattern(r"[A-Z]+(?![a-z])|[A-Za-z][a-z0-9]*|\d+")


def find_texts(found: Iterable[Slot]) -> list[Found]:
    """Give a connection for each whole text alone."""
    places = CordPlaces(places={})
    return [Found(_called(slot), None, places, {"text": slot}, {}, [], {}) for slot in found if _holds_text(slot)]


def _holds_text(slot: Slot) -> bool:
    value = slot.node.value or ""
    return _TEXT.fullmatch(value) is not None and _is_text(value)


def _called(slot: Slot) -> str:
    return ".".join(slot.path)


def find_speaking(layout: Layout, found: Iterable[Slot], equal: str) -> list[Found]:
    """Give a connection for each whole text, and one for each group of keys that speak of a host or a database.

    Of two ``equal`` keys the first or the last counts.
    """
    texts, groups = list[Slot](), dict[str, dict[str, Slot]]()
    roles = {word: role for role, words in layout.words.items() for word in words}
    endings = tuple(roles)
    for slot in found:
        if _holds_text(slot):
            texts.append(slot)
            continue
        if not slot.path or not slot.path[-1].casefold().endswith(endings):
            continue  # most keys speak of nothing
        group, word = _parted(slot)
        if word in roles:
            held = groups.setdefault(group, {}).setdefault(roles[word], slot)
            if equal == "last" and held.path == slot.path:
                groups[group][roles[word]] = slot
    places, made = CordPlaces(places={}), []
    for slot in texts:
        # berths.user and berths.password belong to berths.url, unless they are a connection of their own
        group = _parted(slot)[0]
        if group not in groups:  # setJdbcUrl beside setUsername
            group = ".".join(slot.path[:-1])
        beside = groups.pop(group, {}) if "host" not in groups.get(group, {}) else {}
        made.append(Found(_called(slot), None, places, {"text": slot, **beside}, {}, [], {}))
    for name, parts in groups.items():
        if ("host" in parts and len(parts) > 1) or {"database", "user", "password"} <= set(parts):
            made.append(Found(name or "default", None, places, parts, {}, [], {}))
    return made


def _parted(slot: Slot) -> tuple[str, str]:
    """Part a key into what it is about and its last word."""
    words = [word.casefold() for word in _WORD.findall(slot.path[-1])] if slot.path else []
    return ".".join([*slot.path[:-1], "_".join(words[:-1])]).strip("."), words[-1] if words else ""


def _is_text(value: str) -> bool:
    try:
        read(value)
    except AmbiguousText:
        return True
    except CordTallyError as error:
        bare, stand_ins = with_stand_ins(value, speaking())
        return "placeholder" in str(error) or (bool(stand_ins) and bare not in stand_ins and _is_text(bare))
    return True
