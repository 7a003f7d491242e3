"""Reads names and values, one a line, each with its place: properties, variables, and the INI family.

line = [ "export " ] name separator value
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import NamedTuple

from ..patterns import pattern
from .dialects import Dialect

_ESCAPES = {"t": "\t", "n": "\n", "r": "\r", "f": "\f"}
_UNICODE = pattern(r"u([0-9A-Fa-f]{4})")
_FILLED = pattern(r"\$(?:(\w+)|\{(\w+)(?::?[-=](.*?))?\})", re.DOTALL)


class Line(NamedTuple):
    """A name with its value, a ``section``, or a line that is neither; ``start`` and ``end`` bound what is written.

    Of a pair, ``first`` and ``last`` bound the value with its quotes, ``style`` names those; ``value`` is None where
    it is filled in when it is read, from ``variable`` where that is one, and then it is its default.
    """

    start: int
    end: int
    name: str
    section: bool = False
    pair: bool = False
    first: int = 0
    last: int = 0
    value: str | None = None
    style: str = ""
    variable: str | None = None


def read_lines(text: str, dialect: Dialect) -> Iterator[Line]:
    """Give the lines of a text that say something, in their order."""
    position, size = 0, len(text)
    while position < size:
        start = position
        while start < size and text[start] in " \t\f\r\v":
            start += 1
        end = _line_end(text, start, dialect)
        position = end + 1 + text.startswith("\r\n", end)
        if start >= end or text[start] in dialect.comments:
            continue
        if dialect.sections and text[start] == "[" and (closing := text.find("]", start, end)) > 0:
            name = text[start + 1 : closing]
            yield Line(start + 1, closing, name.strip(), section=True)
            continue
        yield _pair(text, start, end, dialect)


def _pair(text: str, start: int, end: int, dialect: Dialect) -> Line:
    begin = start
    if dialect.prefix and text.startswith(dialect.prefix, begin) and text[begin + len(dialect.prefix) :][:1].isspace():
        begin += len(dialect.prefix)
        begin += len(text[begin:end]) - len(text[begin:end].lstrip())
    stop = _name_end(text, begin, end, dialect)
    if stop is None or not text[begin:stop].strip():
        return Line(start, end, text[start:end].strip())
    raw_name = text[begin:stop].rstrip()
    name = _unescaped(raw_name) if dialect.escapes == "properties" else raw_name
    first = _value_start(text, stop, end, dialect)
    last, value, style = _value(text, first, end, dialect)
    variable = None
    if dialect.expands and style != "'" and value is not None and re.search(r"(?<!\\)\$[\w{(]", text[first:last]):
        match = _FILLED.fullmatch(value)
        variable = None if match is None else match[1] or match[2]
        value = None if match is None else match[3]
    return Line(begin, begin + len(raw_name), name, False, True, first, last, value, style, variable)


def _line_end(text: str, start: int, dialect: Dialect) -> int:
    """The end of a line, or of the last one that it runs on to."""
    comment = text[start : start + 1] in set(dialect.comments)
    while True:
        end = text.find("\n", start)
        end = len(text) if end < 0 else end
        stop = end - (end > start and text[end - 1] == "\r")
        backslashes = stop - len(text[start:stop].rstrip("\\")) - start if dialect.folds and not comment else 0
        if not (backslashes % 2 and end < len(text)):
            return stop
        start = end + 1


def _name_end(text: str, begin: int, end: int, dialect: Dialect) -> int | None:
    position = begin
    while position < end:
        if text[position] == "\\" and dialect.escapes == "properties":
            position += 2
        elif text[position] in dialect.separators:
            return position
        else:
            position += 1
    return end if dialect.escapes == "properties" or dialect.bare else None


def _value_start(text: str, stop: int, end: int, dialect: Dialect) -> int:
    """Behind the separator and its blanks; in a properties file a blank is one, and a sign may follow."""
    position = stop
    while position < end and text[position] in " \t\f":
        position += 1
    if position < end and text[position] in dialect.separators.strip():
        position += 1
        while position < end and not dialect.keeps and text[position] in " \t\f":
            position += 1
    return position


def _value(text: str, first: int, end: int, dialect: Dialect) -> tuple[int, str | None, str]:
    """Give the end of a value as it is written, what it stands for, and its style."""
    raw = text[first:end]
    if dialect.escapes == "properties":
        return end, _unescaped(raw), "properties"
    if dialect.escapes == "everywhere":
        return _escaped_value(raw, first, dialect)
    quote = raw[:1]
    if quote and quote in dialect.quotes:
        closing = _closing(raw, quote, dialect)
        if closing is not None and _says_nothing(raw[closing + 1 :], dialect):
            inner = raw[1:closing]
            value = _double(inner) if quote == '"' and dialect.escapes == "double" else inner
            return first + closing + 1, value, quote
    if dialect.trailing:
        match = re.search(rf"(?:^|\s)[{re.escape(dialect.trailing)}]", raw)
        raw = raw[: match.start()] if match is not None else raw
    raw = raw.rstrip()
    if dialect.loose:
        raw = raw.rstrip(",;").rstrip()
        return first + len(raw), raw.strip("'\"`"), "plain"
    value = raw
    for character in dialect.doubles:
        value = value.replace(character * 2, character)
    return first + len(raw), value, "plain"


def _escaped_value(raw: str, first: int, dialect: Dialect) -> tuple[int, str, str]:
    """A value up to a comment outside quotes; a quote at both ends goes, and backslashes count in any case."""
    stop = _before_comment(raw, dialect)
    raw = raw[:stop].rstrip()
    last, style = first + len(raw), "plain"
    if len(raw) > 1 and raw[0] in dialect.quotes and raw[0] == raw[-1]:
        raw, style = raw[1:-1], raw[0]
    if "\\" in raw:
        raw = re.sub(r"\\(.)", lambda match: dialect.named.get(match[1], match[0]), raw)
    return last, raw, style


def _before_comment(raw: str, dialect: Dialect) -> int:
    quote, escape = "", False
    for place, character in enumerate(raw):
        if character in dialect.quotes and not escape:
            quote = "" if quote == character else quote or character
        elif character in dialect.trailing and not quote:
            return place
        escape = bool(quote) and character == "\\" and not escape
    return len(raw)


def _closing(raw: str, quote: str, dialect: Dialect) -> int | None:
    position = 1
    while position < len(raw):
        if raw[position] == "\\" and quote == '"' and dialect.escapes == "double":
            position += 1
        elif raw[position] == quote:
            return position
        position += 1
    return None


def _says_nothing(rest: str, dialect: Dialect) -> bool:
    bare = rest.strip()
    return not bare or (bool(dialect.trailing) and bare[0] in dialect.trailing)


def _double(inner: str) -> str:
    return re.sub(r"\\(.)", lambda match: match[1] if match[1] in '"\\$`' else match[0], inner, flags=re.DOTALL)


def _unescaped(raw: str) -> str:
    """As java.util.Properties does: a backslash before any character but t n r f u is dropped, and so is a line end."""
    if "\\" not in raw:
        return raw
    made, position = [], 0
    while position < len(raw):
        character = raw[position]
        if character != "\\":
            made.append(character)
            position += 1
            continue
        following = raw[position + 1 : position + 2]
        match = _UNICODE.match(raw, position + 1)
        if match is not None:
            made.append(chr(int(match[1], 16)))
            position = match.end()
        elif following in {"\n", "\r"}:
            position += 2 + raw.startswith("\r\n", position + 1)
            while raw[position : position + 1] in {" ", "\t", "\f"}:
                position += 1
        else:
            made.append(_ESCAPES.get(following, following))
            position += 2
    return "".join(made).encode("utf-16", "surrogatepass").decode("utf-16", "replace")


def read_value(written: str, dialect: Dialect) -> str:
    """Give what a value stands for, as it is written."""
    return _value(written, 0, len(written), dialect)[1] or ""
