"""Redis, through redis-py; facts from Redis 7: CLIENT LIST, INFO, COMMAND INFO, and redis-py 8.1."""

from __future__ import annotations

import shlex
import socket
from collections.abc import Callable
from contextlib import suppress
from typing import Any

from ..deadline import Deadline, NoAnswer
from ..errors import FieldError, quoted
from ..model import Cord, Host
from ..secrets import arguments_for
from .server import Activity, Answer, Capacity, Refusal, count_holders, missing, no_answer

DRIVER = "redis-py"
STATEMENT = "PING"

_BLOCKED = {"b"}
_BUSY_SECONDS = 1
# the first word of an error reply is its code (RESP specification, "Simple errors"); redis-py takes it off
_REFUSALS = {
    "AuthenticationError": ("the server wants a password, or another one", "check user and password"),
    "InvalidPassword": ("the server does not accept user and password together", "check both"),
    "AuthenticationWrongNumberOfArgsError": ("the server knows no users, only a password", "leave the user out"),
    "NoPermissionError": ("the user may not do what the command does", "ACL SETUSER … on the server"),
    "ReadOnlyError": ("the server is a replica, and the command writes", "use the primary"),
    "BusyLoadingError": ("the server is loading its data", "wait, and dial again"),
    "MaxConnectionsError": ("the server has no free connection left", "shrink the pools, or raise maxclients"),
    "TimeoutError": ("the command took longer than its limit", "give it longer"),
    "ConnectionError": ("nothing answers there, or the connection was lost", "check host and port, and dial again"),
    "OutOfMemoryError": ("the server has no memory left for what the command writes", "raise maxmemory"),
}
_CREDENTIALS = frozenset(["AuthenticationError", "InvalidPassword", "AuthenticationWrongNumberOfArgsError"])
_LAST_DATABASE = "the server has no database of that number"


def socket_name(host: Host) -> str:
    """The socket is a file of its own here."""
    return host.name


def ask_for_tls(plug: socket.socket, deadline: Deadline) -> bool:
    """TLS begins at once, or not at all: nothing is asked."""
    return True


def _module() -> Any:  # noqa: ANN401
    try:
        import redis
    except ImportError:
        raise missing("redis", "redis", "Redis") from None
    return redis


def log_in(cord: Cord, deadline: Deadline, *, writes: bool = False) -> Any:  # noqa: ANN401
    """Open a session of one connection."""
    arguments = arguments_for(cord, DRIVER)

    def connect() -> Any:  # noqa: ANN401
        from redis.backoff import NoBackoff
        from redis.retry import Retry

        once = Retry(NoBackoff(), 0)  # a password that is refused is refused three times more by redis-py's own
        client = _module().Redis(**{"retry": once, **arguments, "single_connection_client": True})
        client.ping()
        return client

    return _ask(connect, deadline)


def _ask(question: Callable[[], Any], deadline: Deadline) -> Any:  # noqa: ANN401
    """Ask a question of our own; a session that did not answer in time is not to be used again."""
    try:
        return deadline.run(question)
    except NoAnswer:
        raise no_answer(deadline) from None
    except (_module().RedisError, UnicodeError) as error:
        raise cause_of(error) from None


def cause_of(error: Exception) -> Refusal:
    """Turn what the driver raised into a cause, by its class: the error's code is gone by then."""
    if type(error).__name__ == "ResponseError" and "DB index is out of range" in str(error):
        return Refusal(_LAST_DATABASE, "databases are numbered from 0, to 15 by default", database=True)
    for kind in type(error).__mro__:
        if kind.__name__ in _REFUSALS:
            return Refusal(*_REFUSALS[kind.__name__], credentials=kind.__name__ in _CREDENTIALS)
    return Refusal("the server refused the command", "try it in redis-cli")


def answer(session: Any, deadline: Deadline) -> Answer:  # noqa: ANN401
    """Ask for the version, and for the user where the server has users (6.0)."""
    facts = _ask(lambda: session.info("server"), deadline)
    product = "Valkey" if "valkey_version" in facts else "Redis"
    version = facts.get("valkey_version", facts.get("redis_version", "?"))
    try:
        user: str | None = str(_ask(session.acl_whoami, deadline))
    except Refusal:
        user = None
    number = session.connection_pool.connection_kwargs.get("db") or 0
    return Answer(product=f"{product} {version}", user=user, database=str(number))


def prepare(session: Any, *, limit: float, writes: bool) -> None:  # noqa: ANN401
    """Let a reply take ``limit`` seconds."""
    # redis-py reads the pool's arguments only when it connects, so the open connection is made anew
    session.connection_pool.connection_kwargs["socket_timeout"] = limit
    if session.connection is not None:
        session.connection.disconnect()
        session.connection.socket_timeout = limit
        session.connection.connect()


def run(session: Any, statement: str) -> None:  # noqa: ANN401
    """Run a command."""
    session.execute_command(*shlex.split(statement))


def check(session: Any, statement: str, *, writes: bool) -> None:  # noqa: ANN401
    """Refuse a command that the server does not mark as reading, or as harmless to any state.

    Raises
    ------
    FieldError
        For such a command, and for one that the server does not know.
    """
    name = shlex.split(statement)[0].lower() if statement.strip() else ""
    known = session.execute_command("COMMAND", "INFO", name)
    facts = known.get(name) if isinstance(known, dict) else None
    if facts is None:
        raise FieldError(f"Redis has no command {quoted(name.upper())}")
    flags = {str(flag) for flag in facts["flags"]}
    # "fast" alone marks PING and its like; what is for administrators is refused even where it only reads
    if not writes and ("write" in flags or not flags & {"readonly", "fast"} or "admin" in flags):
        raise FieldError(f"{name.upper()} may change something; give --allow-writes if that is meant")


def capacity(session: Any, deadline: Deadline) -> Capacity:  # noqa: ANN401
    """Read the limits."""
    clients = _ask(lambda: session.info("clients"), deadline)
    limit = clients.get("maxclients")
    ends = float(_ask(lambda: session.config_get("timeout"), deadline).get("timeout", 0)) or None
    return Capacity(None if limit is None else int(limit), 0, int(clients["connected_clients"]), ends)


def activity(session: Any, deadline: Deadline) -> Activity:  # noqa: ANN401
    """Read the list of clients: those that asked within the last second count as active."""
    own = _ask(session.client_id, deadline)
    active = idle = inside = waiting = 0
    oldest = 0.0
    holders: dict[str, int] = {}
    for client in _ask(session.client_list, deadline):
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
    done = _ask(lambda: session.info("stats"), deadline)["total_commands_processed"]
    limit = _ask(lambda: session.info("clients"), deadline).get("maxclients")
    return Activity(
        active=active,
        idle=idle,
        idle_in_transaction=inside,
        waiting=waiting,
        oldest=oldest,
        transactions=int(done),
        limit=None if limit is None else int(limit),
        holders=count_holders(holders),
    )


def close(session: Any) -> None:  # noqa: ANN401
    """Close a session."""
    with suppress(Exception):
        session.close()


def errors() -> tuple[type[Exception], ...]:
    """What redis-py raises."""
    return (_module().RedisError,)
