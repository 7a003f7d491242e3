"""Hands a cord to its driver: arguments or text with the secret in clear, fetched at the last moment."""

from __future__ import annotations

import shlex

from ..errors import FieldError, shielded
from ..exchange import Outcome, choose_target, write
from ..model import Cord, Locator, Secret
from .fetching import fetch_together, fetch_together_async
from .stores import Surroundings


def with_secret(cord: Cord, surroundings: Surroundings | None = None) -> Cord:
    """Replace the locators of user and password by what they point at, both out of one read where a store can.

    Raises
    ------
    LocatorError
        When the secret is not there.
    """
    kept = _kept(cord)
    return _filled(cord, kept, fetch_together(list(kept.values()), surroundings)) if kept else cord


async def with_secret_async(cord: Cord, surroundings: Surroundings | None = None) -> Cord:
    """Replace the locators of user and password as `with_secret` does, without keeping the loop waiting.

    Raises
    ------
    LocatorError
        When the secret is not there.
    """
    kept = _kept(cord)
    return _filled(cord, kept, await fetch_together_async(list(kept.values()), surroundings)) if kept else cord


def _kept(cord: Cord) -> dict[str, Locator]:
    return {part: found for part in ("user", "password") if isinstance(found := getattr(cord, part), Locator)}


def _filled(cord: Cord, kept: dict[str, Locator], fetched: list[Secret]) -> Cord:
    found: dict[str, object] = dict(zip(kept, fetched))
    if "user" in found:
        found["user"] = fetched[0].unmask()  # a name is nothing to hide
    return cord.copy_with(**found)


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


@shielded
def environment_for(cord: Cord, driver: str, surroundings: Surroundings | None = None) -> dict[str, str]:
    """Give the variables of the environment that a client reads, its secret in clear: ``libpq``, ``mysql-client``.

    Raises
    ------
    UnknownName
        When there is no such driver, or it reads none.
    LocatorError
        When the secret cannot be fetched.

    Examples
    --------
    >>> import cordtally as ct
    >>> ct.compose(engine="postgresql", host="gauge.greywick.example", database="tides").environment("libpq")
    {'PGHOST': 'gauge.greywick.example', 'PGDATABASE': 'tides'}
    """
    text = text_for(cord, f"{driver.partition('/')[0]}/environment", surroundings)
    return dict(one.partition("=")[::2] for one in shlex.split(text))


@shielded
def text_for(cord: Cord, target: str, surroundings: Surroundings | None = None) -> str:
    """Give the connection string to hand to a driver or a toolkit, its secret in clear.

    Raises
    ------
    UnknownName
        When there is no such target.
    LocatorError
        When the secret cannot be fetched.
    FieldError
        When the target has no place for the password, so that the text would log nobody in.

    Examples
    --------
    >>> import cordtally as ct
    >>> ct.compose(engine="sqlite", database="logbook.sqlite").text("sqlalchemy")
    'sqlite:///logbook.sqlite'
    """
    writing = write(with_secret(cord, surroundings), target)
    lost = writing.ledger.line("password")
    if lost is not None and lost.outcome is Outcome.DROPPED:
        raise FieldError(f"the password cannot be written for {writing.target}: {lost.reason}")
    return writing.text.unmask()
