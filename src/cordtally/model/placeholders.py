"""Tells a placeholder, which somebody forgot to replace, from a password."""

from __future__ import annotations

import re

from ..patterns import pattern

_SHAPES = pattern(
    r"\*{2,}|x{3,}|\.{3}|…|<[^<>]*>|\[[^\[\]]*\]|\{\{.*\}\}|\$\{[^{}]*\}|\$\([^()]*\)|%[A-Za-z_]\w*%|#\{[^{}]*\}|__\w+__",
    re.IGNORECASE,
)
_WORDS = frozenset(
    [
        "password",
        "passwd",
        "pass",
        "pwd",
        "secret",
        "changeme",
        "change_me",
        "change-me",
        "yourpassword",
        "your_password",
        "your-password",
        "todo",
        "mypassword",
        "my_password",
        "replace_me",
        "replaceme",
        "placeholder",
        "insert_password_here",
        "dbpassword",
        "db_password",
    ]
)


def is_placeholder(text: str) -> bool:
    """Whether a password is a stand-in: stars, ``<password>``, ``${NAME}``, ``changeme`` and the like."""
    return len(text) <= 80 and (text.casefold() in _WORDS or _SHAPES.fullmatch(text) is not None)
