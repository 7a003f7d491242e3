"""Finds the known names that are nearest to a mistyped one."""

from __future__ import annotations

from collections.abc import Iterable


def find_nearest(name: str, known: Iterable[str], *, most: int = 2) -> tuple[str, ...]:
    """Give up to ``most`` known names that resemble the given one, case and separators aside; best first."""
    from difflib import get_close_matches

    by_fold: dict[str, list[str]] = {}
    for candidate in known:
        by_fold.setdefault(_fold(candidate), []).append(candidate)
    folded = _fold(name)[:80]
    # in a short name two letters that changed places are much of it: tsl for tls
    swapped = [
        fold for fold in by_fold if len(fold) == len(folded) and sorted(fold) == sorted(folded) and fold != folded
    ]
    found = dict.fromkeys([*get_close_matches(folded, by_fold, n=most, cutoff=0.72), *swapped])
    return tuple(candidate for fold in found for candidate in by_fold[fold])[:most]


def _fold(name: str) -> str:
    return name.casefold().replace("_", "").replace("-", "").replace(" ", "")
