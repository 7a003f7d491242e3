"""Gives the characters of a file, whatever wrote it: UTF-8 with or without a mark, UTF-16 and UTF-32 with one."""

from __future__ import annotations

import codecs

_PROBE = 8192
# the longer marks first: UTF-32's begins as UTF-16's does
_MARKS = (
    (codecs.BOM_UTF32_LE, "utf-32"),
    (codecs.BOM_UTF32_BE, "utf-32"),
    (codecs.BOM_UTF16_LE, "utf-16"),
    (codecs.BOM_UTF16_BE, "utf-16"),
)


def encoding_of(source: bytes) -> str | None:
    """Name the encoding that a file begins to be in; None where it is no text, as a zero byte tells."""
    for mark, name in _MARKS:
        if source.startswith(mark):
            return name
    return None if b"\0" in source[:_PROBE] else "utf-8-sig"


def decoded(source: bytes) -> str | None:
    """Give the characters of a file; bytes that are none stay as surrogates (PEP 383), and what is no text is None."""
    name = encoding_of(source)
    return None if name is None else source.decode(name, "surrogateescape" if name == "utf-8-sig" else "replace")
