"""Writes a value for the reader of a dialect of lines, and reads it back before it is given."""

from __future__ import annotations

import re
from collections.abc import Callable

from ..errors import FieldError
from .dialects import Dialect
from .reading import read_lines

_ESCAPES = {"\t": "t", "\n": "n", "\r": "r", "\f": "f"}
_Writer = Callable[[str, Dialect], str]


def encode_value(value: str, style: str, dialect: Dialect) -> str:
    """Write a value in the style that it had where that can hold it, or else in another one of the dialect.

    Raises
    ------
    FieldError
        When no style of the dialect can hold it.
    """
    writers: tuple[_Writer, ...] = (_escaped,)
    if dialect.escapes != "properties":
        order = [style, "plain", "'", '"']
        writers = tuple(_WRITERS[one] for one in dict.fromkeys(order) if one == "plain" or one in dialect.quotes)
    for write in writers:
        made = write(value, dialect)
        # readers take blanks off both ends, Python's those that are no ASCII, too
        if write is _plain and (re.fullmatch(dialect.plain, value) is None or value != value.strip()):
            continue
        # a shell wants a backslash before it, which Symfony's reader would keep (symfony/dotenv 5.4.53, run)
        if write is _quoted and "`" in value and dialect.escapes == "double":
            continue
        if _stands_alone(made, value, dialect):
            return made
    raise FieldError("this kind of file cannot hold the new value so that all of its readers see it")


def _stands_alone(made: str, value: str, dialect: Dialect) -> bool:
    """Whether a line with it is one line, and is read as it."""
    if not {"\n", "\r"}.isdisjoint(made):
        return False
    behind = ["", f" {dialect.trailing[0]} x"] if dialect.trailing else [""]  # a comment may follow where it is put
    for rest in behind:
        lines = list(read_lines(f"k={made}{rest}", dialect))
        if len(lines) != 1 or (lines[0].value, lines[0].last) != (value, 2 + len(made)):
            return False
    return True


def _plain(value: str, dialect: Dialect) -> str:
    for character in dialect.doubles:
        value = value.replace(character, character * 2)
    return value


def _single(value: str, dialect: Dialect) -> str:
    return f"'{value}'"


def _quoted(value: str, dialect: Dialect) -> str:
    if dialect.escapes == "everywhere":
        named = {character: name for name, character in dialect.named.items() if name not in "s'"}
        return '"' + "".join(f"\\{named[c]}" if c in named else c for c in value) + '"'
    if dialect.escapes == "never":
        return f'"{value}"'
    return '"' + re.sub(r'(["\\$])', r"\\\1", value) + '"'


def _escaped(value: str, dialect: Dialect) -> str:
    made = []
    for index, character in enumerate(value):
        if character == "\\" or (character == " " and index == 0):
            made.append("\\" + character)
        elif character in _ESCAPES:
            made.append("\\" + _ESCAPES[character])
        elif " " <= character <= "~":
            made.append(character)
        else:
            pairs = character.encode("utf-16-be", "surrogatepass")
            made += [f"\\u{pairs[i] << 8 | pairs[i + 1]:04x}" for i in range(0, len(pairs), 2)]
    return "".join(made)


_WRITERS: dict[str, _Writer] = {"plain": _plain, "'": _single, '"': _quoted}
