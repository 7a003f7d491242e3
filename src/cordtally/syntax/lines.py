"""Files of names and values, one a line: properties, variables, and the INI family; what differs is a `Dialect`.

    line = [ "export " ] name separator value

Continuation lines, quotes and escapes are those of the reader that the file is for, since they differ in just what
matters: whether ``#`` in a value begins a comment, whether quotes belong to it, what a backslash does.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Literal

from ..errors import FieldError
from ..patterns import pattern
from ..records import Record
from .nodes import Node


class Dialect(Record):
    """How one reader takes lines.

    ``separators`` part a name from its value; ``comments`` begin a line that says nothing, ``trailing`` a comment
    behind a value (with a blank before it); ``quotes`` are taken off a value; ``escapes`` are those of ``properties``,
    or heeded in ``double`` quotes, or ``never``. With ``sections`` a name in brackets stands before the names below it.
    ``folds`` joins a line that ends in a backslash to the next one; ``prefix`` is a word before a name; what is
    ``plain`` may be written without quotes. Of two equal names the ``first`` or the ``last`` counts.
    """

    separators: str = "="
    comments: str = "#"
    trailing: str = ""
    quotes: str = ""
    escapes: Literal["properties", "double", "never"] = "never"
    sections: bool = False
    folds: bool = False
    prefix: str = ""
    wins: Literal["first", "last"] = "last"
    ascii_only: bool = False
    plain: str = r"[^\s\"'#$\\;`]*"


DIALECTS = {
    # java.util.Properties.load; ISO 8859-1, so that other characters are written as escapes
    "properties": Dialect(
        separators="=: \t\f", comments="#!", escapes="properties", folds=True, ascii_only=True, plain=""
    ),
    # what the readers of variables files agree on: the words of a shell that expand nothing
    "variables": Dialect(trailing="#", quotes="\"'", escapes="double", prefix="export", plain=r"[\w./:@%+,=-]*"),
    "ini": Dialect(separators="=:", comments="#;", sections=True, plain=r"[^\r\n]*"),
    # libpq: no blanks around the sign, and the first of two lines counts
    "service": Dialect(sections=True, wins="first", plain=r"[^\r\n]*"),
    "odbc": Dialect(comments="#;", sections=True, wins="first", plain=r"[^\r\n]*"),
}
_ESCAPES = {"t": "\t", "n": "\n", "r": "\r", "f": "\f"}
_UNICODE = pattern(r"u([0-9A-Fa-f]{4})")


def parse_lines(text: str, dialect: Dialect) -> Node:
    """Give the tree of such a file: a map of names, or of sections; lines that are none of the kind are passed over."""
    root = Node("map", 0, len(text))
    into, position = root, 0
    for line in text.splitlines(keepends=True):
        start, position = position, position + len(line)
        if start < _end_of_last(root):
            continue  # the line before ran on into this one
        bare = line.strip()
        if not bare or bare[0] in dialect.comments:
            continue
        if dialect.sections and bare[0] == "[" and "]" in bare:
            begin = start + line.index("[") + 1
            name = bare[1 : bare.index("]")]
            into = Node("map", position, position)
            root.pairs.append((Node("scalar", begin, begin + len(name), name.strip()), into))
            continue
        pair = _pair(text, start, dialect)
        if pair is not None:
            into.pairs.append(pair)
    return root


def _end_of_last(root: Node) -> int:
    pairs = root.pairs
    while pairs and pairs[-1][1].kind == "map" and pairs[-1][1].pairs:
        pairs = pairs[-1][1].pairs
    return pairs[-1][1].end if pairs else 0


def _pair(text: str, start: int, dialect: Dialect) -> tuple[Node, Node] | None:
    end = _line_end(text, start, dialect)
    begin = start + len(text[start:end]) - len(text[start:end].lstrip())
    if dialect.prefix and text.startswith(dialect.prefix, begin) and text[begin + len(dialect.prefix) :][:1].isspace():
        begin += len(dialect.prefix)
        begin += len(text[begin:end]) - len(text[begin:end].lstrip())
    stop = _name_end(text, begin, end, dialect)
    if stop is None or not text[begin:stop].strip():
        return None
    raw_name = text[begin:stop].rstrip()
    name = _unescaped(raw_name) if dialect.escapes == "properties" else raw_name
    first = _value_start(text, stop, end, dialect)
    last, value, style = _value(text, first, end, dialect)
    return Node("scalar", begin, begin + len(raw_name), name), Node("scalar", first, last, value, style)


def _line_end(text: str, start: int, dialect: Dialect) -> int:
    """The end of a line, or of the last one that it runs on to."""
    while True:
        end = text.find("\n", start)
        end = len(text) if end < 0 else end
        line = text[start:end].rstrip("\r")
        backslashes = len(line) - len(line.rstrip("\\"))
        if not (dialect.folds and backslashes % 2 and end < len(text)):
            return end - (text[start:end].endswith("\r"))
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
    return end if dialect.escapes == "properties" else None


def _value_start(text: str, stop: int, end: int, dialect: Dialect) -> int:
    """Behind the separator and its blanks; in a properties file a blank is one, and a sign may follow."""
    position = stop
    while position < end and text[position] in " \t\f":
        position += 1
    if position < end and text[position] in dialect.separators.strip():
        position += 1
        while position < end and text[position] in " \t\f":
            position += 1
    return position


def _value(text: str, first: int, end: int, dialect: Dialect) -> tuple[int, str | None, str]:
    """Give the end of a value as it is written, what it stands for, and its style."""
    raw = text[first:end]
    if dialect.escapes == "properties":
        return end, _unescaped(raw), "properties"
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
    return first + len(raw), raw, "plain"


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


def encode_value(value: str, style: str, dialect: Dialect) -> str:
    """Write a value for the reader of a dialect, in the style that it had where that can hold it; read back as it is.

    Raises
    ------
    FieldError
        When no style of the dialect can hold it.
    """
    writers: tuple[Callable[[str], str], ...] = (_escaped,)
    if dialect.escapes != "properties":
        order = [style, "plain", "'", '"']
        writers = tuple(_WRITERS[one] for one in dict.fromkeys(order) if one == "plain" or one in dialect.quotes)
    for write in writers:
        made = write(value)
        # readers take blanks off both ends, Python's those that are no ASCII, too
        if write is _plain and (re.fullmatch(dialect.plain, value) is None or value != value.strip()):
            continue
        if _stands_alone(made, value, dialect):
            return made
    raise FieldError("this kind of file cannot hold the new value so that all of its readers see it")


def _stands_alone(made: str, value: str, dialect: Dialect) -> bool:
    """Whether a line with it is one line, and is read as it."""
    if not {"\n", "\r"}.isdisjoint(made):
        return False
    pairs = parse_lines(f"k={made}", dialect).pairs
    return len(pairs) == 1 and (pairs[0][1].value, pairs[0][1].end) == (value, 2 + len(made))


def _plain(value: str) -> str:
    return value


def _single(value: str) -> str:
    return f"'{value}'"


def _quoted(value: str) -> str:
    return '"' + re.sub(r'(["\\$`])', r"\\\1", value) + '"'


def _escaped(value: str) -> str:
    made = []
    for index, character in enumerate(value):
        if character == "\\" or (character == " " and index == 0):
            made.append("\\" + character)
        elif character in "\t\n\r\f":
            made.append("\\" + {v: k for k, v in _ESCAPES.items()}[character])
        elif " " <= character <= "~":
            made.append(character)
        else:
            pairs = character.encode("utf-16-be", "surrogatepass")
            made += [f"\\u{pairs[i] << 8 | pairs[i + 1]:04x}" for i in range(0, len(pairs), 2)]
    return "".join(made)


_WRITERS: dict[str, Callable[[str], str]] = {"plain": _plain, "'": _single, '"': _quoted}
