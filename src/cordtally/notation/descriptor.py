"""Oracle Net's connect descriptor: lists in parentheses, as in tnsnames.ora.

    node  = "(" name "=" ( value | 1*node ) ")"
    value = '"' *( any but '"' ) '"'  |  *( any but "(", ")" and '"' )

Addresses give hosts and ports; every other leaf is an option under its own name, or under its path where the name
says too little by itself. Source: python-oracledb 26.1, tried through ConnectParams.parse_connect_string.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Literal

from ..text import Cursor, GrammarError, Piece, as_text, piece_of
from .fields import CannotHold, Field, Parsed, Refused, Rendered
from .grammar import LIKELY, NO, BaseDialect

_NAME = re.compile(r"\s*([A-Za-z0-9_.\-$]+)\s*=\s*")
_BLANK = re.compile(r"\s*")
_PLAIN = re.compile(r"[\w./\\:+@%-]+(?: [\w./\\:+@%-]+)*")
_FRAMES = frozenset({"DESCRIPTION", "ADDRESS_LIST", "ADDRESS", "CONNECT_DATA", "SECURITY", "DESCRIPTION_LIST"})
_DEEPEST = 20


class Dialect(BaseDialect):
    """``connect_data``, ``security`` and ``address_list`` list the options that stand in those frames."""

    repeated: Literal["last", "first", "list"] = "first"
    positions: tuple[str, ...] = ("host", "port", "database")
    connect_data: tuple[str, ...] = ()
    security: tuple[str, ...] = ()
    address_list: tuple[str, ...] = ()


def looks_like(text: str) -> int:
    """A descriptor begins with a parenthesis."""
    return LIKELY if text.lstrip()[:1] == "(" else NO


def parse(text: str, dialect: Dialect, prefix: str) -> Parsed:
    """Take a descriptor apart.

    Raises
    ------
    GrammarError
        For parentheses that do not match, or a name without a value.
    """
    fields: list[Field] = []
    cursor = Cursor(text)
    cursor.take_pattern(_BLANK)
    _node(cursor, [], fields)
    if not cursor.at_end:
        raise GrammarError("nothing may follow the descriptor", cursor.position, cursor.end)
    return Parsed(text, tuple(fields))


def _node(cursor: Cursor, path: list[str], fields: list[Field]) -> None:
    """``"(" name "=" ( value | 1*node ) ")"``, and the blanks behind it."""
    opening = cursor.position
    if len(path) > _DEEPEST:
        raise cursor.error("a ( is expected")
    cursor.expect("(", "a ( is expected")
    match = cursor.take_pattern(_NAME)
    if match is None:
        raise cursor.error("a name and = are expected")
    inside = [*path, match[1].upper()]
    if cursor.here == "(":
        first = len(fields)
        while cursor.here == "(":
            _node(cursor, inside, fields)
        if inside[-1] == "ADDRESS":
            _complete_address(fields, first, match.end())
    else:
        _leaf(cursor, match.start(1), inside, fields)
    if not cursor.take(")"):
        raise GrammarError("the ( has no )", opening, cursor.end)
    cursor.take_pattern(_BLANK)


def _leaf(cursor: Cursor, whole: int, path: list[str], fields: list[Field]) -> None:
    """``value``: quoted, or bare up to a parenthesis, blanks at its end left out."""
    text, start = cursor.text, cursor.position
    if cursor.take('"'):
        start, end = cursor.take_until('"')
        if not cursor.take('"'):
            raise GrammarError('a quoted value has no closing "', start - 1, cursor.end)
        cursor.take_pattern(_BLANK)
    else:
        _, after = cursor.take_until('()"')
        end = start + len(text[start:after].rstrip())
    value, name = text[start:end], path[-1]
    if name == "HOST" and path[-2:-1] == ["ADDRESS"]:
        fields.append(Field("host", None, value, start, end, whole))
    elif name == "PORT" and path[-2:-1] == ["ADDRESS"]:
        if not (value.isascii() and value.isdigit()):
            raise GrammarError("a port is a number from 1 to 65535", start, end)
        fields.append(Field("port", None, value, start, end, whole))
    elif name == "SERVICE_NAME" and path[-2:-1] == ["CONNECT_DATA"]:
        fields.append(Field("database", None, value, start, end, whole))
    else:
        full = name if set(path[:-1]) <= _FRAMES else ".".join(p for p in path if p not in _FRAMES)
        fields.append(Field("option", full, value, start, end, whole))


def _complete_address(fields: list[Field], first: int, place: int) -> None:
    """An address may name its port before its host, or no host at all: a port needs a host to belong to."""
    roles = [f.role for f in fields[first:]]
    if "port" in roles and "host" not in roles:
        fields.insert(first, Field("host", None, "", place, place, place))
    elif "port" in roles and roles.index("port") < roles.index("host"):
        host = fields.pop(first + roles.index("host"))
        fields.insert(first + roles.index("port"), host)


def render(fields: Sequence[Field], dialect: Dialect, prefix: str) -> Rendered:
    """Write a descriptor; what a quoted value cannot hold is refused by name."""
    refused: list[Refused] = []
    addresses: list[list[Piece]] = []
    frames: dict[str, list[Piece]] = {"": [], "list": [], "data": [], "security": []}
    protocol, orphan = "tcp", False  # a port whose host was refused goes with it
    for part in fields:
        value, name = as_text(part.value), (part.name or "").upper()
        try:
            if part.role == "host":
                orphan = True
                addresses.append(_leaf_pieces("HOST", part.value))
                orphan = False
            elif part.role == "port":
                if orphan:
                    raise CannotHold("its host could not be written")  # noqa: TRY301 -- booked below
                addresses[-1].append(Piece(f"(PORT={value})"))
            elif part.role == "database":
                frames["data"] = _leaf_pieces("SERVICE_NAME", part.value) + frames["data"]
            elif name == "PROTOCOL":
                protocol = value
            else:
                frames[_frame_of(name, dialect)] += _leaf_pieces(name, part.value)
        except CannotHold as problem:
            refused.append(Refused(part, problem.reason))
    listed = [
        piece for address in addresses for piece in (Piece(f"(ADDRESS=(PROTOCOL={protocol})"), *address, Piece(")"))
    ]
    if len(addresses) > 1 or frames["list"]:
        listed = [Piece("(ADDRESS_LIST="), *frames["list"], *listed, Piece(")")]
    if not addresses and protocol != "tcp":
        listed.append(Piece(f"(ADDRESS=(PROTOCOL={protocol}))"))
    inside = [*frames[""], *listed, *_framed("CONNECT_DATA", frames["data"]), *_framed("SECURITY", frames["security"])]
    return Rendered([Piece("(DESCRIPTION="), *(inside or [Piece("(ADDRESS=(PROTOCOL=tcp))")]), Piece(")")], refused)


def _framed(name: str, pieces: list[Piece]) -> list[Piece]:
    return [Piece(f"({name}="), *pieces, Piece(")")] if pieces else []


def _frame_of(name: str, dialect: Dialect) -> str:
    if name in dialect.connect_data:
        return "data"
    if name in dialect.security:
        return "security"
    return "list" if name in dialect.address_list else ""


def _leaf_pieces(name: str, given: object) -> list[Piece]:
    value, (*path, last) = as_text(given), name.split(".")
    if any(_NAME.fullmatch(f"{step}=") is None for step in (*path, last)):
        raise CannotHold("its name cannot stand in a descriptor")
    if '"' in value:
        raise CannotHold("a descriptor has no escape for a double quote")
    mark = "" if _PLAIN.fullmatch(value) else '"'
    head = "".join(f"({step}=" for step in (*path, last))
    return [Piece(head + mark), piece_of(given, value), Piece(mark + ")" * (len(path) + 1))]
