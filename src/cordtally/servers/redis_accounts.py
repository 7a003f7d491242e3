"""Passwords of Redis's users; facts from Redis 7.0.15, run: ACL SETUSER, ACL SAVE, CONFIG REWRITE.

All passwords of a user are set by one command, so that it can be sent again after a crash. Nothing of it outlives a
restart unless the server has a file of users, or a configuration file that it may write.
"""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from typing import Any

from ..deadline import Deadline
from .accounts import Account
from .redis import _ask
from .refusals import Refusal

TWO_PASSWORDS = True


def account_of(session: Any, user: str, deadline: Deadline) -> Account:  # noqa: ANN401
    """The user of that name; without one the default user."""
    return Account(user or "default")


def refuse(session: Any, account: Account, deadline: Deadline, *, two: bool) -> None:  # noqa: ANN401
    """Refuse a user that is not there or needs no password, and a server on which no change outlives a restart."""
    facts = _ask(lambda: session.acl_getuser(account.name), deadline)
    if facts is None:
        raise Refusal(f"the server has no user {account.name}", "create it with the same rights as the other one")
    if "nopass" in facts["flags"]:
        raise Refusal(f"the user {account.name} needs no password", "give it one first: ACL SETUSER")
    if _keeper(session, deadline) is None:
        raise Refusal(
            "the server has no file of users and no configuration file: a new password would not outlive a restart",
            "start it with aclfile, or with a configuration file",
        )


def set_passwords(session: Any, account: Account, passwords: Sequence[str], deadline: Deadline) -> None:  # noqa: ANN401
    """Set exactly these passwords by their hashes, and have the server keep them."""
    hashes = [f"#{hashlib.sha256(password.encode()).hexdigest()}" for password in passwords]
    _ask(lambda: session.execute_command("ACL", "SETUSER", account.name, "resetpass", *hashes), deadline)
    keeper = _keeper(session, deadline)
    if keeper is not None:
        _ask(lambda: session.execute_command(*keeper), deadline)


def _keeper(session: Any, deadline: Deadline) -> tuple[str, ...] | None:  # noqa: ANN401
    """The command by which the server keeps what its users are; None where there is none."""
    if _ask(lambda: session.config_get("aclfile"), deadline).get("aclfile"):
        return ("ACL", "SAVE")
    if _ask(lambda: session.info("server"), deadline).get("config_file"):
        return ("CONFIG", "REWRITE")
    return None
