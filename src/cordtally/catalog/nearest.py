"""Finds the known names that are nearest to a mistyped one."""

from __future__ import annotations

from collections.abc import Iterable


def find_nearest(name: str, known: Iterable[str], *, most: int = 2) -> tuple[str, ...]:
    """Give up to ``most`` known names that resemble the given one, case and separators aside; best first."""
    from difflib import get_close_matches

    by_fold = {_fold(k): k for k in known}
    return tuple(by_fold[m] for m in get_close_matches(_fold(name)[:80], by_fold, n=most, cutoff=0.72))


def _fold(name: str) -> str:
    return name.casefold().replace("_", "").replace("-", "").replace(" ", "")
