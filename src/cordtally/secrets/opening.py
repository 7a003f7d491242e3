"""Opens connections through Python's drivers, each with the secret as it is at that moment.

What is given is a callable of no arguments: what SQLAlchemy's ``creator=``, a pool's factory and the like take, so that
a password that was changed, or a token that has expired, needs no restart.
"""

from __future__ import annotations

import inspect
from collections.abc import Awaitable, Callable
from importlib import import_module
from typing import Any

from ..catalog import load_driver, own_engines
from ..errors import FieldError, MissingExtra, shielded
from ..exchange import choose_target
from ..model import Cord, Secret
from .passing import arguments_for, with_secret, with_secret_async
from .stores import Surroundings

_EXTRAS = frozenset(["postgresql", "mysql", "mongodb", "redis", "oracle", "sqlserver"])  # pyproject.toml's, by engine


@shielded
def opener_for(cord: Cord, driver: str, surroundings: Surroundings | None = None, **more: object) -> Callable[[], Any]:
    """Give a callable that opens a connection whenever it is called, with the secret as it is then.

    What an asynchronous driver opens is what its function gives: to be awaited.

    Parameters
    ----------
    cord : Cord
        The connection; its password may be a locator.
    driver : str
        A driver of Python that takes arguments, like ``psycopg``.
    surroundings : Surroundings, optional
        How the secret is fetched.
    more : object
        Further arguments of the driver's function, handed on as they are; they win over those of the cord.

    Returns
    -------
    callable
        It takes no arguments, and raises what fetching or the driver raises.

    Raises
    ------
    UnknownName
        When there is no such driver, or it takes no arguments.
    FieldError
        When it is of another language, or a toolkit's.
    MissingExtra
        When the driver is not installed.

    Examples
    --------
    >>> import cordtally as ct
    >>> opener = ct.compose(engine="sqlite", database=":memory:").opener("sqlite3")
    >>> opener().execute("select 1").fetchone()
    (1,)
    """
    connect = _function(cord, driver)

    def opened() -> Any:  # noqa: ANN401 -- a connection of whichever driver
        return connect(**{**arguments_for(cord, driver, surroundings), **more})

    return opened


@shielded
def async_opener_for(
    cord: Cord, driver: str, surroundings: Surroundings | None = None, **more: object
) -> Callable[[], Awaitable[Any]]:
    """Give what opens a connection when it is called and awaited, the secret fetched without keeping the loop waiting.

    It takes what `opener_for` takes, for asynchronous drivers such as ``asyncpg``.

    Raises
    ------
    UnknownName, FieldError, MissingExtra
        As `opener_for`.
    """
    connect = _function(cord, driver)

    async def opened() -> Any:  # noqa: ANN401 -- a connection of whichever driver
        filled = await with_secret_async(cord, surroundings)
        made = connect(**{**arguments_for(filled, driver), **more})
        return await made if inspect.isawaitable(made) else made

    return opened


def _function(cord: Cord, driver: str) -> Callable[..., Any]:
    """The function of a driver that connects."""
    suited = choose_target(driver.partition("/")[0], cord)
    facts = load_driver(suited.driver.id)
    if facts.language != "python":
        raise FieldError(f"{facts.id} is a driver of {facts.language}: a program in Python opens it not")
    if cord.engine not in facts.engines:
        engines = " and ".join(own_engines(facts.id))
        raise FieldError(f"{facts.id} connects to {engines}, and the cord is one of {cord.engine}")
    module, _, name = facts.symbol.rpartition(".")
    if name in {"create_engine", "create_async_engine"}:
        raise FieldError(
            f"{facts.id} makes an engine, which opens connections by itself: give it "
            f"creator=cord.opener({facts.id.partition('+')[2]!r})"
        )
    try:
        connect: Callable[..., Any] = getattr(import_module(module), name)
    except ImportError:
        extra = cord.engine if cord.engine in _EXTRAS else "all"
        raise MissingExtra(facts.packages.get("pip", facts.id), extra, f"opening through {facts.id}") from None
    return connect


@shielded
def log_in_of(cord: Cord, surroundings: Surroundings | None = None) -> tuple[str, str]:
    """Give user and password in clear, fetched now: what a driver's provider of credentials gives on.

    A user that is not stated is empty.

    Raises
    ------
    LocatorError
        When the secret is not there.
    FieldError
        When the cord has no password.
    """
    filled = with_secret(cord, surroundings)
    if not isinstance(filled.password, Secret):
        raise FieldError("the cord has no password: whoever is let in is told otherwise")
    user = filled.user
    return ("" if user is None else user.unmask() if isinstance(user, Secret) else str(user)), filled.password.unmask()
