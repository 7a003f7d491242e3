"""Tells a placeholder, which somebody forgot to replace, and a variable, which something fills in, from a password."""

from __future__ import annotations

import re

from ..patterns import pattern

_SHAPES = pattern(
    r"\*{2,}|x{3,}|\.{3}|…|<[^<>]*>|\[[^\[\]]*\]|\{\{.*\}\}|\$\{[^{}]*\}|\$\([^()]*\)|%[A-Za-z_]\w*%|#\{[^{}]*\}|__\w+__",
    re.IGNORECASE,
)
# what a format string or a shell fills in: {password}, $PASSWORD
_FILLED = pattern(r"\{[A-Za-z_][\w.]*\}|\$[A-Z_][A-Z0-9_]+")
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


_RUBY = pattern(r"<%=\s*ENV(?:\.fetch\(|\[)\s*[\"']([A-Za-z_]\w{0,60})[\"'][^%<>]{0,80}%>")
_VARIABLE = pattern(r"(?:\$\{|\$\(|#\{|\{\{)\s*([A-Za-z_][\w.-]{0,60})[^{}()]{0,80}(?:\}\}?|\))|%([A-Za-z_]\w{0,60})%")


_LONGEST = 160  # characters


def variable_in(text: str) -> str | None:
    """Give the name of the variable that is to be filled in, where a text is nothing else: ``${NAME}``, ``%NAME%``."""
    if len(text) > _LONGEST:
        return None
    match = _VARIABLE.fullmatch(text) or _RUBY.fullmatch(text)
    return None if match is None else next(name for name in match.groups() if name)


def is_placeholder(text: str) -> bool:
    """Whether a password is a stand-in: stars, ``<password>``, ``${NAME}``, ``changeme`` and the like."""
    if len(text) > 80:
        return False
    shaped = _SHAPES.fullmatch(text) is not None or _FILLED.fullmatch(text) is not None
    return shaped or text.casefold() in _WORDS
