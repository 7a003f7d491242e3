"""Spots in one string of a file, by what it says, what it is called, and what it is given to."""

from __future__ import annotations

import binascii
import re
from base64 import b64decode
from collections.abc import Iterator
from dataclasses import replace

from ..model.suspicion import sounds_secret
from ..syntax import language_facts
from ..syntax.literals import Literal, Piece
from .calls import find_call
from .lines import spot
from .pairs import says_secret
from .sifting import PACKED
from .spots import Spot
from .texts import cords_of
from .values import BOTH, is_secret_name, is_secret_value, names_no_secret

# what takes a name and its value, and what takes a password alone
_SETS = re.compile(
    r"(?:.*\.)?(?:set\w*|put\w*|add\w*|define|env|getenv|config|option|property|\w*get\w*|fetch|with\w*|store|insert|"
    r"flags?\.\w+)",
    re.IGNORECASE,
)
_TAKES = re.compile(
    r"(?:.*\.)?(?:set|with|using|use)?_?(?:db|database|user|redis|root|admin|key_?store|trust_?store)?_?"
    r"(?:password|passwd|pwd|passphrase|credentials?)",
    re.IGNORECASE,
)
_QUOTED_NAME = re.compile(r"[:\"'`@]{1,2}([\w.\- ]{1,60})[\"'`]?")
LONGEST_STRING = 10_000  # characters: a longer one is searched as lines are
VALUE_OF = frozenset(
    [
        "value",
        "default",
        "defaultvalue",
        "default_value",
        "#text",
        "stringvalue",
        "content",
        "param-value",
        "env-entry-value",
    ]
)
_FORMATTED = re.compile(r"%s|%v|%q|%@|%\(\w+\)s|%d(?![0-9A-Fa-f])|(?<!\$)\{\d*\}|(?<!\$)\{\d+:[^{}]*\}")
_DOLLARS = re.compile(rf"{_FORMATTED.pattern}|(?<![\\\w$])\$[A-Za-z_]\w*")
_USER_AND_PASSWORD = re.compile(r"[A-Za-z]\w{0,30}/([^/\s@]{2,60})(?:@\S+)?")
IN_BASE64 = re.compile(rf"(?:{PACKED})[A-Za-z0-9+/=]+")


def spot_string(literal: Literal, language: str) -> Iterator[Spot]:
    """Spot what stands in a string: a whole text, a secret, or something that holds one; no comment is asked for."""
    pattern = _DOLLARS if language_facts(language).get("dollars") else _FORMATTED
    if pattern.search(literal.text) is not None:
        literal = literal._replace(pieces=_formatted(literal.pieces, pattern))
    value = literal.text
    call = find_call(literal.call, literal.given, language) if literal.call else None
    base = Spot(
        kind="pair",
        start=literal.position(0),
        end=literal.position(len(value), ends=True),
        text=value,
        names=literal.names,
        engine=None if call is None else call.engine_meant,
        driver=call.driver if call is not None and call.driver and call.reads else None,
        given=literal.given,
        place=literal.place,
        call=literal.call,
        beside=literal.beside,
    )
    if spans := cords_of(value):
        for first, last in spans:
            yield _part(base, literal, first, last, kind="cord")
        return
    role = call.places[literal.place] if call is not None and literal.place < len(call.places) else ""
    name = _secret_name(literal, value)
    if role == "user" and (match := _USER_AND_PASSWORD.fullmatch(value)) is not None:
        yield _part(base, literal, *match.span(1), name="user/password", engine=base.engine or "oracle", told=True)
    elif role == "password" and value.strip() and is_secret_value(value, quoted=True, told=True):
        yield replace(base, name=re.split(r"[.:>]", literal.call)[-1], told=True, how="an argument")
    elif name is not None and "${" not in value[:-1] and is_secret_value(value, quoted=not literal.item):
        both = BOTH.match(value) if "credential" in name.casefold() else None
        yield _part(base, literal, 0 if both is None else both.end(), len(value), name=name)
    elif sounds_secret(value) or says_secret(value):
        for one in spot(value.replace("\n", " ")):
            if one.kind == "pair" and not (one.end == len(value) and one.start < 3):
                yield _part(
                    base,
                    literal,
                    one.start,
                    one.end,
                    name=one.name,
                    beside=(*literal.beside, value[: one.start]),
                    how="a line",
                )
    elif (match := IN_BASE64.search(value)) is not None and (inner := unpacked(match[0])) is not None:
        yield replace(_part(base, literal, *match.span(), kind="cord", how="base64"), text=inner)


def _part(base: Spot, literal: Literal, first: int, last: int, **changes: object) -> Spot:
    start, end = literal.position(first), literal.position(last, ends=True)
    return replace(base, start=start, end=end, text=literal.text[first:last], **changes)  # type: ignore[arg-type]


def _formatted(pieces: tuple[Piece, ...], pattern: re.Pattern[str]) -> tuple[Piece, ...]:
    """The pieces with what a formatting call puts in told apart."""
    made = list[Piece]()
    for piece in pieces:
        if piece.raw != piece.value:
            made.append(piece)
            continue
        at = 0
        for match in pattern.finditer(piece.raw):
            made.append(Piece(piece.start + at, piece.raw[at : match.start()], piece.raw[at : match.start()]))
            made.append(Piece(piece.start + match.start(), match[0], "${x}"))
            at = match.end()
        made.append(Piece(piece.start + at, piece.raw[at:], piece.raw[at:]))
    return tuple(made)


def _secret_name(literal: Literal, value: str) -> str | None:
    """The name that says that a string is a secret: its own, or that of a call with a name before the value."""
    names = literal.names
    own = list(names[-1:])
    if len(names) > 1 and (names[-1].casefold() in VALUE_OF or names[-1].isupper()):
        own.append(names[-2])  # of a variable's default, what it is assigned to
    if names and names[-1].casefold() in VALUE_OF and literal.given:
        own += _quoted(literal.given[0])
    positional = not names or names[-1].casefold() in VALUE_OF
    if positional and literal.call and 0 < literal.place <= 2 and _SETS.fullmatch(literal.call):
        own += _quoted(literal.given[literal.place - 1])
    if any(one.casefold().startswith("encrypted") for one in names[:-1]):
        return None  # a sealed secret: what stands there opens nothing
    for name in own:
        if is_secret_name(name, value) and not names_no_secret(name):
            return name
    if literal.call and literal.size == 1 and _TAKES.fullmatch(literal.call):
        return re.split(r"[.:>]", literal.call)[-1]
    return None


def _quoted(raw: str) -> list[str]:
    match = _QUOTED_NAME.fullmatch(raw)
    return [] if match is None else [match[1]]


def unpacked(raw: str) -> str | None:
    """Give what base64 stands for, where that is a line of text."""
    try:
        made = b64decode(raw, validate=True).decode()
    except (binascii.Error, UnicodeDecodeError):
        return None
    return made.strip() if made.strip().isprintable() else None
