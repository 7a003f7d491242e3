"""A short way for the URLs that nearly everyone writes; it gives what the full grammar gives, or nothing.

    tame = prefix [ user [ ":" password ] "@" ] host [ ":" port ] [ "/" database ] [ "?" pair *( "&" pair ) ]

Only letters, digits and a few marks that mean the same in every dialect may stand in its parts, and whole escapes in
the user info and in values, so that of all the flags only those count which `has_usual_places` asks for. Anything else
is left to ``url``. `tests/notation` holds the two against each other.
"""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from . import percent
from .fields import Field

if TYPE_CHECKING:
    from .url import Dialect

# a port of five digits from 60000 on may be beyond the last one, and a dot ends the database of some drivers
_TAME = re.compile(
    r"(?:([\w.~%-]+)(?::([\w.~%-]+))?@)?"
    r"([\w.-]+)(?::([1-9]\d{0,3}|[1-5]\d{4}))?"
    r"(?:/([\w-]+))?"
    r"(?:\?([\w.-]+=[\w.~%/:,-]+(?:&[\w.-]+=[\w.~%/:,-]+)*))?",
    re.ASCII,
)
_ROLES = ("user", "password", "host", "port", "database")
_new = tuple.__new__  # half the time of the class's own call, for ten fields in each URL


def has_usual_places(dialect: Dialect) -> bool:
    """Whether a dialect has the parts of a tame URL in their usual places."""
    return (
        set(_ROLES) <= set(dialect.positions)
        and dialect.path.kind == "database"
        and dialect.path.slash not in {"required", "before-query"}
        and not set(dialect.path.refuses) & set("-_0aA")
        and not dialect.path.schema
        and dialect.user.escaped
        and not dialect.query.twice
        and dialect.escaping == "percent"
        and dialect.characters == "any"
    )


def parse_tame(text: str, dialect: Dialect, prefix: str) -> list[Field] | None:
    """Take a tame URL apart; None where it is not tame, or breaks a rule: the full grammar says which."""
    start = len(prefix)
    match = _TAME.fullmatch(text, start)
    if match is None:
        return None
    if "%" in text and ("%00" in text or percent.find_bad_escape(text, start, len(text)) >= 0):
        return None
    *parts, query = match.groups()
    fields = [_new(Field, ("scheme", None, prefix, 0, start, 0))]
    for role, value in zip(_ROLES, parts):
        if value is not None:
            end = start + len(value)
            decoded = percent.decode(value) if "%" in value else value
            fields.append(_new(Field, (role, None, decoded, start, end, start)))
            start = end + 1  # one character parts each two
    if query is not None:
        instead = dialect.query.instead
        for pair in query.split("&"):
            if pair in instead:
                return None
            name, _, value = pair.partition("=")
            end = start + len(pair)
            decoded = percent.decode(value) if "%" in value else value
            fields.append(_new(Field, ("option", name, decoded, start + len(name) + 1, end, start)))
            start = end + 1
    return fields
