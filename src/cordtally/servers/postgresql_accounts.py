"""Passwords of PostgreSQL's roles; facts from the manual of PostgreSQL 15 and psycopg 3.3.9.

The verifier is made by libpq (PQencryptPasswordConn), so that neither log nor pg_stat_activity sees the password. The
algorithm is named: else the server's ``password_encryption`` decides, and an MD5 hash can be replayed.
"""

from __future__ import annotations

import time
from collections.abc import Sequence
from typing import Any

from ..deadline import Deadline, NoAnswer
from .accounts import Account
from .postgresql import _module, cause_of
from .refusals import Refusal, no_answer

TWO_PASSWORDS = False
_AGAIN = "XX000"  # "tuple concurrently updated": two sessions alter one role
_ATTEMPTS, _PAUSE = 5, 0.1


def account_of(session: Any, user: str, deadline: Deadline) -> Account:  # noqa: ANN401
    """The role of that name."""
    return Account(user)


def refuse(session: Any, account: Account, deadline: Deadline, *, two: bool) -> None:  # noqa: ANN401
    """Refuse a role that is not there, may not log in, or whose password is no longer valid, whatever it is."""
    if two:
        raise Refusal("a role of PostgreSQL has one password", "two users do it: --alternate")
    statement = (
        "SELECT rolcanlogin, rolvaliduntil <= now(), rolname = current_user OR (SELECT rolsuper OR rolcreaterole "
        "FROM pg_roles WHERE rolname = current_user) FROM pg_roles WHERE rolname = %s"
    )
    rows = _run(session, lambda: session.execute(statement, [account.name]).fetchall(), deadline)
    if not rows:
        raise Refusal(f"the server has no role {account.name}", "create it with the same grants as the other one")
    may_log_in, expired, may_alter = rows[0]
    if not may_log_in:
        raise Refusal(f"the role {account.name} may not log in", "ALTER ROLE … LOGIN")
    if expired:
        raise Refusal(
            f"the password of {account.name} has expired on the server", "ALTER ROLE … VALID UNTIL 'infinity'"
        )
    if not may_alter:
        raise Refusal(
            f"this user may not change the password of {account.name}", "let an administrator do it: --by CORD"
        )


def set_passwords(session: Any, account: Account, passwords: Sequence[str], deadline: Deadline) -> None:  # noqa: ANN401
    """Set the verifier of one password; it is valid from the end of the statement on."""
    from psycopg import sql

    (password,) = passwords
    made = session.pgconn.encrypt_password(password.encode(), account.name.encode(), b"scram-sha-256").decode()
    statement = sql.SQL("ALTER ROLE {} PASSWORD {}").format(sql.Identifier(account.name), sql.Literal(made))
    for attempt in range(_ATTEMPTS):
        try:
            _run(session, lambda: session.execute(statement), deadline)
        except Refusal as refusal:
            if refusal.code != _AGAIN or attempt + 1 == _ATTEMPTS:
                raise
            time.sleep(_PAUSE)
        else:
            return


def _run(session: Any, call: Any, deadline: Deadline) -> Any:  # noqa: ANN401
    try:
        return deadline.run(call)
    except NoAnswer:
        raise no_answer(deadline, "postgresql") from None
    except _module().Error as error:
        raise cause_of(error) from None
