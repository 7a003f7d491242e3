"""What every grammar offers, and what their dialects have in common."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Literal, Protocol, TypeVar

from ..records import Record
from .fields import Field, Parsed, Rendered

D_contra = TypeVar("D_contra", bound="BaseDialect", contravariant=True)

NO, PERHAPS, LIKELY, SURELY = 0, 1, 2, 3
"""How much a text looks like a notation: it cannot be one; it may be read as one when its driver is named; it is worth
taking apart unasked, to see whether a driver knows its keys; its form alone tells."""


class BaseDialect(Record):
    """What each grammar's dialect has.

    Of ``repeated`` keys the ``last`` or the ``first`` counts, they make a ``list``, or are ``refused``; ``empty``
    values are ``kept`` or ``dropped``; ``positions`` lists the roles that have a place of their own, everything else
    being an option; ``synonyms`` of a key are keys ``apart``, or ``one`` that is then repeated, as in .NET.
    """

    repeated: Literal["last", "first", "list", "refused"] = "last"
    empty: Literal["kept", "dropped"] = "kept"
    positions: tuple[str, ...] = ()
    synonyms: Literal["apart", "one"] = "apart"


class Grammar(Protocol[D_contra]):
    """One notation: a module with these names; ``tests/notation`` runs over all of them."""

    @property
    def Dialect(self) -> type[BaseDialect]:
        """The flags of the grammar."""
        ...

    def looks_like(self, text: str) -> int:
        """How much a text looks like it, from `NO` to `SURELY`; linear, and without taking it apart."""
        ...

    def parse(self, text: str, dialect: D_contra, prefix: str) -> Parsed:
        """Take a text apart; ``GrammarError`` where its driver would refuse it, too."""
        ...

    def render(self, fields: Sequence[Field], dialect: D_contra, prefix: str) -> Rendered:
        """Write a text; what it has no way to hold is refused by name."""
        ...


_SCHEME = re.compile(r"[A-Za-z][A-Za-z0-9+._:-]{0,40}?://")


def find_scheme(text: str) -> int:
    """Find the end of the scheme that a text begins with, its slashes included; 0 where there is none."""
    match = _SCHEME.match(text)
    return 0 if match is None else match.end()


def is_no_url(text: str) -> int:
    """`PERHAPS`, unless the text begins as a URL or an object of arguments does."""
    return NO if find_scheme(text) else is_no_object(text)


def is_no_object(text: str) -> int:
    """`PERHAPS`, unless the text begins as an object or a list of arguments does."""
    return NO if text.lstrip()[:1] in {"{", "["} else PERHAPS
