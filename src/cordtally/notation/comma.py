"""Comma-separated configuration: hosts first, then pairs, without any quoting.

    text = item *( "," item )
    item = host [":" port]  |  key "=" value

Source: public documentation of StackExchange.Redis 2 (not checked against an installed driver).
"""

from __future__ import annotations

from dataclasses import dataclass

from .parts import CannotHold, Field, GrammarError, Parsed, Refused, Rendered, as_text


@dataclass(frozen=True, slots=True, kw_only=True)
class Dialect:
    """Blanks around an item do not count; of a key given twice the last wins."""

    repeated: str = "last"
    empty: str = "kept"
    positions: tuple[str, ...] = ("host", "port")


def parse(text: str, dialect: Dialect, prefix: str) -> Parsed:
    """Take a configuration apart.

    Raises
    ------
    GrammarError
        For a key that is missing before its ``=``.
    """
    fields: list[Field] = []
    position = 0
    while position <= len(text):
        end = text.find(",", position)
        end = len(text) if end < 0 else end
        start, stop = _trim(text, position, end)
        equals = text.find("=", start, stop)
        if equals == start and stop > start:
            raise GrammarError("a key is missing before =", start, start + 1)
        if equals > start:
            begin, close = _trim(text, equals + 1, stop)
            fields.append(Field("option", text[start:equals].strip(), text[begin:close], begin, close, start))
        elif stop > start:
            _host(text, start, stop, fields)
        position = end + 1
    return Parsed(text, tuple(fields))


def _trim(text: str, start: int, end: int) -> tuple[int, int]:
    while start < end and text[start].isspace():
        start += 1
    while end > start and text[end - 1].isspace():
        end -= 1
    return start, end


def _host(text: str, start: int, end: int, fields: list[Field]) -> None:
    colon = text.rfind(":", start, end)
    port = text[colon + 1 : end]
    bracketed = text[start] == "["
    if colon >= 0 and port.isascii() and port.isdigit() and (bracketed or text.count(":", start, end) == 1):
        stop = colon
    else:
        stop, port = end, ""
    inner = (start + 1, stop - 1) if bracketed and text[stop - 1] == "]" else (start, stop)
    fields.append(Field("host", None, text[inner[0] : inner[1]], *inner, start))
    if port:
        fields.append(Field("port", None, port, stop + 1, end, stop + 1))


def render(fields: list[Field], dialect: Dialect, prefix: str, secrets: frozenset[str]) -> Rendered:
    """Write a configuration; what has no place between commas is refused by name."""
    items: list[list[tuple[str, bool]]] = []
    refused: list[Refused] = []
    orphan = False
    for part in fields:
        value = as_text(part.value)
        try:
            if part.role == "host":
                orphan = True
                _check(value, "=" if ":" in value else "=[]")
                if value == "" or (":" in value and not set("[]").isdisjoint(value)):
                    raise CannotHold("a host cannot be empty or hold brackets here")  # noqa: TRY301 -- booked below
                items.append([(f"[{value}]" if ":" in value else value, False)])
                orphan = False
            elif part.role == "port":
                if orphan:
                    raise CannotHold("its host could not be written")  # noqa: TRY301 -- booked below
                items[-1].append((f":{value}", False))
            else:
                _check(value, "")
                _check(part.name or "", "=")
                if not (part.name or "").strip() or part.name != (part.name or "").strip():
                    raise CannotHold("its name cannot stand as a key here")  # noqa: TRY301 -- booked below
                items.append([(f"{part.name}=", False), (value, part.name in secrets)])
        except CannotHold as problem:
            refused.append(Refused(part, problem.reason))
    pieces = [piece for index, item in enumerate(items) for piece in ([(",", False)] if index else []) + item]
    return Rendered(pieces, refused)


def _check(value: str, further: str) -> None:
    if not set("," + further).isdisjoint(value):
        raise CannotHold("nothing is quoted here, and a comma would end the value")
    if value != value.strip():
        raise CannotHold("blanks at the ends of a value are lost here")
