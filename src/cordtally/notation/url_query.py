"""The query of a URL.

query = pair *( separator pair )
pair  = key [ "=" value ]
"""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import TYPE_CHECKING, Literal

from ..records import Record
from ..text import GrammarError
from . import percent
from .fields import CannotHold, Field

if TYPE_CHECKING:
    from .url import Dialect


class Query(Record):
    """How the query is read.

    With ``plus`` = ``blank`` a ``+`` is one; an ``equals`` sign is ``required``, ``optional`` (a key without one has an
    empty value), or the ``only`` one of its pair; one of ``separators`` parts all pairs of a query, and where
    ``empty_pairs`` are ``refused``, none may stand without a pair on both sides, and where they are
    ``refused-inside``, one may stand at the end;
    a value is decoded ``twice`` by some (valkey-py decodes what the standard library has decoded);
    ``instead`` replaces whole pairs (libpq reads ``ssl=true`` as ``sslmode=require``).
    """

    plus: Literal["literal", "blank"] = "literal"
    equals: Literal["required", "optional", "only"] = "required"
    separators: Literal["&", "&;"] = "&"
    empty_pairs: Literal["kept", "refused", "refused-inside"] = "kept"
    twice: bool = False
    instead: Mapping[str, str] = MappingProxyType({})


def parse_query(text: str, start: int, length: int, dialect: Dialect, fields: list[Field]) -> None:
    """``pair *( separator pair )``, up to ``length``.

    Raises
    ------
    GrammarError
        For a pair without an equals sign where one is required, for one too many, and for two kinds of separators.
    """
    flags = dialect.query
    blank_plus, escaped, drops = flags.plus == "blank", dialect.escaping == "percent", dialect.empty == "dropped"
    bare = flags.equals == "optional" or dialect.repeated == "list"
    separator = "&"
    if flags.separators == "&;" and (place := text.find(";", start, length)) >= 0:
        # PyMongo 4 (uri_parser_shared.split_options) takes either, and refuses a text with both
        if text.find("&", start, length) >= 0:
            hint = "write & between all, and %3B inside a value"
            raise GrammarError("parameters are parted by & or by ;, and here by both", place, place + 1, hint)
        separator = ";"
    while start < length:
        end = text.find(separator, start, length)
        end = length if end < 0 else end
        equals = text.find("=", start, end)
        last = end == length - 1 and flags.empty_pairs == "refused"
        if last or (end == start and flags.empty_pairs != "kept"):
            raise GrammarError("a parameter is missing beside this &", end, end + 1, "write one & between two")
        if equals < 0 and end > start and not bare:
            raise GrammarError("a parameter has no = and value", start, end, "write it as name=value")
        if flags.equals == "only" and equals >= 0 and (place := text.find("=", equals + 1, end)) >= 0:
            raise GrammarError("a value holds a second =", place, place + 1, "write it as %3D")
        if end > start and not (drops and equals in {-1, end - 1}):
            key_end = end if equals < 0 else equals
            key, value = text[start:key_end], text[key_end + 1 : end]
            if blank_plus:
                key, value = key.replace("+", " "), value.replace("+", " ")
            if escaped:
                key = percent.decode(key) if "%" in key else key
                value = percent.decode(value) if "%" in value else value
                value = percent.decode(value) if flags.twice and "%" in value else value
            # libpq, conninfo_uri_parse_params: ssl=true is read for JDBC's sake
            if flags.instead and f"{key}={value}" in flags.instead:
                key, _, value = flags.instead[f"{key}={value}"].partition("=")
            fields.append(Field("option", key, value, min(key_end + 1, end), end, start))
        start = end + 1


def render_pair(name: str, value: str, dialect: Dialect) -> tuple[str, str]:
    """Write a name and its value.

    Raises
    ------
    CannotHold
        For what would be read back as another pair.
    """
    if dialect.escaping == "percent":
        if value == "" and dialect.empty == "dropped":
            raise CannotHold("an option with an empty value is dropped by the reader")
        return percent.encode(name), percent.encode(percent.encode(value) if dialect.query.twice else value)
    if "&" in value:
        raise CannotHold("nothing is escaped in this URL, and an & would end the value")
    if "&" in name or "=" in name or name == "":
        raise CannotHold("nothing is escaped in this URL, and its name holds & or =")
    return name, value
