"""Grammars: text to raw parts with their places, and back. They know separators and escapes, and no driver.

Each grammar is one module with the same few names: ``Dialect`` (its flags), ``parse`` and ``render``.
"""

from collections.abc import Callable, Mapping
from functools import cache
from importlib import import_module
from types import ModuleType
from typing import Any

from .parts import CannotHold, Field, GrammarError, Parsed, Refused, Remark, Rendered, as_text, plain

GRAMMARS = (
    "url", "keyword", "semicolon", "dsn", "arguments", "path", "comma", "hostpairs",
    "descriptor", "easyconnect", "oraclejdbc", "firebird", "environment", "sections",
)  # fmt: skip

__all__ = [
    "GRAMMARS",
    "CannotHold",
    "Field",
    "GrammarError",
    "Parsed",
    "Refused",
    "Remark",
    "Rendered",
    "as_text",
    "load_grammar",
    "make_dialect",
    "plain",
]


@cache
def load_grammar(name: str) -> ModuleType:
    """Load a grammar by name."""
    return import_module(f".{name}", __name__)


def make_dialect(name: str, flags: Mapping[str, object]) -> Any:  # noqa: ANN401 -- each grammar has a Dialect of its own
    """Make a grammar's dialect from catalog flags; lists become tuples."""
    maker: Callable[..., object] = load_grammar(name).Dialect
    return maker(**{k: tuple(v) if isinstance(v, list) else v for k, v in flags.items()})
