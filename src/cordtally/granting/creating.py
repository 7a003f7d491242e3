"""Makes a database that is missing, where a dial has found that it is."""

from __future__ import annotations

from ..deadline import Deadline
from ..errors import FieldError
from ..model import Cord, clear
from ..secrets import Surroundings
from ..servers import session_at
from .statements import ENGINES

_CONNECTED_TO = {"postgresql": "postgres", "mysql": None, "mariadb": None, "sqlserver": "master", "clickhouse": None}
"""The database from which another one is made; None is none at all."""


def creation_of(cord: Cord) -> str:
    """Give the statement that makes a cord's database, its name quoted by the engine's rules.

    Raises
    ------
    FieldError
        For an engine whose databases are not made by a statement, and a cord that names none.
    """
    if cord.engine not in _CONNECTED_TO:
        raise FieldError(f"databases of {cord.engine} are not made here; those of {', '.join(_CONNECTED_TO)} are")
    if not cord.database:
        raise FieldError("the cord names no database")
    return f"CREATE DATABASE {ENGINES[cord.engine].quoted(clear(cord.database))}"


def create_database(
    cord: Cord, *, administrator: Cord | None = None, limit: float = 30.0, surroundings: Surroundings | None = None
) -> None:
    """Make a cord's database as its own user, or as an administrator.

    Raises
    ------
    FieldError
        As `creation_of`.
    ServerError
        When the server refuses.
    """
    statement, deadline = creation_of(cord), Deadline(limit)
    at = (administrator or cord).copy_with(database=_CONNECTED_TO[cord.engine])
    with session_at(at, deadline, surroundings) as (server, session):
        deadline.run(lambda: server.run(session, statement))
