"""The place beside a secret's own, in the same store, where the next one waits until it is the one in use."""

from __future__ import annotations

from dataclasses import replace

from ..errors import LocatorError
from ..model import Locator

_MARK = {"envfile": "_NEXT", "file": ".next", "chest": ".next", "keychain": ".next", "remote": ".next"}


def next_to(locator: Locator) -> Locator:
    """Give the place for the secret that comes after the one at a locator.

    Raises
    ------
    LocatorError
        Where the store keeps none that a program could write.
    """
    mark = _MARK.get(locator.scheme)
    if mark is None:
        raise LocatorError(
            f"{locator.scheme}: cannot be written from here, or has no place for a second secret: a password that is "
            f"to be rotated is kept in one of {', '.join(f'{scheme}:' for scheme in _MARK)}"
        )
    return replace(locator, rest=f"{locator.rest}{mark}")
