"""The characters that RFC 2396 gives the parts of a URL, for drivers that refuse any other (Ruby's URI::Parser)."""

from __future__ import annotations

import re

from ..patterns import pattern
from ..text import GrammarError
from . import percent

_ESCAPE = "|%[0-9A-Fa-f]{2}"
_USER = pattern(rf"(?:[\w.!~*'();:&=+$,-]{_ESCAPE})*", re.ASCII)
_HOST = pattern(rf"(?:[A-Za-z0-9.-]{_ESCAPE})+|\[[0-9A-Fa-f:.]+\]")
_PATH = pattern(rf"(?:[\w.!~*'():@&=+$,;/-]{_ESCAPE})*", re.ASCII)
_REST = pattern(rf"(?:[\w.!~*'();/?:@&=+$,\[\]-]{_ESCAPE})*", re.ASCII)


def refuse_odd_characters(text: str, start: int) -> None:
    """Refuse a character that does not belong into its part, and an authority without a host.

    Raises
    ------
    GrammarError
        At that character.
    """
    end = min(place for mark in "/?#" if (place := text.find(mark, start)) >= 0 or (place := len(text)))
    at = text.find("@", start, end)
    if at >= 0:
        _hold(_USER, text, start, at, "a user name or password")
    if end > start:
        _hold_host(text, at + 1 if at >= 0 else start, end)
    question = text.find("?", end)
    fragment = text.find("#", end)
    fragment = len(text) if fragment < 0 else fragment
    path_end = fragment if question < 0 else min(question, fragment)
    _hold(_PATH, text, end, path_end, "a database name")
    _hold(_REST, text, path_end + 1, fragment, "a value")


def _hold(characters: re.Pattern[str], text: str, start: int, end: int, what: str) -> None:
    match = characters.match(text, start, end)
    place = end if match is None else match.end()
    if place < end:
        hint = f"write it as {percent.encode(text[place])}"
        raise GrammarError(f"this character must be escaped in {what}", place, place + 1, hint)


def _hold_host(text: str, start: int, end: int) -> None:
    match = _HOST.match(text, start, end)
    if match is None:
        if start < end and text[start] not in ":[":
            raise GrammarError("a host name holds letters, digits, - and . here", start, start + 1)
        raise GrammarError("a host is missing here", start, end + 1, "name one, or leave out what stands around it")
    place = match.end()
    if place < end and not (text[place] == ":" and (text[place + 1 : end].isdigit() or place + 1 == end)):
        raise GrammarError("a host name holds letters, digits, - and . here", place, place + 1)
