"""Hosts, a database behind a slash, and pairs behind a mark, with no escapes: JDBC URLs of many engines.

    text    = prefix [ host *( "," host ) ] [ "/" database ] [ mark pair *( separator pair ) [ separator ] ] *section
    host    = ( "[" IPv6 "]" | name ) [ ":" port ]
    section = ( "?" | "#" ) pair *( ";" pair )
    pair    = key "=" value

Without a place for hosts the database begins right behind the prefix. Source: how Debian's drivers of H2, HSQLDB and
Derby read theirs; the public documentation of the others (Db2, Hive, Impala, Teradata).
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Literal

from ..patterns import pattern
from ..text import GrammarError, Piece, as_text, piece_of, piece_of_key
from .fields import CannotHold, Field, Parsed, Refused, Rendered
from .grammar import BaseDialect, is_no_object
from .searching import end_of

_BLANKS = "".join(map(chr, range(33)))  # what Java's trim() takes away
_ESCAPED = pattern(r"(?s)\\(.)")
_ESCAPES = pattern(r"[;\\]")


class Dialect(BaseDialect):
    """Pairs begin behind the ``mark`` and are parted by a ``separator``.

    Where ``several`` hosts may stand there, commas part them; each of the ``sections`` is a mark behind which further
    pairs stand, whose names keep it (Hive: ``?`` for its settings, ``#`` for its variables). With the ``escape`` of a
    ``backslash`` any character may stand in a value; ``values`` are ``kept`` or ``trimmed``; ``bare_keys``, without a
    ``=``, are ``refused`` or ``dropped``; addresses of ``ipv6`` are taken in brackets or ``refused``;
    a database holds nothing that it ``refuses``; the ``slash`` before one is ``optional``, or ``written`` without one.
    """

    positions: tuple[str, ...] = ("host", "port", "database")
    mark: Literal[";", ":", "/"] = ";"
    separator: Literal[";", ",", "&"] = ";"
    several: bool = False
    sections: str = ""
    escape: Literal["none", "backslash"] = "none"
    values: Literal["kept", "trimmed"] = "kept"
    bare_keys: Literal["refused", "dropped"] = "refused"
    ipv6: Literal["kept", "refused"] = "kept"
    refuses: str = ""
    slash: Literal["optional", "written"] = "optional"


def looks_like(text: str) -> int:
    """Its prefix tells it; without that it is read only when its driver is named."""
    return is_no_object(text)


def parse(text: str, dialect: Dialect, prefix: str) -> Parsed:
    """Take a text apart.

    Raises
    ------
    GrammarError
        For a port that is no number, and a pair without ``=``.
    """
    position = len(prefix)
    fields = [Field("scheme", None, prefix, 0, position, 0)]
    marks = dialect.mark + dialect.sections
    if "host" in dialect.positions:
        # a colon before the slash belongs to a port
        end = end_of(text, position, "/" + marks.replace(":", ""))
        _hosts(text, position, end, dialect, fields)
        position = end
        if text[position : position + 1] == "/" != dialect.mark:
            position += 1
    if "database" in dialect.positions:
        end = end_of(text, position, marks)
        if end > position:
            fields.append(Field("database", None, text[position:end], position, end, position))
        position = end
    while position < len(text):
        mark = text[position]
        separator = dialect.separator if mark == dialect.mark else ";"
        end = end_of(text, position + 1, dialect.sections) if dialect.sections else len(text)
        fields += _pairs(text, (position + 1, end), separator, "" if mark == dialect.mark else mark, dialect)
        position = end
    return Parsed(text, tuple(fields))


def _hosts(text: str, start: int, end: int, dialect: Dialect, fields: list[Field]) -> None:
    while start < end:
        stop = end_of(text, start, ",") if dialect.several else end
        stop = min(stop, end)
        bracket = text.find("]", start, stop) if text.startswith("[", start) else -1
        colon = text.find(":", max(bracket, start), stop)
        host_end = stop if colon < 0 else colon
        inner = (start + 1, bracket) if bracket >= 0 else (start, host_end)
        fields.append(Field("host", None, text[inner[0] : inner[1]], *inner, start))
        if colon >= 0:
            port = text[colon + 1 : stop]
            if not (port.isascii() and port.isdigit()):
                raise GrammarError("a port is a number from 1 to 65535", colon + 1, stop)
            fields.append(Field("port", None, port, colon + 1, stop, colon + 1))
        start = stop + 1


def _pairs(text: str, within: tuple[int, int], separator: str, mark: str, dialect: Dialect) -> Iterator[Field]:
    start, limit = within
    while start < limit:
        end = min(_end_of_pair(text, start, separator, dialect), limit)
        equals = text.find("=", start, end)
        if equals < 0 and text[start:end].strip() and dialect.bare_keys == "refused":
            raise GrammarError("a key has no = and value", start, end, f"write it as name=value{separator}")
        if equals >= 0:
            name = text[start:equals].strip()
            if not name:
                raise GrammarError("a key is missing before =", start, end)
            yield Field("option", mark + name, _meant(text[equals + 1 : end], dialect), equals + 1, end, start)
        start = end + 1


def _end_of_pair(text: str, start: int, separator: str, dialect: Dialect) -> int:
    end = end_of(text, start, separator)
    while dialect.escape == "backslash" and end < len(text) and _is_escaped(text, start, end):
        end = end_of(text, end + 1, separator)
    return end


def _is_escaped(text: str, start: int, place: int) -> bool:
    before = place
    while before > start and text[before - 1] == "\\":
        before -= 1
    return (place - before) % 2 == 1


def _meant(value: str, dialect: Dialect) -> str:
    """A value without its escapes, as H2 has them (StringUtils.arraySplit), or without the blanks around it."""
    if dialect.values == "trimmed":
        return value.strip(_BLANKS)
    return _ESCAPED.sub(r"\1", value) if dialect.escape == "backslash" and "\\" in value else value


def render(fields: Sequence[Field], dialect: Dialect, prefix: str) -> Rendered:
    """Write a text; what cannot stand in it, since nothing is escaped, is refused by name."""
    hosts: list[Piece] = []
    database: Piece | None = None
    lists: dict[str, list[Piece]] = {mark: [] for mark in dialect.mark + dialect.sections}
    refused: list[Refused] = []
    orphan = False  # a port whose host was refused goes with it
    for part in fields:
        value = as_text(part.value)
        try:
            if part.role == "host":
                orphan = True
                written = _host_text(value, dialect)
                hosts += [Piece("," if hosts else ""), piece_of(part.value, written)]
                orphan = False
            elif part.role == "port":
                if orphan:
                    raise CannotHold("its host could not be written")  # noqa: TRY301 -- booked below
                hosts.append(Piece(f":{value}"))
            elif part.role == "database":
                database = piece_of(part.value, _database(value, dialect))
            else:
                mark, name, separator = _place(part.name or "", dialect)
                held = _held(value, separator + dialect.sections, dialect)
                pairs = lists[mark]
                pairs += [
                    Piece(separator if pairs else mark),
                    piece_of_key(name, f"{name}="),
                    piece_of(part.value, held),
                ]
        except CannotHold as problem:
            refused.append(Refused(part, problem.reason))
    if "host" in dialect.positions and "database" in dialect.positions:
        slash = "/" if database is not None or dialect.mark == ":" or dialect.slash == "written" else ""
    else:
        slash = ""
    path = [Piece(slash)] if database is None else [Piece(slash), database]
    tail = [piece for pairs in lists.values() for piece in pairs]
    closing = [Piece(dialect.separator)] if dialect.mark == ":" and lists[":"] else []  # Db2 wants the last one, too
    return Rendered([Piece(prefix), *hosts, *path, *tail, *closing], refused)


def _place(name: str, dialect: Dialect) -> tuple[str, str, str]:
    """The mark of the list in which a pair stands, its name there, and what parts pairs in that list."""
    mark = name[:1] if name[:1] and name[:1] in dialect.sections else dialect.mark
    name = name if mark == dialect.mark else name[1:]
    separator = dialect.separator if mark == dialect.mark else ";"
    if not name.strip() or name != name.strip() or not set(f"={separator}{dialect.sections}").isdisjoint(name):
        raise CannotHold("its name cannot stand as a key here")
    return mark, name, separator


def _host_text(value: str, dialect: Dialect) -> str:
    if ":" in value and dialect.ipv6 == "refused":
        raise CannotHold("an IPv6 address cannot stand here: give it a name")
    if not set(";/[]=,?#& \t\r\n").isdisjoint(value) or not value:
        raise CannotHold("a host name here holds no blank and none of ; / [ ] = , ? # &")
    return f"[{value}]" if ":" in value else value


def _database(value: str, dialect: Dialect) -> str:
    marks = dialect.mark + dialect.sections
    if not set(dialect.refuses).isdisjoint(value):
        raise CannotHold("this driver reads such a name otherwise")
    if not value or not set(marks).isdisjoint(value):
        raise CannotHold(f"nothing is escaped here, and a {' or '.join(marks)} would end the name")
    return value


def _held(value: str, ends: str, dialect: Dialect) -> str:
    if dialect.escape == "backslash":
        return _ESCAPES.sub(r"\\\g<0>", value)
    if dialect.values == "trimmed" and value != value.strip(_BLANKS):
        raise CannotHold("blanks around a value are lost here")
    if not set(ends).isdisjoint(value):
        raise CannotHold(f"nothing is escaped here, and a {' or '.join(dict.fromkeys(ends))} would end the value")
    return value
