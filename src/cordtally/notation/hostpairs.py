r"""A host, then semicolon-separated pairs in braces where that is needed: SQL Server's JDBC URL and its kin.

    text  = prefix [ host ["\" instance] [":" port] ] *( ";" [ key "=" value ] )
    value = "{" *( any but "}", or "}}" ) "}"  |  *( any but ";" )

Source: public documentation of the Microsoft JDBC Driver 12 for SQL Server (not checked against an installed driver).
"""

from __future__ import annotations

from dataclasses import dataclass

from .parts import CannotHold, Field, GrammarError, Parsed, Refused, Rendered, as_text


@dataclass(frozen=True, slots=True, kw_only=True)
class Dialect:
    """Of a key given twice the last wins."""

    repeated: str = "last"
    empty: str = "kept"
    positions: tuple[str, ...] = ("host", "instance", "port")


def parse(text: str, dialect: Dialect, prefix: str) -> Parsed:
    """Take a text apart.

    Raises
    ------
    GrammarError
        For a port that is no number, a key without ``=``, a brace that is never closed.
    """
    fields: list[Field] = [Field("scheme", None, prefix, 0, len(prefix), 0)]
    semicolon = text.find(";", len(prefix))
    end = len(text) if semicolon < 0 else semicolon
    _host(text, len(prefix), end, fields)
    position = end + 1
    while position < len(text):
        if text[position] in "; \t\r\n":
            position += 1
            continue
        equals = text.find("=", position)
        stop = text.find(";", position)
        if equals < 0 or 0 <= stop < equals:
            stop = len(text) if stop < 0 else stop
            hint = "a value that holds ; must stand in braces: did it end where you meant?"
            raise GrammarError("a key has no = and value", position, stop, hint)
        name = text[position:equals].strip()
        if not name:
            raise GrammarError("a key is missing before =", position, equals + 1)
        start, finish, value, after = _value(text, equals + 1)
        fields.append(Field("option", name, value, start, finish, position))
        position = after + 1
    return Parsed(text, tuple(fields))


def _host(text: str, start: int, end: int, fields: list[Field]) -> None:
    while end > start and text[end - 1] == "/":
        end -= 1
    bracket = text.find("]", start, end) if text.startswith("[", start) else -1
    colon = text.find(":", max(bracket, start), end)
    stop = end if colon < 0 else colon
    backslash = text.find("\\", start, stop)
    host_end = stop if backslash < 0 else backslash
    inner = (start + 1, bracket) if bracket >= 0 else (start, host_end)
    if inner[1] > inner[0] or backslash >= 0 or colon >= 0:
        fields.append(Field("host", None, text[inner[0] : inner[1]], *inner, start))
    if backslash >= 0:
        fields.append(Field("instance", None, text[backslash + 1 : stop], backslash + 1, stop, backslash + 1))
    if colon >= 0:
        port = text[colon + 1 : end]
        if port and not (port.isascii() and port.isdigit()):
            raise GrammarError("a port is a number from 1 to 65535", colon + 1, end, "pairs begin after a semicolon")
        if port:
            fields.append(Field("port", None, port, colon + 1, end, colon + 1))


def _value(text: str, start: int) -> tuple[int, int, str, int]:
    """Give start and end of the raw value, the value, and the place of the semicolon after it."""
    if not text.startswith("{", start):
        semicolon = text.find(";", start)
        after = len(text) if semicolon < 0 else semicolon
        return start, after, text[start:after], after
    place = start + 1
    while True:
        place = text.find("}", place)
        if place < 0:
            raise GrammarError("a value has no closing }", start, len(text), "write } inside as two")
        if not text.startswith("}", place + 1):
            break
        place += 2
    semicolon = text.find(";", place)
    after = len(text) if semicolon < 0 else semicolon
    if text[place + 1 : after].strip():
        raise GrammarError("only a semicolon may follow the closing }", place + 1, after)
    return start + 1, place, text[start + 1 : place].replace("}}", "}"), after


def render(fields: list[Field], dialect: Dialect, prefix: str, secrets: frozenset[str]) -> Rendered:
    """Write a text; what its host part cannot hold is refused by name."""
    head, port, orphan = "", "", False
    refused: list[Refused] = []
    pairs: list[tuple[str, bool]] = []
    for part in fields:
        value = as_text(part.value)
        try:
            if part.role == "host":
                orphan = True
                head = _host_text(value)
                orphan = False
            elif part.role == "port":
                if orphan:
                    raise CannotHold("its host could not be written")  # noqa: TRY301 -- booked below
                port = f":{value}"
            elif part.role == "instance":
                if orphan:
                    raise CannotHold("its host could not be written")  # noqa: TRY301 -- booked below
                if not value or not set(";:/\\").isdisjoint(value):
                    raise CannotHold("an instance name holds no ; : / or backslash")  # noqa: TRY301 -- booked below
                head += f"\\{value}"
            else:
                name = part.name or ""
                if not name.strip() or name != name.strip() or not set(";={}").isdisjoint(name):
                    raise CannotHold("its name cannot stand as a key here")  # noqa: TRY301 -- booked below
                plain = value.replace("_", "").replace("-", "").replace(".", "").isalnum()
                written = value if plain else "{" + value.replace("}", "}}") + "}"
                pairs += [(f";{name}=", False), (written, part.name in secrets)]
        except CannotHold as problem:
            refused.append(Refused(part, problem.reason))
    return Rendered([(prefix + head + port, False), *pairs], refused)


def _host_text(value: str) -> str:
    if not set(";\\/[]{}= \t\r\n").isdisjoint(value) or not value:
        raise CannotHold("a host name here holds no blank and none of ; \\ / [ ] { } =")
    return f"[{value}]" if ":" in value else value
