"""Decodes scalars as their format's readers do, and encodes new values: exactly, or not at all."""

from __future__ import annotations

import json
import re
from collections.abc import Callable

from ..errors import FieldError, MissingExtra
from ..patterns import pattern

# what no YAML reader takes for anything but text (config-facts: five readers of one scalar)
_TAME = pattern(r"[A-Za-z/](?:[\w./@%+=;,?&~-]|:(?=[^\s]))*", re.ASCII)
_WORDS = frozenset(["y", "n", "yes", "no", "on", "off", "true", "false", "null", "none", "nan", "inf"])


def decode(raw: str, style: str) -> str | None:
    """Give the text that a scalar stands for; None for null, and for what cannot be decoded."""
    try:
        return _DECODERS[style](raw)
    except (ValueError, KeyError):
        return None


def encode(value: str, style: str) -> str:
    """Write a value where a scalar of that style stood, in the same style where that can hold it.

    Raises
    ------
    FieldError
        When no style of the format can hold it.
    """
    for candidate in _WRITERS[style]:
        made = candidate(value)
        if made is not None:
            return made
    raise FieldError("this file's format cannot hold the new value")


def _of_json(raw: str) -> str | None:
    value = json.loads(raw)
    return value if isinstance(value, str) else None if value is None else raw


def _of_yaml(raw: str) -> str | None:
    try:
        import yaml
    except ImportError:
        raise MissingExtra("PyYAML", "files", "reading YAML") from None
    try:
        value = yaml.load(f"k: {raw}", Loader=yaml.BaseLoader)["k"]
    except (yaml.YAMLError, TypeError):
        return None
    return value if isinstance(value, str) else None


def _as_json(value: str) -> str:
    return json.dumps(value, ensure_ascii=False)


def _as_plain(value: str) -> str | None:
    tame = _TAME.fullmatch(value) is not None and value.casefold() not in _WORDS and not value.endswith(":")
    return value if tame and _of_yaml(value) == value else None


def _as_single(value: str) -> str | None:
    written = "'" + value.replace("'", "''") + "'"
    return written if value.isprintable() and _of_yaml(written) == value else None


def _as_double(value: str) -> str | None:
    written = json.dumps(value, ensure_ascii=not value.isprintable())
    return written if _of_yaml(written) == value else None


_DECODERS: dict[str, Callable[[str], str | None]] = {
    "json": _of_json,
    "yaml-plain": _of_yaml,
    "yaml-single": _of_yaml,
    "yaml-double": _of_yaml,
    "yaml-block": _of_yaml,
}
_WRITERS: dict[str, tuple[Callable[[str], str | None], ...]] = {
    "json": (_as_json,),
    "yaml-plain": (_as_plain, _as_single, _as_double),
    "yaml-single": (_as_single, _as_double),
    "yaml-double": (_as_double, _as_single),
    "yaml-block": (_as_single, _as_double),
}
