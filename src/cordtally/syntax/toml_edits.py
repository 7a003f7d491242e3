"""Edits of a TOML text (1.0) that leave every other byte: a value set or taken out, a table dropped or renamed.

Each edit is proved: the text is read before and after, and differs in what was asked for alone. What cannot be done so
is refused. Comments stay, but for those within a table that is dropped.
"""

from __future__ import annotations

import re
import tomllib
from collections.abc import Callable, Iterator, Mapping
from typing import Any, NamedTuple

from ..errors import FieldError
from .offsets import Offsets
from .scalars import decode, encode
from .trees import parser_of

Path = tuple[str, ...]
_BARE = re.compile(r"[A-Za-z0-9_-]+")


class _Key(NamedTuple):
    """A part of a key, and where it is written."""

    name: str
    start: int
    end: int


class _Pair(NamedTuple):
    """A pair: its whole path with the places of its parts, the place of all of it and of its value."""

    keys: tuple[_Key, ...]
    start: int
    end: int
    value: tuple[int, int]
    inline: bool
    """Whether it stands within braces."""
    table: bool
    """Whether its value is a table in braces."""

    @property
    def path(self) -> Path:
        return tuple(key.name for key in self.keys)


class _Table(NamedTuple):
    """A header with what stands below it."""

    keys: tuple[_Key, ...]
    start: int
    header_end: int
    pairs: tuple[_Pair, ...]
    array: bool

    @property
    def path(self) -> Path:
        return tuple(key.name for key in self.keys)

    @property
    def end(self) -> int:
        return max((pair.end for pair in self.pairs), default=self.header_end)


def set_value(text: str, path: Path, value: object) -> str:
    """Set the value at a path: in its place, or as a new line at the end of its table, which is made if need be.

    Raises
    ------
    FieldError
        Where the text would not be read with that value and all others as before.
    """
    written = literal(value)
    pairs = [pair for table in _tables(text) for pair in table.pairs]
    there = next((pair for pair in pairs if pair.path == path), None)
    if there is not None and not there.table:
        made = text[: there.value[0]] + written + text[there.value[1] :]
    else:
        made = _added(text, path, written, pairs)
    return _proved(text, made, lambda data: _put(data, path, value))


def drop_value(text: str, path: Path) -> str:
    """Take the value at a path out, with its line where it has one of its own.

    Raises
    ------
    FieldError
        Where there is none, or the text would not be read with all others as before.
    """
    for table in _tables(text):
        for pair in table.pairs:
            if pair.path == path:
                made = _cut_within(text, pair) if pair.inline else _cut_lines(text, pair.start, pair.end)
                return _proved(text, made, lambda data: _take(data, path))
    raise FieldError(f"there is no {'.'.join(path)}")


def drop_table(text: str, path: Path) -> str:
    """Take a table out, with all below it; comments after it stay.

    Raises
    ------
    FieldError
        Where there is none, or the text would not be read with all others as before.
    """
    spans = list[tuple[int, int]]()
    for table in _tables(text):
        if table.keys and table.path[: len(path)] == path:
            spans.append((table.start, table.end))
        else:
            spans += [
                (pair.start, pair.end) for pair in table.pairs if pair.path[: len(path)] == path and not pair.inline
            ]
    if not spans:
        raise FieldError(f"there is no {'.'.join(path)}")
    made = text
    for start, end in sorted(spans, reverse=True):
        made = _cut_lines(made, start, end, blank=made.startswith("[", start))
    return _proved(text, made, lambda data: _take(data, path))


def rename_table(text: str, path: Path, name: str) -> str:
    """Give the last part of a path another name, wherever it is written.

    Raises
    ------
    FieldError
        Where the new name is taken, or the text would not be read with all else as before.
    """
    place, spans = len(path) - 1, set[tuple[int, int]]()
    for table in _tables(text):
        written = [table.keys, *(pair.keys for pair in table.pairs)]
        for keys in written:
            if tuple(key.name for key in keys[: len(path)]) == path:
                spans.add((keys[place].start, keys[place].end))
    made = text
    for start, end in sorted(spans, reverse=True):
        made = made[:start] + _key(name) + made[end:]

    def renamed(data: dict[str, Any]) -> None:
        held = _within(data, path[:-1])
        if name in held:
            raise FieldError(f"there is a {name} already")
        entries = [(name if key == path[-1] else key, value) for key, value in held.items()]
        held.clear()
        held.update(entries)

    return _proved(text, made, renamed)


def literal(value: object) -> str:
    """Write a value as TOML has it: texts, numbers, true and false, lists and tables of them.

    Raises
    ------
    FieldError
        Where it is of another kind.
    """
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, int | float):
        return repr(value)
    if isinstance(value, str):
        return encode(value, "toml")
    if isinstance(value, list | tuple):
        return f"[{', '.join(map(literal, value))}]"
    if isinstance(value, Mapping):
        inner = ", ".join(f"{_key(str(name))} = {literal(one)}" for name, one in value.items())
        return f"{{ {inner} }}" if inner else "{}"
    raise FieldError(f"TOML has no {type(value).__name__}")


def _key(name: str) -> str:
    return name if _BARE.fullmatch(name) else encode(name, "toml")


def _added(text: str, path: Path, written: str, pairs: list[_Pair]) -> str:
    """The text with a pair that was not there."""
    newline = "\r\n" if "\r\n" in text else "\n"
    holder = next((p for p in pairs for n in range(len(path) - 1, 0, -1) if p.table and p.path == path[:n]), None)
    if holder is not None:  # { a = 1 }
        pair = f"{'.'.join(map(_key, path[len(holder.path) :]))} = {written}"
        start, end = holder.value
        inner = text[start + 1 : end - 1].rstrip()
        at = start + 1 + len(inner)
        return text[:at] + (f", {pair}" if inner.strip() else f" {pair} ") + text[at:]
    tables = [table for table in _tables(text) if not table.array]
    for length in range(len(path) - 1, 0, -1):
        table = next((one for one in tables if one.keys and one.path == path[:length]), None)
        if table is None or (length < len(path) - 1 and len(path) - length > 2):
            continue
        name = ".".join(map(_key, path[length:]))
        if length < len(path) - 1:  # a table of its own in this one: options = { a = 1 }
            name, written = _key(path[length]), f"{{ {_key(path[-1])} = {written} }}"
        at = _line_end(text, table.end)
        head = "" if text[:at].endswith("\n") else newline
        return f"{text[:at]}{head}{name} = {written}{newline}{text[at:]}"
    head = ".".join(map(_key, path[:-1]))
    if not head:
        at = min((one.start for one in tables if one.keys), default=len(text))
        return f"{text[:at]}{_key(path[-1])} = {written}{newline}{text[at:]}"
    gap = "" if not text else newline if text.endswith("\n") else newline * 2
    return f"{text}{gap}[{head}]{newline}{_key(path[-1])} = {written}{newline}"


def _cut_lines(text: str, start: int, end: int, *, blank: bool = False) -> str:
    """The text without the lines of a span, and without a blank line after them where they stood apart."""
    first, last = text.rfind("\n", 0, start) + 1, _line_end(text, end)
    if text[first:start].strip() or (text[end:last].strip() and not text[end:last].strip().startswith("#")):
        raise FieldError("something else stands in that line: edit it by hand")
    if blank:
        after = _line_end(text, last)
        if last < len(text) and not text[last:after].strip():
            last = after
        elif last == len(text):  # the last one: the blank line before it parted the two
            before = text.rfind("\n", 0, max(first - 1, 0)) + 1
            first = before if first and not text[before:first].strip() else first
    return text[:first] + text[last:]


def _cut_within(text: str, pair: _Pair) -> str:
    """The text without a pair in braces, and without one comma."""
    after = re.compile(r"\s*,\s*").match(text, pair.end)
    if after is not None:
        return text[: pair.start] + text[after.end() :]
    before = re.compile(r"\s*,\s*$").search(text[: pair.start])
    return text[: pair.start if before is None else before.start()] + text[pair.end :]


def _line_end(text: str, place: int) -> int:
    end = text.find("\n", place)
    return len(text) if end < 0 else end + 1


def _tables(text: str) -> list[_Table]:
    """What stands in a text, in its order; what comes before the first header is a table without a name."""
    data = text.encode()
    offsets = Offsets(text, data)
    found = [_Table((), 0, 0, (), False)]
    for child in parser_of("toml").parse(data).root_node.children:
        if child.type == "pair":
            first = found[0]
            found[0] = first._replace(pairs=(*first.pairs, *_pairs(child, (), text, offsets, inline=False)))
        elif child.type in {"table", "table_array_element"}:
            named = [one for one in child.children if one.is_named and one.type != "comment"]
            keys = tuple(_keys(named[0], text, offsets))
            start, _ = offsets.span(child)
            header_end = offsets.at(next(one.end_byte for one in child.children if one.type in {"]", "]]"}))
            pairs = [
                pair
                for one in named[1:]
                if one.type == "pair"
                for pair in _pairs(one, keys, text, offsets, inline=False)
            ]
            found.append(_Table(keys, start, header_end, tuple(pairs), child.type != "table"))
    return found


def _pairs(found: Any, above: tuple[_Key, ...], text: str, offsets: Offsets, *, inline: bool) -> Iterator[_Pair]:  # noqa: ANN401
    named = [child for child in found.children if child.is_named and child.type != "comment"]
    keys = (*above, *_keys(named[0], text, offsets))
    start, end = offsets.span(found)
    is_table = named[-1].type == "inline_table"
    yield _Pair(keys, start, end, offsets.span(named[-1]), inline, is_table)
    if is_table:
        for child in named[-1].children:
            if child.type == "pair":
                yield from _pairs(child, keys, text, offsets, inline=True)


def _keys(found: Any, text: str, offsets: Offsets) -> Iterator[_Key]:  # noqa: ANN401
    if found.type == "dotted_key":
        for child in found.children:
            if child.is_named:
                yield from _keys(child, text, offsets)
        return
    start, end = offsets.span(found)
    raw = text[start:end]
    name = raw if found.type == "bare_key" else decode(raw, "toml")
    yield _Key(name or "", start, end)


def _proved(before: str, after: str, change: Callable[[dict[str, Any]], None]) -> str:
    """The edited text, once it is read as the old one with the change."""
    expected = tomllib.loads(before)
    change(expected)
    try:
        found = tomllib.loads(after)
    except tomllib.TOMLDecodeError:
        found = None
    # a table that was only there by what stood in it goes with that
    same = found == expected or (found is not None and _full(found) == _full(expected))
    if not same:
        raise FieldError("the file would not be read with that change and all else as before: edit it by hand")
    return after


def _full(data: Any) -> Any:  # noqa: ANN401 -- of a TOML document
    """A document without its empty tables."""
    if isinstance(data, dict):
        return {key: inner for key, value in data.items() if (inner := _full(value)) != {}}
    return data


def _within(data: dict[str, Any], path: Path) -> dict[str, Any]:
    for key in path:
        data = data.setdefault(key, {})
        if not isinstance(data, dict):
            raise FieldError(f"{key} is no table")
    return data


def _put(data: dict[str, Any], path: Path, value: object) -> None:
    _within(data, path[:-1])[path[-1]] = list(value) if isinstance(value, tuple) else value


def _take(data: dict[str, Any], path: Path) -> None:
    held = _within(data, path[:-1])
    if path[-1] not in held:
        raise FieldError(f"there is no {'.'.join(path)}")
    del held[path[-1]]
