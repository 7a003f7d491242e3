"""Percent-encoding (RFC 3986, section 2.1) of UTF-8, without losing a byte that is not UTF-8."""

from __future__ import annotations

import re
from urllib.parse import quote, unquote

from .fields import CannotHold

_ASCII = {f"{code:02{form}}": chr(code) for code in range(128) for form in "xX"}
_SAFE = re.compile(r"[A-Za-z0-9._~-]*", re.ASCII)
_BAD = re.compile(r"%(?![0-9A-Fa-f]{2})")


def find_bad_escape(text: str, start: int, end: int) -> int:
    """Find a ``%`` that two hexadecimal digits do not follow; -1 where there is none."""
    if text.find("%", start, end) < 0:
        return -1
    match = _BAD.search(text, start, end)
    return -1 if match is None else match.start()


def decode(text: str) -> str:
    """Decode escapes; bytes that are not UTF-8 become lone surrogates, which `encode` turns back."""
    if "%" not in text:
        return text
    first, *rest = text.split("%")
    out = [first]
    for piece in rest:
        character = _ASCII.get(piece[:2])
        if character is None:  # UTF-8, or no escape at all
            return unquote(text, errors="surrogateescape")
        out += (character, piece[2:])
    return "".join(out)


def encode(value: str, safe: str = "") -> str:
    """Escape everything but letters, digits, ``-._~`` and the safe characters.

    Raises
    ------
    CannotHold
        For half a surrogate pair, which no encoding can hold.
    """
    if _SAFE.fullmatch(value):
        return value
    try:
        return quote(value, safe=safe, errors="surrogateescape")
    except UnicodeEncodeError:
        raise CannotHold("half a surrogate pair has no UTF-8 form") from None
