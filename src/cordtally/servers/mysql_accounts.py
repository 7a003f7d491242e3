"""Passwords of MariaDB's and MySQL's accounts; facts from MariaDB 10.11.19, run, and MySQL's manual (8.0), unchecked.

MariaDB writes statements with clear passwords into its general log, so that it gets the hash of mysql_native_password,
'*' and SHA-1 of SHA-1. Of two methods in one account either logs in. MySQL replaces passwords in its logs by itself; it
gets them over TLS alone.
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Sequence
from typing import Any

from ..deadline import Deadline
from .accounts import Account
from .mysql import _rows
from .refusals import Refusal

TWO_PASSWORDS = True
_NATIVE = "mysql_native_password"
# what SHOW CREATE USER gives for an account of one native password, or of the two that are set here
_PLAIN = re.compile(
    rf"CREATE USER `(?:[^`]|``)*`@`(?:[^`]|``)*` IDENTIFIED (?:BY PASSWORD|VIA {_NATIVE} USING) '\*[0-9A-F]{{40}}'"
    rf"(?: OR {_NATIVE} USING '\*[0-9A-F]{{40}}')?(?P<rest>.*)",
    re.DOTALL,
)


def account_of(session: Any, user: str, deadline: Deadline) -> Account:  # noqa: ANN401
    """The account that is logged in, with its host; another user's is taken to have the same host."""
    ((current,),) = _rows(session, "SELECT CURRENT_USER()", deadline)
    own, _, host = str(current).rpartition("@")
    return Account(user or own, host)


def refuse(session: Any, account: Account, deadline: Deadline, *, two: bool) -> None:  # noqa: ANN401
    """Refuse an account of another kind than one native password; MySQL without TLS."""
    if not _is_maria(session):
        if not session.ssl:
            raise Refusal("MySQL gets a new password over TLS alone", "ask for TLS: verify-identity")
        return
    told = str(_rows(session, f"SHOW CREATE USER {_quoted(session, account)}", deadline)[0][0])
    if _PLAIN.fullmatch(told) is None:
        raise Refusal(
            f"the account {account.name} logs in by another method than {_NATIVE}, or by several",
            "change its password by hand, so that its methods stay",
        )


def set_passwords(session: Any, account: Account, passwords: Sequence[str], deadline: Deadline) -> None:  # noqa: ANN401
    """Set one password, or the old and the new one; limits, TLS and grants of the account stay."""
    whose = _quoted(session, account)
    if not _is_maria(session):
        new = session.escape(passwords[-1])
        kept = " RETAIN CURRENT PASSWORD" if len(passwords) > 1 else ""
        _rows(session, f"ALTER USER {whose} IDENTIFIED BY {new}{kept}", deadline)
        if not kept:
            _rows(session, f"ALTER USER {whose} DISCARD OLD PASSWORD", deadline)
        return
    ((current,),) = _rows(session, "SELECT CURRENT_USER()", deadline)
    if len(passwords) == 1 and str(current) == f"{account.name}@{account.host}":
        _rows(session, f"SET PASSWORD = '{_hash(passwords[0])}'", deadline)  # which everybody may
        return
    methods = " OR ".join(f"{_NATIVE} USING '{_hash(password)}'" for password in passwords)
    _rows(session, f"ALTER USER {whose} IDENTIFIED VIA {methods}", deadline)


def _is_maria(session: Any) -> bool:  # noqa: ANN401
    return "mariadb" in str(session.get_server_info()).lower()


def _quoted(session: Any, account: Account) -> str:  # noqa: ANN401
    return f"{session.escape(account.name)}@{session.escape(account.host or '%')}"


def _hash(password: str) -> str:
    """The hash of mysql_native_password (MariaDB knowledge base, "Authentication Plugin - mysql_native_password")."""
    return "*" + hashlib.sha1(hashlib.sha1(password.encode()).digest()).hexdigest().upper()
