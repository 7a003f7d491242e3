"""What gives a secret away in a value that is none by name, as after a text was read with the wrong driver.

The model asks these functions when its values are made, so that a part which only *contains* a secret is a `MaskedText`
from the beginning. In doubt a value is masked: it loses nothing by that but its looks.
"""

from __future__ import annotations

import re

from .secret import MASK, MaskedText

SECRET_WORD = (
    r"pass|pwd|psw|(?:\b|_)pw\b|secret|token|credential|assertion|"
    r"(?:api|access|private|account|scram|ssl|client|shared)[ _.-]?key"
)
_SOUNDS_SECRET = re.compile(SECRET_WORD, re.IGNORECASE)
_INNER = re.compile(rf"(?:{SECRET_WORD})[\w.-]{{0,20}}[\"']?\s*[=:]\s*", re.IGNORECASE)
_PEM = "-----BEGIN"
_COLON = re.compile(r":|%(?:25)*3A", re.IGNORECASE)
_ADDRESS = re.compile(r"[0-9A-Fa-f:.]*(?:%[\w.-]+)?")
_PLAIN_NAME = re.compile(r"[A-Za-z0-9 _.+-]{1,64}")


def sounds_secret(name: str) -> bool:
    """Whether the name of a key says that its value is a secret."""
    return _SOUNDS_SECRET.search(name) is not None


def safe_name(name: str) -> str:
    """Give a key's name as it may be shown: where a text was misread, a password may stand in it."""
    return name if _PLAIN_NAME.fullmatch(name) else MASK


class MaskedName(str):
    """The name of an option that no driver knows, and in which a password may stand: it shows itself masked.

    It stays a text, since names are sorted and looked up; `clear_name` gives it as it stood.
    """

    __slots__ = ()

    def __str__(self) -> str:
        return f"{self.partition('/')[0]}/{MASK}"

    def __repr__(self) -> str:
        return repr(str(self))

    def __format__(self, spec: str) -> str:
        return format(str(self), spec)

    def __deepcopy__(self, memo: object = None) -> MaskedName:
        return self

    def __copy__(self) -> MaskedName:
        return self


def guard_name(full_name: str) -> str:
    """Guard the full name of an option, ``vocabulary/name``."""
    if type(full_name) is not str or _PLAIN_NAME.fullmatch(full_name.partition("/")[2] or full_name):
        return full_name
    return MaskedName(full_name)


def clear_name(name: str) -> str:
    """Give a name as it stood in the text."""
    return str.__str__(name)


def guard(value: str) -> str | MaskedText:
    """Give a value, masked where it holds a secret: a pair with a secret key, a user with a password, a private key."""
    if "=" in value or ":" in value:
        spans = [(found.end(), len(value))] if (found := _INNER.search(value)) is not None else []
        at, slashes = value.rfind("@"), value.find("//")
        colon = value.find(":", slashes + 2 if slashes >= 0 else 0, max(at, 0))
        if colon >= 0:
            spans.append((colon + 1, at))
        if spans:
            start, end = min(spans)[0], max(end for _, end in spans)
            return MaskedText(value, value[:start] + MASK + value[end:])
    if _PEM in value:
        return MaskedText(value, value.partition(_PEM)[0] + _PEM + MASK)
    return value


def guard_path(value: str) -> str | MaskedText:
    """Guard the name of a database or a file: what stands before an ``@`` in it may be the end of a password."""
    if "@" in value[1:]:
        at = value.rfind("@")
        start = value.find(":", 0, at) + 1 or value.rfind("/", 0, at) + 1
        return MaskedText(value, value[:start] + MASK + value[at:]) if at > start else value
    return guard(value)


def guard_user(value: str) -> str | MaskedText:
    """Guard a user: a colon in it, escaped or not, is where a password began when the whole was escaped at once."""
    if (":" in value or "%" in value) and (colon := _COLON.search(value)) is not None:
        return MaskedText(value, value[: colon.end()] + MASK)
    return guard(value)


def guard_host(value: str) -> str | MaskedText:
    """Guard an address: before an ``@`` stands the end of a password, and all of it behind a colon, but for IPv6."""
    if value[:1] == "@":
        return value  # an abstract socket
    at = max(value.rfind("@"), value.upper().rfind("%40")) if "@" in value or "%" in value else -1
    colon = _COLON.search(value) if ":" in value or "%" in value else None
    if colon is not None and (at > colon.start() or not (value[:1] in "/\\" or _ADDRESS.fullmatch(value))):
        end = at if at > colon.end() else len(value)
        return MaskedText(value, value[: colon.end()] + MASK + value[end:])
    if at > 0:
        return MaskedText(value, MASK + value[at:])
    return guard(value)
