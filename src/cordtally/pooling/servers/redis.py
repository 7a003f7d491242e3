"""Redis, through redis-py; facts from Redis 7: CLIENT LIST, INFO, COMMAND INFO."""

from __future__ import annotations

import shlex
from collections.abc import Mapping
from typing import Any

from ...errors import FieldError, MissingExtra
from .session import Activity, Capacity

DRIVER = "redis-py"
STATEMENT = "PING"

_BLOCKED = {"b"}
_BUSY_SECONDS = 1


def _module() -> Any:  # noqa: ANN401
    try:
        import redis
    except ImportError:
        raise MissingExtra("redis", "redis", "a session at Redis") from None
    return redis


def connect(arguments: Mapping[str, object], *, limit: float, writes: bool) -> Any:  # noqa: ANN401
    """Open a session of one connection; a reply may take ``limit`` seconds."""
    client = _module().Redis(**{**arguments, "socket_timeout": limit, "single_connection_client": True})
    client.ping()
    return client


def run(connection: Any, statement: str) -> None:  # noqa: ANN401
    """Run a command."""
    connection.execute_command(*shlex.split(statement))


def check(connection: Any, statement: str, *, writes: bool) -> None:  # noqa: ANN401
    """Refuse a command that the server does not mark as reading, or as harmless to any state.

    Raises
    ------
    FieldError
        For such a command, and for one that the server does not know.
    """
    name = shlex.split(statement)[0].lower() if statement.strip() else ""
    known = connection.execute_command("COMMAND", "INFO", name)
    facts = known.get(name) if isinstance(known, dict) else None
    if facts is None:
        raise FieldError(f"Redis has no command {name.upper()!r}")
    flags = {str(flag) for flag in facts["flags"]}
    if not writes and ("write" in flags or not flags & {"readonly", "fast"} or "admin" in flags):
        raise FieldError(f"{name.upper()} may change something; give --allow-writes if that is meant")


def capacity(connection: Any) -> Capacity:  # noqa: ANN401
    """Read the limits."""
    clients = connection.info("clients")
    limit = clients.get("maxclients")
    ends = float(connection.config_get("timeout").get("timeout", 0)) or None
    return Capacity(None if limit is None else int(limit), 0, int(clients["connected_clients"]), ends)


def activity(connection: Any) -> Activity:  # noqa: ANN401
    """Read the list of clients: those that asked within the last second count as active."""
    own = connection.client_id()
    active = idle = inside = waiting = 0
    oldest = 0.0
    holders: dict[str, int] = {}
    for client in connection.client_list():
        if int(client["id"]) == own:
            continue
        flags = set(client.get("flags", ""))
        if "x" in flags:
            inside += 1
            oldest = max(oldest, float(client.get("idle", 0)))
        elif int(client.get("idle", 0)) < _BUSY_SECONDS or flags & _BLOCKED:
            active += 1
        else:
            idle += 1
        waiting += bool(flags & _BLOCKED)
        holder = str(client.get("user", "default")) + (f"/{client['name']}" if client.get("name") else "")
        holders[holder] = holders.get(holder, 0) + 1
    done = connection.info("stats")["total_commands_processed"]
    limit = connection.info("clients").get("maxclients")
    return Activity(
        active=active, idle=idle, idle_in_transaction=inside, waiting=waiting, oldest=oldest, transactions=int(done),
        limit=None if limit is None else int(limit), holders=tuple(sorted(holders.items(), key=lambda h: -h[1])),
    )  # fmt: skip


def errors() -> tuple[type[Exception], ...]:
    """What redis-py raises."""
    return (_module().RedisError,)
