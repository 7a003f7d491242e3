"""The user info of a URL: who logs in.

user-info = user [ ":" password ]
"""

from __future__ import annotations

from typing import Literal

from ..patterns import pattern
from ..records import Record
from ..text import GrammarError
from . import percent
from .fields import CannotHold, Field
from .remarks import Case, Remark
from .searching import end_of

_ESCAPED = pattern(r"(?:[A-Za-z0-9._~-]++|%[0-9A-Fa-f]{2})*+")  # possessive: else a long name takes for ever
_TROUBLE = frozenset("@/?#:[] %&+")


class User(Record):
    """How the user info is read.

    ``at`` says which ``@`` ends it: the ``first`` or the ``last``, before any of ``stops``; where the first colon must
    come before a ``colon_before``, as libpq has it, that decides instead. With ``plus`` = ``blank`` a ``+`` is one;
    ``allowed`` lists all that may stand there beside ASCII letters and digits, where it lists anything; where an @
    ``behind`` the authority is ``refused``, or ``refused-alone``, where no other is, it shows a part that ended early;
    ``strict`` refuses what must be escaped and a password without a user; ``needs_host`` refuses an ``@`` at the end.
    Where nothing is ``escaped``, user and password are what stands there (vertica-python). What stands ``alone``,
    without a colon, is the user, or the password.
    """

    at: Literal["first", "last"] = "first"
    stops: str = "/?#"
    colon_before: Literal["", "/"] = ""
    plus: Literal["literal", "blank"] = "literal"
    allowed: str = ""
    behind: Literal["kept", "refused", "refused-alone"] = "kept"
    strict: bool = False
    needs_host: bool = False
    alone: Literal["user", "password"] = "user"
    escaped: bool = True


def parse_user(text: str, start: int, flags: User, fields: list[Field], remarks: list[Remark]) -> int:
    """``[ user [ ":" password ] "@" ]``: take it apart where there is one, and give the place behind it.

    Raises
    ------
    GrammarError
        Where the dialect is strict and the part must be escaped.
    """
    # SQLAlchemy and tokio-postgres stop at nothing: even a slash may stand in a password there
    limit = end_of(text, start, flags.stops) if flags.stops else len(text)
    colon = text.find(":", start, limit)
    if flags.colon_before:
        # libpq (conninfo_uri_parse_options): up to the first : @ or /; behind a colon, up to the next @
        slash = text.find(flags.colon_before, start, limit)
        run = min(p for p in (colon, slash, limit) if p >= 0)
        at = text.find("@", colon, limit) if colon == run else -1
        if at < 0:
            colon, at = -1, text.rfind("@", start, run)
    elif flags.at == "last":
        at = text.rfind("@", start, limit)
    else:
        at = text.find("@", start, limit)
    if (flags.behind == "refused" or (flags.behind == "refused-alone" and at < 0)) and (
        later := text.find("@", limit)
    ) >= 0:
        hint = f"write it as {percent.encode(text[limit])}"
        raise GrammarError("a user name or password ends here, and an @ follows", limit, later + 1, hint)
    if at < 0:
        return start
    # the colon of a port, behind the @
    if colon > at:
        colon = -1
    if flags.strict:
        _refuse_loose(text, start, at, colon, flags.stops)
    if flags.allowed:
        _refuse_all_but(flags.allowed, text, start, at)
    user_end = at if colon < 0 else colon
    if user_end > start:
        raw = text[start:user_end]
        role = flags.alone if colon < 0 else "user"
        fields.append(Field(role, None, _decoded(raw, flags), start, user_end, start))
        _remark_raw("user name" if role == "user" else "password", raw, start, user_end, remarks)
    if colon >= 0:
        raw = text[colon + 1 : at]
        fields.append(Field("password", None, _decoded(raw, flags), colon + 1, at, colon + 1))
        _remark_raw("password", raw, colon + 1, at, remarks)
    return at + 1


def _decoded(raw: str, flags: User) -> str:
    if not flags.escaped:
        return raw
    return percent.decode(raw.replace("+", " ") if flags.plus == "blank" else raw)


def _refuse_all_but(allowed: str, text: str, start: int, at: int) -> None:
    """Refuse any other character (Go, net/url: validUserinfo)."""
    for place, character in enumerate(text[start:at], start):
        if not (character.isascii() and character.isalnum()) and character not in allowed:
            hint = f"write it as {percent.encode(character)}"
            raise GrammarError("this character must be escaped in a user name or password", place, place + 1, hint)


def _refuse_loose(text: str, start: int, at: int, colon: int, stops: str) -> None:
    place = text.find("@", start, at)
    if place < 0 and colon >= 0:
        place = text.find(":", colon + 1, at)
    if place < 0 and not stops:
        # the MongoDB driver for Go (connstring.go: parse) looks for an @ in the whole text
        place = text.find("/", start, at)
        if place < 0 and (later := text.find("@", at + 1, end_of(text, at + 1, "/?"))) >= 0:
            place = later
    if place >= 0:
        hint = f"write it as {percent.encode(text[place])}"
        raise GrammarError("this character must be escaped in a user name or password", place, place + 1, hint)
    if start in {at, colon}:
        raise GrammarError("a user name is missing before the @", start, at + 1)


def _remark_raw(what: str, raw: str, start: int, end: int, remarks: list[Remark]) -> None:
    # three tests, the cheapest first: nearly all names and passwords leave at one of them
    if raw.isalnum() or _TROUBLE.isdisjoint(raw) or _ESCAPED.fullmatch(raw):
        return
    found = [c for c in dict.fromkeys(raw) if c in _TROUBLE and c not in "%+"]
    if percent.find_bad_escape(raw, 0, len(raw)) >= 0:
        found.append("%")
    if found:
        shown = " ".join("a blank" if c == " " else c for c in found)
        facts = {"part": what, "characters": shown, "first": found[0], "escaped": f"%{ord(found[0]):02X}"}
        remarks.append(Remark(Case.UNESCAPED, start, end, facts))


def render_user(value: str, flags: User) -> str:
    """Write a user.

    Raises
    ------
    CannotHold
        For an empty one, where the dialect is strict.
    """
    if value == "" and flags.strict:
        raise CannotHold("an empty user name cannot stand here")
    return percent.encode(value) if flags.escaped else _as_it_is(value, flags.stops + ":@[]")


def render_password(value: str, flags: User) -> str:
    """Write a password.

    Raises
    ------
    CannotHold
        For what would end it, where nothing is escaped.
    """
    return percent.encode(value) if flags.escaped else _as_it_is(value, flags.stops + "@[]")


def _as_it_is(value: str, ends: str) -> str:
    if not value.isascii() or not value.isprintable() or not set(ends).isdisjoint(value):
        raise CannotHold(
            f"the driver decodes no escapes here, so that it holds plain characters alone, and none of {ends}"
        )
    return value
