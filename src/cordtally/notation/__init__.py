"""Grammars: text to raw parts with their places, and back. They know separators and escapes, and no driver.

Each grammar is one module with the names of `Grammar`: ``Dialect`` (its flags), ``looks_like``, ``parse``, ``render``.
"""

from collections.abc import Mapping
from functools import cache
from importlib import import_module

from ..text import GrammarError
from .fields import CannotHold, Field, Parsed, Refused, Rendered
from .grammar import LIKELY, NO, PERHAPS, SURELY, BaseDialect, Grammar, find_scheme
from .remarks import Case, Remark

GRAMMARS = (
    "url", "keyword", "semicolon", "dsn", "arguments", "path", "comma", "hostpairs",
    "descriptor", "easyconnect", "oraclejdbc", "firebird", "environment", "sections", "pathpairs",
)  # fmt: skip

__all__ = [
    "GRAMMARS",
    "LIKELY",
    "NO",
    "PERHAPS",
    "SURELY",
    "BaseDialect",
    "CannotHold",
    "Case",
    "Field",
    "Grammar",
    "GrammarError",
    "Parsed",
    "Refused",
    "Remark",
    "Rendered",
    "find_scheme",
    "load_grammar",
    "make_dialect",
]


@cache
def load_grammar(name: str) -> Grammar[BaseDialect]:
    """Load a grammar by name."""
    found: Grammar[BaseDialect] = import_module(f".{name}", __name__)
    return found


_DIALECTS: dict[tuple[str, str], BaseDialect] = {}


def make_dialect(name: str, flags: Mapping[str, object]) -> BaseDialect:
    """Make a grammar's dialect from catalog flags; lists become tuples. Equal flags make one and the same dialect."""
    made = {k: tuple(v) if isinstance(v, list) else v for k, v in sorted(flags.items())}
    known = name, repr(made)
    if known not in _DIALECTS:
        _DIALECTS[known] = load_grammar(name).Dialect(**made)  # type: ignore[arg-type]
    return _DIALECTS[known]
