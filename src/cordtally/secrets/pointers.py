"""JSON pointers (RFC 6901): where a value stands in a document."""

from __future__ import annotations

import json

from ..errors import FieldError, LocatorError


def check_pointer(text: str) -> str:
    """Give a pointer back.

    Raises
    ------
    FieldError
        Where it is none: it is empty, or begins with a slash.
    """
    if text and not text.startswith("/"):
        raise FieldError("a JSON pointer begins with a slash: /data/password")
    return text


def parse_json(text: str, what: str) -> object:
    """Read a document.

    Raises
    ------
    LocatorError
        Where it is no JSON; it is not quoted.
    """
    try:
        return json.loads(text)
    except (ValueError, RecursionError):
        raise LocatorError(f"{what}: what came is no JSON") from None


def value_at(document: object, pointer: str) -> object:
    """Give what stands at a pointer; None where nothing does."""
    found = document
    for part in _parts(pointer):
        if isinstance(found, dict):
            found = found.get(part)
        elif isinstance(found, list) and part.isascii() and part.isdigit() and int(part) < len(found):
            found = found[int(part)]
        else:
            return None
    return found


def text_at(document: object, pointer: str, what: str) -> str:
    """Give the text or number at a pointer, as a text.

    Raises
    ------
    LocatorError
        Where there is none; the names of its neighbours are not told, as they may be secrets.
    """
    found = value_at(document, pointer)
    if isinstance(found, str):
        return found
    if isinstance(found, int | float) and not isinstance(found, bool):
        return str(found)
    raise LocatorError(f"{what}: there is no text at {pointer or 'the top'} of what came")


def with_value(document: object, pointer: str, value: object | None) -> object:
    """Give a document with a value at a pointer, or without what stands there where it is None.

    Maps on the way are made.

    Raises
    ------
    FieldError
        Where something else is in the way.
    """
    parts = _parts(pointer)
    if not parts:
        return value
    made = dict(document) if isinstance(document, dict) else {} if document is None else None
    if made is None:
        raise FieldError("the answer is no JSON object there")
    if len(parts) > 1:
        rest = "".join(f"/{_escaped(part)}" for part in parts[1:])
        made[parts[0]] = with_value(made.get(parts[0]), rest, value)
    elif value is None:
        made.pop(parts[0], None)
    else:
        made[parts[0]] = value
    return made


def _parts(pointer: str) -> list[str]:
    return [part.replace("~1", "/").replace("~0", "~") for part in pointer.split("/")[1:]]


def _escaped(part: str) -> str:
    return part.replace("~", "~0").replace("/", "~1")


def filled(pointer: str, key: str) -> str:
    """A pointer with its ``{key}`` put in."""
    return pointer.replace("{key}", _escaped(key))
