"""Decodes scalars as their format's readers do, and encodes new values: exactly, or not at all."""

from __future__ import annotations

import binascii
import json
import re
from base64 import b64decode, b64encode
from collections.abc import Callable

from ..errors import FieldError, MissingExtra
from ..patterns import pattern
from .languages import load_forms
from .strings import decode_string, encode_string

# what no YAML reader takes for anything but text (config-facts: five readers of one scalar)
_TAME = pattern(r"[A-Za-z/](?:[\w./@%+=;,?&~-]|:(?=[^\s]))*", re.ASCII)
_WORDS = frozenset(["y", "n", "yes", "no", "on", "off", "true", "false", "null", "none", "nan", "inf"])


def decode(raw: str, style: str) -> str | None:
    """Give the text that a scalar stands for; None for null, and for what cannot be decoded."""
    forms = () if style in _DECODERS else load_forms(style)
    try:
        return decode_string(raw, forms) if forms else _DECODERS[style](raw)
    except (ValueError, KeyError, SyntaxError, binascii.Error):
        return None


def encode(value: str, style: str, raw: str = "") -> str:
    """Write a value where a scalar of that style stood (``raw``), in the same way where that can hold it.

    Raises
    ------
    FieldError
        When no style of the format can hold it, or it stood there in several pieces.
    """
    if style == "joined":
        raise FieldError("the old value is put together from several pieces: edit it by hand")
    forms = () if style in _WRITERS else load_forms(style)
    if forms and (written := encode_string(value, raw, forms)) is not None:
        return written
    writers = _WRITERS.get(style, ())
    for candidate in reversed(writers) if style == "python" and raw.endswith('"') else writers:
        made = candidate(value)
        if made is not None:
            return made
    raise FieldError("this file's format cannot hold the new value")


def _of_json(raw: str) -> str | None:
    if raw[0] == '"' and "\\" not in raw:
        return raw[1:-1]
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


def _of_attribute(raw: str) -> str:
    # an XML reader makes blanks of line ends and tabs in an attribute (XML 1.0, 3.3.3)
    return _of_markup(re.sub(r"\r\n|[\r\n\t]", " ", raw[1:-1]))


def _of_markup(raw: str) -> str:
    """Replace the five entities that every XML has, and numbered characters; others are a file's own."""
    from xml.sax.saxutils import unescape

    if raw.startswith("<![CDATA[") and raw.endswith("]]>"):
        return raw[9:-3]
    plain = re.sub(r"&#(?:x([0-9A-Fa-f]+)|(\d+));", lambda m: chr(int(m[1], 16) if m[1] else int(m[2])), raw)
    made = unescape(plain, {"&quot;": '"', "&apos;": "'"})
    if "<" in raw or re.search(r"&[A-Za-z]\w*;", re.sub(r"&(?:amp|lt|gt|quot|apos);", "", raw)):
        raise ValueError("markup or an entity of the file's own")
    return made


def _as_markup(value: str, extra: dict[str, str]) -> str | None:
    from xml.sax.saxutils import escape

    if re.search("[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]", value):
        return None  # XML 1.0 has no such characters, escaped or not
    return escape(value, extra)


def _as_attribute(quote: str) -> Callable[[str], str | None]:
    extra = {"\t": "&#9;", "\n": "&#10;", "\r": "&#13;", quote: "&quot;" if quote == '"' else "&apos;"}

    def write(value: str) -> str | None:
        made = _as_markup(value, extra)
        return None if made is None else f"{quote}{made}{quote}"

    return write


def _as_text(value: str) -> str | None:
    # readers trim an element's text: blanks at its ends would be lost
    return _as_markup(value, {"\r": "&#13;"}) if value == value.strip() and value else None


def _of_python(raw: str) -> str | None:
    from ast import literal_eval

    value = literal_eval(raw)
    return value if isinstance(value, str) else None


def _as_python(quote: str) -> Callable[[str], str | None]:
    def write(value: str) -> str | None:
        inner = json.dumps(value, ensure_ascii=not value.isprintable())[1:-1].replace('\\"', '"')
        made = f"{quote}{inner.replace(quote, chr(92) + quote)}{quote}"
        return made if _of_python(made) == value else None

    return write


def _of_toml(raw: str) -> str | None:
    from tomllib import loads

    value = loads(f"k = {raw}")["k"]
    return value if isinstance(value, str) else None


def _as_toml(value: str) -> str | None:
    written = json.dumps(value, ensure_ascii=False)
    if not value.isprintable():  # TOML has \U for what is beyond four digits, and no pairs of surrogates
        written = '"' + "".join(c if c.isprintable() and c not in '"\\' else f"\\U{ord(c):08x}" for c in value) + '"'
    return written if _of_toml(written) == value else None


def _as_number(value: str) -> str | None:
    return value if value.isascii() and value.isdigit() and (value == "0" or value[0] != "0") else None


def _as_base64(value: str) -> str:
    return b64encode(value.encode()).decode("ascii")


def _of_base64(raw: str) -> str:
    return b64decode(raw, validate=True).decode()


def _as_part(value: str) -> str | None:
    """A part of a longer text, in which nothing is quoted."""
    return value if {"\n", "\r", "\0"}.isdisjoint(value) else None


def _as_word(value: str) -> str | None:
    """A word among several, as systemd reads them: a percent stands twice, and what needs quotes is none."""
    return value.replace("%", "%%") if re.fullmatch(r"[^\s\"'\\$]+", value) else None


def _as_quoted_word(value: str) -> str | None:
    escaped = re.sub(r"([\\\"'])", r"\\\1", value).replace("%", "%%")
    return escaped if value.isprintable() else None


def _as_alias(value: str) -> str | None:
    """A descriptor, or what stands in one line; no names file has an escape (config-facts)."""
    whole = bool(value) and value.count("(") == value.count(")") and value.strip() == value and "#" not in value
    return value if whole and (value[:1] == "(") == (value[-1:] == ")") and "\n" not in value else None


_DECODERS: dict[str, Callable[[str], str | None]] = {
    "json": _of_json,
    "yaml-plain": _of_yaml,
    "yaml-single": _of_yaml,
    "yaml-double": _of_yaml,
    "yaml-block": _of_yaml,
    "xml-double": _of_attribute,
    "xml-single": _of_attribute,
    "xml-text": _of_markup,
    "python": _of_python,
    "toml": _of_toml,
    "json-number": str,
    "number": str,
    "word": str,
    "alias": str,
    "part": str,
    "base64": _of_base64,
}
_WRITERS: dict[str, tuple[Callable[[str], str | None], ...]] = {
    "json": (_as_json,),
    "yaml-plain": (_as_plain, _as_single, _as_double),
    "yaml-single": (_as_single, _as_double),
    "yaml-double": (_as_double, _as_single),
    "yaml-block": (_as_single, _as_double),
    "xml-double": (_as_attribute('"'),),
    "xml-single": (_as_attribute("'"),),
    "xml-text": (_as_text,),
    "python": (_as_python("'"), _as_python('"')),
    "toml": (_as_toml,),
    "json-number": (_as_number, _as_json),
    "number": (_as_number,),
    "alias": (_as_alias,),
    "part": (_as_part,),
    "base64": (_as_base64,),
    "unit-word": (_as_word,),
    "unit-quoted": (_as_quoted_word,),
}
