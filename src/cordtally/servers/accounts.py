"""Passwords of a server's accounts: what each engine's module offers to whoever changes them.

No module sends a password in clear where the server would write it down: PostgreSQL gets a SCRAM verifier, MariaDB and
Redis a hash, each made here.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from importlib import import_module
from typing import Protocol

from ..deadline import Deadline
from ..errors import FieldError
from .server import Session


@dataclass(frozen=True, slots=True)
class Account:
    """An account as the server calls it: its name, and on MySQL the host that belongs to it."""

    name: str
    host: str = ""


class Accounts(Protocol):
    """What the module of an engine offers; a server that refuses raises `Refusal`."""

    TWO_PASSWORDS: bool
    """Whether an account can have an old and a new password at once."""

    def account_of(self, session: Session, user: str, deadline: Deadline) -> Account:
        """The account that the session is logged in with, under another name if ``user`` is another one."""
        ...

    def refuse(self, session: Session, account: Account, deadline: Deadline, *, two: bool) -> None:
        """Refuse an account whose password cannot be changed so that it lasts and nothing else of it changes."""
        ...

    def set_passwords(self, session: Session, account: Account, passwords: Sequence[str], deadline: Deadline) -> None:
        """Let an account log in with exactly these passwords: one, or the old and the new one."""
        ...


_MODULES = {
    "postgresql": "postgresql_accounts",
    "mariadb": "mysql_accounts",
    "mysql": "mysql_accounts",
    "redis": "redis_accounts",
}


def accounts_of(engine: str) -> Accounts:
    """Give the module of an engine.

    Raises
    ------
    FieldError
        For an engine whose passwords are not changed here.
    """
    if engine not in _MODULES:
        raise FieldError(f"passwords of {engine} are not changed here; those of {', '.join(_MODULES)} are")
    module: Accounts = import_module(f".{_MODULES[engine]}", __package__)
    return module
