"""Hands a cord to its driver: arguments or text with the secret in clear, fetched at the last moment."""

from __future__ import annotations

from ..errors import shielded
from ..exchange import choose_target, write
from ..model import Cord, Locator
from .fetching import Surroundings, fetch


def with_secret(cord: Cord, surroundings: Surroundings | None = None) -> Cord:
    """Replace a locator by the secret that it points at.

    Raises
    ------
    LocatorError
        When the secret is not there.
    """
    if isinstance(cord.password, Locator):
        return cord.copy_with(password=fetch(cord.password, surroundings))
    return cord


@shielded
def arguments_for(cord: Cord, driver: str, surroundings: Surroundings | None = None) -> dict[str, object]:
    """Give what to pass to the driver's connect function as ``**arguments``.

    Raises
    ------
    UnknownName
        When there is no such driver, or it takes no arguments.
    LocatorError
        When the secret cannot be fetched.

    Examples
    --------
    >>> import cordtally as ct
    >>> ct.compose(engine="sqlite", database="logbook.sqlite").arguments("sqlite3")
    {'database': 'logbook.sqlite'}
    """
    suited = choose_target(driver.partition("/")[0], cord)
    target = suited.name if suited.facts.grammar == "arguments" else f"{suited.driver.id}/arguments"
    return write(with_secret(cord, surroundings), target).clear_arguments()
