"""Oracle's JDBC URL: user and password before an @, and behind it an address in one of many forms.

    text = prefix [ user [ "/" password ] ] "@" ( host ":" port ":" sid | alias "?TNS_ADMIN=" folder | any other one )

The identifier is an option of its own, ``(connect)``; the old form with a SID is taken apart here.
Source: public documentation of Oracle's JDBC driver 23 (not checked against an installed driver).
"""

from __future__ import annotations

import re
from collections.abc import Sequence

from ..text import GrammarError, Piece, as_text, join, piece_of
from .fields import CannotHold, Field, Parsed, Refused, Rendered
from .grammar import BaseDialect, is_no_object

_SID = re.compile(r"(\[[^\]]+\]|[^:/()@?,]+):(\d{1,5}):([\w$#.-]+)")
_ALIAS_AND_FOLDER = re.compile(r"([\w.-]+)\?TNS_ADMIN=([^&]*)")
_ALIAS = re.compile(r"[\w.-]+")
_SAFE = re.compile(r"[^\s/@\"?():;&=]+")


class Dialect(BaseDialect):
    """No flags."""

    positions: tuple[str, ...] = ("user", "password")


def looks_like(text: str) -> int:
    """Its prefix tells it; without that it is read only when its driver is named."""
    return is_no_object(text)


def parse(text: str, dialect: Dialect, prefix: str) -> Parsed:
    """Take a URL apart.

    Raises
    ------
    GrammarError
        For a URL without an @.
    """
    fields = [Field("scheme", None, prefix, 0, len(prefix), 0)]
    start = len(prefix)
    # a later @ ends a password that holds one, but what stands behind a parenthesis or ? is of the address
    first = text.find("@", start)
    stops = (text.find("(", start), text.find("?", max(first, start)))
    at = first if first == start else text.rfind("@", start, min((s for s in stops if s >= 0), default=len(text)))
    if at < 0:
        hint = "it stands there without a user, too"
        raise GrammarError("the @ before the address is missing", start, len(text), hint)
    slash = text.find("/", start, at)
    user_end = at if slash < 0 else slash
    if user_end > start:
        fields.append(Field("user", None, _unquote(text[start:user_end]), start, user_end, start))
    if slash >= 0:
        fields.append(Field("password", None, _unquote(text[slash + 1 : at]), slash + 1, at, slash + 1))
    _address(text, at + 1, fields)
    return Parsed(text, tuple(fields))


def _address(text: str, start: int, fields: list[Field]) -> None:
    """``host ":" port ":" sid | alias "?TNS_ADMIN=" folder | any other one``."""
    match = _SID.fullmatch(text, start)
    if match is not None:
        host = match[1].strip("[]")
        inset = 1 if match[1].startswith("[") else 0
        fields.append(Field("host", None, host, match.start(1) + inset, match.end(1) - inset, match.start(1)))
        fields.append(Field("port", None, match[2], *match.span(2), match.start(2)))
        fields.append(Field("option", "SID", match[3], *match.span(3), match.start(3)))
    elif (match := _ALIAS_AND_FOLDER.fullmatch(text, start)) is not None:
        fields.append(Field("option", "(connect)", match[1], *match.span(1), match.start(1)))
        fields.append(Field("option", "TNS_ADMIN", match[2], *match.span(2), match.end(1) + 1))
    elif start < len(text):
        fields.append(Field("option", "(connect)", text[start:], start, len(text), start))


def _unquote(raw: str) -> str:
    return raw[1:-1] if len(raw) > 1 and raw[0] == raw[-1] == '"' else raw


def render(fields: Sequence[Field], dialect: Dialect, prefix: str) -> Rendered:
    """Write a URL; a user or password that would be read as something else is refused."""
    refused: list[Refused] = []
    head: list[Piece] = []
    connect: list[Piece] = []
    folder: Field | None = None
    named = any(f.role == "user" and _SAFE.fullmatch(as_text(f.value)) for f in fields)
    for part in fields:
        value = as_text(part.value)
        try:
            if part.role in {"user", "password"}:
                if _SAFE.fullmatch(value) is None or (part.role == "password" and not named):
                    raise CannotHold(  # noqa: TRY301 -- booked below
                        "nothing is escaped in this URL: pass user and password apart from it"
                    )
                head += [Piece("/")] if part.role == "password" else []
                head.append(piece_of(part.value, value))
            elif part.name == "(connect)":
                connect = [piece_of(part.value, value)]
            elif part.name == "TNS_ADMIN" and "&" not in value:
                folder = part
            else:
                raise CannotHold("it has no place in this URL")  # noqa: TRY301 -- booked below
        except CannotHold as problem:
            refused.append(Refused(part, problem.reason))
    if folder is not None and connect and _ALIAS.fullmatch(join(connect)):
        connect += [Piece("?TNS_ADMIN="), piece_of(folder.value, as_text(folder.value))]
    elif folder is not None:
        refused.append(Refused(folder, "a folder of aliases has a place only behind an alias"))
    return Rendered([Piece(prefix), *head, Piece("@"), *connect], refused)
