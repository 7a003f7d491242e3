"""Makes a database that is missing, where a dial has found that it is."""

from __future__ import annotations

from ..deadline import Deadline
from ..errors import FieldError, ServerError
from ..model import Cord, clear
from ..secrets import Surroundings, with_secret
from ..servers import Refusal, Session, dialler_for, place_of
from .statements import quoted_identifier

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
    return f"CREATE DATABASE {quoted_identifier(cord.engine, clear(cord.database))}"


def create_database(cord: Cord, *, limit: float = 30.0, surroundings: Surroundings | None = None) -> None:
    """Make a cord's database as its own user.

    Raises
    ------
    FieldError
        As `creation_of`.
    ServerError
        When the server refuses.
    """
    statement, server = creation_of(cord), dialler_for(cord.engine)
    assert server is not None
    at = with_secret(cord, surroundings).copy_with(database=_CONNECTED_TO[cord.engine])
    deadline = Deadline(limit)
    session: Session = None
    try:
        session = server.log_in(at, deadline, writes=True)
        deadline.run(lambda: server.run(session, statement))
    except Refusal as refusal:
        raise ServerError(f"{place_of(at)}: {refusal.cause}; {refusal.hint}") from None
    except server.errors() as error:
        refused = server.cause_of(error, at)
        raise ServerError(f"{place_of(at)}: {refused.cause}; {refused.hint}") from None
    finally:
        if session is not None:
            server.close(session)
