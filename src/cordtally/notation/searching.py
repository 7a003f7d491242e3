"""The search for the end of a part: it stops at the first of several characters, which keeps a whole reading linear."""

from __future__ import annotations

import re
from functools import cache


@cache
def _any_of(characters: str) -> re.Pattern[str]:
    return re.compile(f"[{re.escape(characters)}]")


def end_of(text: str, start: int, stops: str) -> int:
    """Find the first of several characters; a search that stops there keeps the whole linear."""
    match = _any_of(stops).search(text, start)
    return len(text) if match is None else match.start()
