"""Where a cord's secret is kept, by the name of a store: ``envfile:.env`` gives ``envfile:.env#TIDES_PASSWORD``."""

from __future__ import annotations

from ..composing import parse_locator
from ..errors import FieldError
from ..model import Locator
from .variables import prefix_of

STORES = ("envfile:PATH", "file:FOLDER", "chest:", "keychain:SERVICE", "env:")


def place_in(store: str, cord: str, *, several: bool = True) -> Locator:
    """Give the place in a store for the password of a cord.

    Parameters
    ----------
    store : str
        One of `STORES`, or a whole locator.
    cord : str
        The cord's name.
    several : bool
        Whether other cords keep theirs there, too: then a whole locator will not do.

    Raises
    ------
    FieldError
        When there is no such store, or it is a place for one secret alone.
    """
    scheme, _, rest = store.partition(":")
    variable = f"{prefix_of(cord).removeprefix('CORD_')}PASSWORD"
    whole = {
        "env": not rest,
        "envfile": "#" not in rest,
        "file": True,
        "chest": not rest or rest.endswith(("/", "#")),
        "keychain": "/" not in rest,
    }.get(scheme, False)
    if not whole:
        if several:
            raise FieldError(f"{store!r} is one place, and there are several secrets; stores: {', '.join(STORES)}")
        return parse_locator(store)
    made = {
        "env": f"env:{variable}",
        "envfile": f"envfile:{rest or '.env'}#{variable}",
        "file": f"file:{rest or 'secrets'}/{cord}",
        "chest": f"chest:{rest}{cord}",
        "keychain": f"keychain:{rest or 'cordtally'}/{cord}",
    }
    return parse_locator(made[scheme])
