"""Oracle Net's connect descriptor: lists in parentheses, as in tnsnames.ora.

    node  = "(" name "=" ( value | 1*node ) ")"
    value = '"' *( any but '"' ) '"'  |  *( any but "(", ")" and '"' )

Addresses give hosts and ports; every other leaf is an option under its own name, or under its path where the name
says too little by itself. Source: python-oracledb 26.1, tried through ConnectParams.parse_connect_string.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from .parts import CannotHold, Field, GrammarError, Parsed, Refused, Rendered, as_text

_NAME = re.compile(r"\s*([A-Za-z0-9_.\-$]+)\s*=\s*")
_PLAIN = re.compile(r"[\w./\\:+@%-]+(?: [\w./\\:+@%-]+)*")
_FRAMES = frozenset({"DESCRIPTION", "ADDRESS_LIST", "ADDRESS", "CONNECT_DATA", "SECURITY", "DESCRIPTION_LIST"})
_DEEPEST = 20


@dataclass(frozen=True, slots=True, kw_only=True)
class Dialect:
    """``connect_data``, ``security`` and ``address_list`` list the options that stand in those frames."""

    repeated: str = "first"
    empty: str = "kept"
    positions: tuple[str, ...] = ("host", "port", "database")
    connect_data: tuple[str, ...] = ()
    security: tuple[str, ...] = ()
    address_list: tuple[str, ...] = ()


def parse(text: str, dialect: Dialect, prefix: str) -> Parsed:
    """Take a descriptor apart.

    Raises
    ------
    GrammarError
        For parentheses that do not match, or a name without a value.
    """
    fields: list[Field] = []
    position = _node(text, _skip(text, 0), [], fields)
    position = _skip(text, position)
    if position < len(text):
        raise GrammarError("nothing may follow the descriptor", position, len(text))
    return Parsed(text, tuple(fields))


def _skip(text: str, position: int) -> int:
    while position < len(text) and text[position].isspace():
        position += 1
    return position


def _node(text: str, position: int, path: list[str], fields: list[Field]) -> int:
    if text[position : position + 1] != "(" or len(path) > _DEEPEST:
        raise GrammarError("a ( is expected", position, position + 1)
    opening = position
    match = _NAME.match(text, position + 1)
    if match is None:
        raise GrammarError("a name and = are expected", position + 1, position + 2)
    inside = [*path, match[1].upper()]
    position = match.end()
    if text[position : position + 1] == "(":
        first = len(fields)
        while text[position : position + 1] == "(":
            position = _skip(text, _node(text, position, inside, fields))
        if inside[-1] == "ADDRESS":
            _complete_address(fields, first, match.end())
    else:
        position = _leaf(text, match.start(1), position, inside, fields)
    if text[position : position + 1] != ")":
        raise GrammarError("the ( has no )", opening, len(text))
    return position + 1


def _leaf(text: str, whole: int, start: int, path: list[str], fields: list[Field]) -> int:
    if text[start : start + 1] == '"':
        end = text.find('"', start + 1)
        if end < 0:
            raise GrammarError('a quoted value has no closing "', start, len(text))
        start, after = start + 1, _skip(text, end + 1)
    else:
        after = start
        while after < len(text) and text[after] not in '()"':
            after += 1
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
    return after


def _complete_address(fields: list[Field], first: int, place: int) -> None:
    """An address may name its port before its host, or no host at all: a port needs a host to belong to."""
    roles = [f.role for f in fields[first:]]
    if "port" in roles and "host" not in roles:
        fields.insert(first, Field("host", None, "", place, place, place))
    elif "port" in roles and roles.index("port") < roles.index("host"):
        host = fields.pop(first + roles.index("host"))
        fields.insert(first + roles.index("port"), host)


def render(fields: list[Field], dialect: Dialect, prefix: str, secrets: frozenset[str]) -> Rendered:
    """Write a descriptor; what a quoted value cannot hold is refused by name."""
    refused: list[Refused] = []
    addresses: list[list[str]] = []
    frames: dict[str, list[str]] = {"": [], "list": [], "data": [], "security": []}
    protocol, orphan = "tcp", False
    for part in fields:
        value, name = as_text(part.value), (part.name or "").upper()
        try:
            if part.role == "host":
                orphan = True
                addresses.append([_leaf_text("HOST", value)])
                orphan = False
            elif part.role == "port":
                if orphan:
                    raise CannotHold("its host could not be written")  # noqa: TRY301 -- booked below
                addresses[-1].append(f"(PORT={value})")
            elif part.role == "database":
                frames["data"].insert(0, _leaf_text("SERVICE_NAME", value))
            elif name == "PROTOCOL":
                protocol = value
            else:
                frames[_frame_of(name, dialect)].append(_leaf_text(name, value))
        except CannotHold as problem:
            refused.append(Refused(part, problem.reason))
    listed = "".join(f"(ADDRESS=(PROTOCOL={protocol}){''.join(a)})" for a in addresses)
    if len(addresses) > 1 or frames["list"]:
        listed = f"(ADDRESS_LIST={''.join(frames['list'])}{listed})"
    if not addresses and protocol != "tcp":
        listed += f"(ADDRESS=(PROTOCOL={protocol}))"
    data = f"(CONNECT_DATA={''.join(frames['data'])})" if frames["data"] else ""
    security = f"(SECURITY={''.join(frames['security'])})" if frames["security"] else ""
    inside = "".join(frames[""]) + listed + data + security
    return Rendered([(f"(DESCRIPTION={inside or '(ADDRESS=(PROTOCOL=tcp))'})", False)], refused)


def _frame_of(name: str, dialect: Dialect) -> str:
    if name in dialect.connect_data:
        return "data"
    if name in dialect.security:
        return "security"
    return "list" if name in dialect.address_list else ""


def _leaf_text(name: str, value: str) -> str:
    *path, last = name.split(".")
    if _NAME.fullmatch(f"{last}=") is None or any(_NAME.fullmatch(f"{p}=") is None for p in path):
        raise CannotHold("its name cannot stand in a descriptor")
    if '"' in value:
        raise CannotHold("a descriptor has no escape for a double quote")
    text = f"({last}={value if _PLAIN.fullmatch(value) else chr(34) + value + chr(34)})"
    for step in reversed(path):
        text = f"({step}={text})"
    return text
