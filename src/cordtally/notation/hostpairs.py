r"""A host, then semicolon-separated pairs in braces where that is needed: SQL Server's JDBC URL and its kin.

    text  = prefix [ host ["\" instance] [":" port] ] *( ";" [ key "=" value ] )
    value = "{" *( any but "}", or "}}" ) "}"  |  *( any but ";" )

Source: public documentation of the Microsoft JDBC Driver 12 for SQL Server (not checked against an installed driver).
"""

from __future__ import annotations

from collections.abc import Sequence

from ..text import Cursor, GrammarError, Piece, as_text, piece_of, piece_of_key
from .fields import CannotHold, Field, Parsed, Refused, Rendered
from .grammar import BaseDialect, is_no_object

_BLANKS = "; \t\r\n"


class Dialect(BaseDialect):
    """Of a key given twice the last wins."""

    positions: tuple[str, ...] = ("host", "instance", "port")


def looks_like(text: str) -> int:
    """Its prefix tells it; without that it is read only when its driver is named."""
    return is_no_object(text)


def parse(text: str, dialect: Dialect, prefix: str) -> Parsed:
    """Take a text apart.

    Raises
    ------
    GrammarError
        For a port that is no number, a key without ``=``, a brace that is never closed.
    """
    fields = [Field("scheme", None, prefix, 0, len(prefix), 0)]
    cursor = Cursor(text, len(prefix))
    _host(text, *cursor.take_until(";"), fields)
    cursor.skip(_BLANKS)
    while not cursor.at_end:
        whole, end = cursor.take_until("=;")
        if not cursor.take("="):
            hint = "a value that holds ; must stand in braces: did it end where you meant?"
            raise GrammarError("a key has no = and value", whole, end, hint)
        name = text[whole:end].strip()
        if not name:
            raise GrammarError("a key is missing before =", whole, end + 1)
        start, finish, value = _value(cursor)
        fields.append(Field("option", name, value, start, finish, whole))
        cursor.skip(_BLANKS)
    return Parsed(text, tuple(fields))


def _host(text: str, start: int, end: int, fields: list[Field]) -> None:
    r"""``host = ( "[" IPv6 "]" | name ) ["\" instance] [":" port]``; slashes at its end do not count."""
    while end > start and text[end - 1] == "/":
        end -= 1
    bracket = text.find("]", start, end) if text.startswith("[", start) else -1
    colon = text.find(":", max(bracket, start), end)
    stop = end if colon < 0 else colon
    backslash = text.find("\\", max(bracket, start), stop)
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


def _value(cursor: Cursor) -> tuple[int, int, str]:
    """Pass over a value; give its bounds, braces left out, and the value."""
    text = cursor.text
    if not cursor.take("{"):
        start, end = cursor.take_until(";")
        return start, end, text[start:end]
    start, end = cursor.take_doubled("}", "a value has no closing }", "write } inside as two")
    after, stop = cursor.take_until(";")
    if text[after:stop].strip():
        raise GrammarError("only a semicolon may follow the closing }", after, stop)
    return start, end, text[start:end].replace("}}", "}")


def render(fields: Sequence[Field], dialect: Dialect, prefix: str) -> Rendered:
    """Write a text; what its host part cannot hold is refused by name."""
    host, instance, port = Piece(""), "", ""
    orphan = False  # port and instance go with a host that was refused
    refused: list[Refused] = []
    pairs: list[Piece] = []
    for part in fields:
        value = as_text(part.value)
        try:
            if part.role == "host":
                orphan = True
                host = piece_of(part.value, _host_text(value))
                orphan = False
            elif part.role in {"port", "instance"}:
                if orphan:
                    raise CannotHold("its host could not be written")  # noqa: TRY301 -- booked below
                port, instance = (f":{value}", instance) if part.role == "port" else (port, _instance(value))
            else:
                pairs += [
                    piece_of_key(part.name or "", f";{_key(part.name or '')}="),
                    piece_of(part.value, _braced(value)),
                ]
        except CannotHold as problem:
            refused.append(Refused(part, problem.reason))
    return Rendered([Piece(prefix), host, Piece(instance + port), *pairs], refused)


def _host_text(value: str) -> str:
    if not set(";\\/[]{}= \t\r\n").isdisjoint(value) or not value:
        raise CannotHold("a host name here holds no blank and none of ; \\ / [ ] { } =")
    return f"[{value}]" if ":" in value else value


def _instance(value: str) -> str:
    if not value or not set(";:/\\").isdisjoint(value):
        raise CannotHold("an instance name holds no ; : / or backslash")
    return f"\\{value}"


def _key(name: str) -> str:
    if not name.strip() or name != name.strip() or not set(";={}").isdisjoint(name):
        raise CannotHold("its name cannot stand as a key here")
    return name


def _braced(value: str) -> str:
    plain = value.replace("_", "").replace("-", "").replace(".", "").isalnum()
    return value if plain else "{" + value.replace("}", "}}") + "}"
