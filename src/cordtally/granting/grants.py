"""Finds the statements that make a user for a cord, and runs them through an administrator's cord."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from ..deadline import Deadline
from ..errors import FieldError
from ..model import Cord, Locator, Secret, TlsLevel, clear
from ..secrets import Surroundings, with_secret
from ..servers import session_at
from ..servers.accounts import Account, accounts_of
from .statements import ACCESS, ENGINES, Access, Statement, Wanted


@dataclass(frozen=True, slots=True, kw_only=True)
class Grants:
    """The statements that make a user; ``inside`` of them run while connected to the database itself."""

    engine: str
    user: str
    database: str
    access: Access
    host: str
    statements: tuple[Statement, ...]

    def to_dict(self) -> dict[str, object]:
        """Give ``cordtally/grants/1``."""
        return {
            "schema": "cordtally/grants/1",
            "engine": self.engine,
            "user": self.user,
            "database": self.database,
            "access": self.access,
            "statements": [{"text": one.text, "inside": one.inside} for one in self.statements],
        }


def grants_for(
    cord: Cord,
    access: Access,
    *,
    user: str | None = None,
    schemas: tuple[str, ...] = (),
    host: str = "%",
) -> Grants:
    """Find the statements that make a cord's user on its engine.

    Parameters
    ----------
    cord : Cord
        Names the engine and the database; its user is made, unless another one is named.
    access : str
        ``read-only``, ``read-write`` or ``owner``.
    user : str, optional
        The user's name.
    schemas : tuple of str
        Where an engine has schemas: those that may be used; ``public`` for PostgreSQL.
    host : str
        Where MySQL and MariaDB let the user come from; ``%`` is anywhere.

    Raises
    ------
    FieldError
        For an engine whose users are not made here, a name that is missing, or one that the engine does not take.
    """
    if cord.engine not in ENGINES:
        raise FieldError(f"users of {cord.engine} are not made here; those of {', '.join(ENGINES)} are")
    if access not in ACCESS:
        raise FieldError(f"access is one of {', '.join(ACCESS)}")
    name = user or (cord.user_name if not isinstance(cord.user, Locator) else None)
    if not name:
        raise FieldError("the cord names no user: name one with --user (user= in Python)")
    database = clear(cord.database) if cord.database else ""
    way = ENGINES[cord.engine]
    if not database and way.needs_database:
        raise FieldError("the cord names no database, and rights are given for one")
    tls = cord.tls.level is not None and cord.tls.level >= TlsLevel.ENCRYPTED
    wanted = Wanted(name, database, access, schemas or way.schemas(database), host, tls)
    made = tuple(way.make(wanted))
    return Grants(engine=cord.engine, user=name, database=database, access=access, host=host, statements=made)


def apply_grants(
    grants: Grants,
    cord: Cord,
    administrator: Cord,
    *,
    limit: float = 30.0,
    surroundings: Surroundings | None = None,
    progress: Callable[[Statement], None] | None = None,
) -> None:
    """Run the statements through an administrator's cord, and set the user's password from the cord's secret.

    The password is set last, and so that no log of the server's has it in clear; until then the user cannot log in.

    Raises
    ------
    FieldError
        For an engine where nothing is run, or a cord without a password.
    ServerError
        When the server refuses; what ran before stays.
    """
    way = ENGINES[grants.engine]
    if not way.applied:
        raise FieldError(f"nothing is run on {grants.engine}: run the statements in its own client")
    password = with_secret(cord, surroundings).password
    if not isinstance(password, Secret) or not password.unmask():
        raise FieldError("the cord has no password for the user: give it a locator first")
    accounts = accounts_of(grants.engine)
    at = administrator.copy_with(database=cord.database) if way.connects else administrator
    deadline = Deadline(limit)
    with session_at(at, deadline, surroundings) as (server, session):
        for one in grants.statements:
            deadline.run(lambda text=one.text: server.run(session, text))  # type: ignore[misc]
            if progress is not None:
                progress(one)
        account = Account(grants.user, grants.host if way.has_hosts else "")
        accounts.set_passwords(session, account, [password.unmask()], deadline)
        if way.opens is not None:
            server.run(session, way.opens(grants.user, grants.host))
