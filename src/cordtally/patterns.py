"""Regular expressions that are compiled when they are first used: most texts need few of them."""

from __future__ import annotations

import re

_METHODS = ("match", "fullmatch", "search", "finditer", "findall", "split", "sub", "pattern")


class _Pattern:
    """Stands for a compiled expression, and has its methods from the first use on."""

    def __init__(self, expression: str, flags: int) -> None:
        self._given = expression, flags

    def __getattr__(self, name: str) -> object:
        if name not in _METHODS:
            raise AttributeError(name)
        compiled = re.compile(*self._given)
        for method in _METHODS:
            setattr(self, method, getattr(compiled, method))
        return getattr(compiled, name)


def pattern(expression: str, flags: int = 0) -> re.Pattern[str]:
    """Give a regular expression; an error in it shows when it is first used."""
    return _Pattern(expression, flags)  # type: ignore[return-value]
