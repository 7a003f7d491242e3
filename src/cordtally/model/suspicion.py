"""What gives a secret away in a value that is none by name, as after a text was read with the wrong driver.

The model asks these functions when its values are made, so that a part which only *contains* a secret is a `MaskedText`
from the beginning. In doubt a value is masked: it loses nothing by that but its looks.
"""

from __future__ import annotations

import re
from typing import NoReturn

from ..patterns import pattern
from .secret import MASK, MaskedText

SECRET_WORD = (
    r"pass|pwd|psw|(?:\b|_)pw\b|secret|token|credential|assertion|"
    r"(?:api|access|private|account|scram|ssl|client|shared)[ _.-]?key|storage_connection_string"
)
_SOUNDS_SECRET = pattern(SECRET_WORD, re.IGNORECASE)
_INNER = pattern(rf"(?:{SECRET_WORD})[\w.-]{{0,20}}[\"']?\s*(?:[=:]|%(?:25)*3[AD])\s*", re.IGNORECASE)
_NO_PATH = pattern(r"://|[?{]|^//[^/]*?(?::|%(?:25)*3A)", re.IGNORECASE)
_PEM = "-----BEGIN"
_COLON = pattern(r":|%(?:25)*3A", re.IGNORECASE)
_ADDRESS = pattern(r"[0-9A-Fa-f:.]*(?:%[\w.-]+)?")
_PLAIN_NAME = pattern(r"[A-Za-z0-9 _.+-]{1,64}")
_WITH_VALUE = pattern(rf"(?:{SECRET_WORD})\w*\s+\S", re.IGNORECASE)


def sounds_secret(name: str) -> bool:
    """Whether the name of a key says that its value is a secret."""
    return _SOUNDS_SECRET.search(name) is not None


def safe_name(name: str) -> str:
    """Give a key's name as it may be shown: where a text was misread, a password may stand in it."""
    return name if _is_plain(name) else MASK


def _is_plain(name: str) -> bool:
    """Whether a name can be one: ``password fog-1``, where an equals sign was forgotten, is none."""
    return _PLAIN_NAME.fullmatch(name) is not None and not (" " in name and _WITH_VALUE.search(name))


class MaskedName(str):
    """The name of an option that no driver knows, and in which a password may stand: it shows itself masked.

    It stays a text, since names are sorted and looked up; `clear_name` gives it as it stood.
    """

    shown: str

    def __new__(cls, text: str, shown: str) -> MaskedName:
        """Make a name that shows itself as ``shown``."""
        made = super().__new__(cls, text)
        made.shown = shown
        return made

    def __str__(self) -> str:
        return self.shown

    def __repr__(self) -> str:
        return repr(self.shown)

    def __format__(self, spec: str) -> str:
        return format(self.shown, spec)

    def __copy__(self) -> MaskedName:
        return self

    def __deepcopy__(self, memo: object = None) -> MaskedName:
        return self

    def __reduce__(self) -> NoReturn:
        raise TypeError("a masked name cannot be pickled")


def guard_name(name: str) -> str:
    """Guard the name of an option."""
    if type(name) is not str or _is_plain(name):
        return name
    return MaskedName(name, MASK)


def guard_full_name(full_name: str) -> str:
    """Guard the full name of an option, ``vocabulary/name``."""
    vocabulary, slash, name = full_name.partition("/")
    if type(full_name) is not str or _is_plain(name if slash else full_name):
        return full_name
    return MaskedName(full_name, f"{vocabulary}/{MASK}")


def clear_name(name: str) -> str:
    """Give a name as it stood in the text."""
    return str.__str__(name)


def guard(value: str) -> str | MaskedText:
    """Give a value, masked where it holds a secret: a pair with a secret key, a user with a password, a private key."""
    return value if _is_tame(value) else _masked(value, _spans(value))


def _is_tame(value: str) -> bool:
    """Whether a value lacks every character without which it holds no secret; asked of nearly every value."""
    return not (
        "=" in value
        or ":" in value
        or "@" in value
        or "%" in value
        or (" " in value and _may_mention(value))
        or _PEM in value
    )


def _may_mention(value: str) -> bool:
    """Whether a value has the letters of a secret word: the patterns take ten times as long to find that it has not."""
    low = value.lower()
    return (
        "pass" in low
        or "key" in low
        or "secret" in low
        or "token" in low
        or "pw" in low
        or "psw" in low
        or "credential" in low
        or "assertion" in low
        or "connection_string" in low
    )


def guard_path(value: str) -> str | MaskedText:
    """Guard the name of a database or a file: what stands before an ``@`` in it may be the end of a password."""
    if _is_tame(value) and "?" not in value and "{" not in value and value[:2] != "//":
        return value
    spans = _spans(value)
    # a whole connection text that was taken for a name
    if (found := _NO_PATH.search(value)) is not None:
        spans.append((found.end(), len(value)))
    if "@" in value[1:]:
        at = value.rfind("@")
        spans.append((value.find(":", 0, at) + 1 or value.rfind("/", 0, at) + 1, at))
    return _masked(value, spans)


def _spans(value: str) -> list[tuple[int, int]]:
    spans = []
    told = _may_mention(value)
    if "=" in value or ":" in value or "%" in value:
        if told and (found := _INNER.search(value)) is not None:
            spans.append((found.end(), len(value)))
        at, slashes = value.rfind("@"), value.find("//")
        colon = value.find(":", slashes + 2 if slashes >= 0 else 0, max(at, 0))
        if colon >= 0:
            spans.append((colon + 1, at))
    if told and " " in value and (found := _WITH_VALUE.search(value)) is not None:
        spans.append((found.end() - 1, len(value)))
    if _PEM in value:
        spans.append((value.find(_PEM) + len(_PEM), len(value)))
    return spans


def _masked(value: str, spans: list[tuple[int, int]]) -> str | MaskedText:
    """Mask a value from the first doubtful place to the last one."""
    spans = [(start, end) for start, end in spans if end > start]
    if not spans:
        return value
    start, end = min(spans)[0], max(end for _, end in spans)
    return MaskedText(value, value[:start] + MASK + value[end:])


def guard_user(value: str) -> str | MaskedText:
    """Guard a user: a colon in it, escaped or not, is where a password began when the whole was escaped at once."""
    if _is_tame(value):
        return value
    if (":" in value or "%" in value) and (colon := _COLON.search(value)) is not None:
        return MaskedText(value, value[: colon.end()] + MASK)
    return guard(value)


def guard_host(value: str) -> str | MaskedText:
    """Guard an address: before an ``@`` stands the end of a password, and all of it behind a colon, but for IPv6."""
    if _is_tame(value) or value[:1] == "@":  # an abstract socket
        return value
    at = max(value.rfind("@"), value.upper().rfind("%40")) if "@" in value or "%" in value else -1
    colon = _COLON.search(value) if ":" in value or "%" in value else None
    spans = _spans(value)
    if at > 0:
        spans.append((colon.end() if colon is not None and colon.start() < at else 0, at))
    elif colon is not None and not (value[:1] in "/\\" or _ADDRESS.fullmatch(value)):
        spans.append((colon.end(), len(value)))
    return _masked(value, spans)
