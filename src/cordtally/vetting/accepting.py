"""What a comment accepts: ``cord-tally: accept RULE because REASON``, beside the line or on one of its own above it."""

from __future__ import annotations

from typing import NamedTuple

from ..patterns import pattern

SIGN = "cord-tally: accept "
_SAID = pattern(
    r"cord-tally: accept\s+(?P<rule>[\w-]{1,40})(?:\s+because\s+(?P<reason>[^\n]*?\w[^\n]*?))?"
    r"\s*(?:\*/|-->|\*\)|%>)?\s*$"
)
_MARKS = " \t#/*;-<!'\"%("


class Said(NamedTuple):
    """One accept: the rule, why, where it stands (from 1), and the line that it is about."""

    rule: str
    reason: str | None
    line: int
    column: int
    end_column: int
    about: int


def said_in(text: str) -> list[Said]:
    """Give the accepts of a text."""
    if SIGN not in text:
        return []
    made = []
    for number, line in enumerate(text.split("\n"), 1):
        match = _SAID.search(line) if SIGN in line else None
        if match is not None:
            alone = line[: match.start()].strip(_MARKS) == ""
            about = number + 1 if alone else number
            made.append(Said(match["rule"], match["reason"], number, match.start() + 1, match.end() + 1, about))
    return made
