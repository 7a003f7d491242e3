"""The place beside a secret's own, in the same store, where the next one waits until it is the one in use."""

from __future__ import annotations

from dataclasses import replace

from ..catalog import load_stores
from ..errors import LocatorError
from ..model import Locator


def next_to(locator: Locator) -> Locator:
    """Give the place for the secret that comes after the one at a locator.

    Raises
    ------
    LocatorError
        Where the store keeps none that a program could write.
    """
    stores = load_stores()
    mark = stores[locator.scheme].beside if locator.scheme in stores else ""
    if not mark:
        raise LocatorError(
            f"{locator.scheme}: cannot be written from here, or has no place for a second secret: a password that is "
            f"to be rotated is kept in one of {', '.join(f'{one}:' for one, store in stores.items() if store.beside)}"
        )
    return replace(locator, rest=f"{locator.rest}{mark}")
