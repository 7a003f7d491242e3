"""Hands a cord to its driver: arguments or text with the secret in clear, fetched at the last moment."""

from __future__ import annotations

from ..exchange import choose_target, write
from ..model import MASK, Cord, Locator, Secret
from .fetching import Surroundings, fetch


class ClearArguments(dict[str, object]):
    """Arguments with their secrets in clear; ``repr`` and ``str`` still mask them, so that no log shows them."""

    def __init__(self, items: dict[str, object], secrets: frozenset[str]) -> None:
        super().__init__(items)
        self._secrets = secrets

    def __repr__(self) -> str:
        return repr({k: MASK if k in self._secrets else v for k, v in self.items()})


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
    writing = write(with_secret(cord, surroundings), target)
    secrets = frozenset(k for k, v in (writing.arguments or {}).items() if isinstance(v, Secret))
    return ClearArguments(writing.clear_arguments(), secrets)
