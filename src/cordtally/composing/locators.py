"""Tells a locator from a text that only has a colon in it: its scheme is that of a store in ``catalog/stores.toml``."""

from __future__ import annotations

import re

from ..catalog import is_store, load_stores
from ..errors import FieldError
from ..model import Locator

_FORM = re.compile(r"([a-z][a-z0-9+.-]*):([^\x00-\x1f]*)")


def looks_like_locator(text: str) -> bool:
    """Whether a text is a locator of a known store."""
    match = _FORM.fullmatch(text)
    return match is not None and is_store(match[1])


def parse_locator(text: str) -> Locator:
    """Read a locator, like ``env:TIDES_PASSWORD``.

    Raises
    ------
    FieldError
        When the text has no scheme, or no store has that scheme. The message does not quote it: it may be a password
        put in the wrong place.
    """
    match = _FORM.fullmatch(text)
    known = ", ".join(f"{scheme}:" for scheme in load_stores())
    if match is None:
        raise FieldError(
            f"a locator begins with the scheme of a store, like env:NAME, and this text has none of {known}"
        )
    if not is_store(match[1]):
        raise FieldError(f"what stands before the colon is the scheme of no store; there are {known}")
    return Locator(match[1], match[2])
