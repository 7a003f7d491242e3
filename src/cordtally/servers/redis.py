"""Redis, through redis-py; facts from Redis 7: CLIENT LIST, INFO, COMMAND INFO, and redis-py 8.1."""

from __future__ import annotations

import shlex
from collections.abc import Callable
from contextlib import suppress
from time import time
from typing import TYPE_CHECKING, Any

from ..deadline import Deadline, NoAnswer
from ..errors import FieldError, quoted
from ..model import Cord, Host
from . import plain
from .peers import stranger, who_is
from .refusals import Refusal, holes_of, no_answer, refusal_of
from .server import Activity, Answer, Capacity, count_holders, missing

if TYPE_CHECKING:
    from .wire import Wire

DRIVER = "redis-py"
TLS_FIRST = True
STATEMENT = "PING"

_BLOCKED = {"b"}
_BUSY_SECONDS = 1
# the first word of an error reply is its code (RESP specification, "Simple errors"); redis-py takes it off, and
# newer ones keep it as status_code: before, only the class is left
_CODES = {
    "AuthenticationWrongNumberOfArgsError": "own:redis-no-users",
    "InvalidPassword": "redis:WRONGPASS",
    "NoPermissionError": "redis:NOPERM",
    "ReadOnlyError": "redis:READONLY",
    "BusyLoadingError": "redis:LOADING",
    "OutOfMemoryError": "redis:OOM",
    "MasterDownError": "redis:MASTERDOWN",
    "ClusterDownError": "redis:CLUSTERDOWN",
    "MovedError": "redis:MOVED",
    "MaxConnectionsError": "own:redis-max-clients",
    "TimeoutError": "own:redis-timeout",
    "AuthenticationError": "redis:WRONGPASS",
    "ConnectionError": "own:hung-up",
}
_SECTIONS = ("server", "clients", "replication", "cluster")  # of INFO
# ERR alone means nothing; what follows it is never translated
_ERRORS = {
    "max number of clients reached": "own:redis-max-clients",
    "AUTH <password> called without any password": "own:redis-no-users",
    "DB index is out of range": "own:redis-database",
    "invalid DB index": "own:redis-database",
    "SELECT is not allowed in cluster mode": "own:redis-database",
    "wrong number of arguments for 'auth'": "own:redis-no-users",
    "Client sent AUTH, but no password is set": "own:redis-no-users",
}


def socket_name(host: Host) -> str:
    """The socket is a file of its own here."""
    return host.name


def ask_for_tls(wire: Wire) -> bool:
    """TLS begins at once, or not at all: nothing is asked."""
    return True


def greet(wire: Wire, cord: Cord) -> str:
    """Send PING: without a password it is refused, and what is wrong with the server itself is said."""
    wire.send(b"*1\r\n$4\r\nPING\r\n")
    said = wire.receive(512)
    known = who_is(said)
    if known is None or known[0] != "redis":
        raise stranger(said, "redis", wire.place)
    word, _, rest = said[1:].decode("utf-8", "replace").partition("\r\n")[0].partition(" ")
    if said[:1] == b"+":
        return "no password asked for"
    if word == "NOAUTH":
        return ""
    raise refusal_of(_code_in(word, rest), engine="redis", code=None if word == "ERR" else word)


def _code_in(word: str, rest: str) -> str:
    if word != "ERR":
        return f"redis:{word}"
    return next((code for said, code in _ERRORS.items() if said.lower() in rest.lower()), "*")


part = plain.part
watch = plain.watch


def inquire(wire: Wire, cord: Cord) -> Refusal | None:
    """Ask nothing: the driver hands on the server's word."""
    return None


def used_method(session: Any) -> str:  # noqa: ANN401
    """Say nothing: Redis has one method."""
    return ""


def _module() -> Any:  # noqa: ANN401
    try:
        import redis
    except ImportError:
        raise missing("redis", "redis", "Redis") from None
    return redis


def log_in(cord: Cord, deadline: Deadline, *, writes: bool = False) -> Any:  # noqa: ANN401
    """Open a session of one connection."""
    arguments = plain.arguments_of(cord, DRIVER)
    for name in ("socket_timeout", "socket_connect_timeout"):  # so that what is left behind ends soon
        own = arguments.get(name)
        arguments[name] = min(own, deadline.seconds) if isinstance(own, int | float) and own > 0 else deadline.seconds

    def connect() -> Any:  # noqa: ANN401
        from redis.backoff import NoBackoff
        from redis.retry import Retry

        once = Retry(NoBackoff(), 0)  # a password that is refused is refused three times more by redis-py's own
        client = _module().Redis(**{"retry": once, **arguments, "single_connection_client": True})
        try:
            client.ping()
        except BaseException:
            close(client)
            raise
        return client

    try:
        return deadline.run(connect, late=close)
    except NoAnswer:
        raise no_answer(deadline, cord.engine, "log in") from None
    except (_module().RedisError, UnicodeError) as error:
        raise _refused(error, cord, "timeout:log in") from None


def _ask(question: Callable[[], Any], deadline: Deadline) -> Any:  # noqa: ANN401
    """Ask a question of our own; a session that did not answer in time is not to be used again."""
    try:
        return deadline.run(question)
    except NoAnswer:
        raise no_answer(deadline, "redis") from None
    except (_module().RedisError, UnicodeError) as error:
        raise cause_of(error) from None


def cause_of(error: Exception, cord: Cord | None = None) -> Refusal:
    """Turn what the driver raised into a cause, by the word that the server began with."""
    return _refused(error, cord)


def _refused(error: Exception, cord: Cord | None, *first_codes: str) -> Refusal:
    holes = holes_of(cord)
    word, said = getattr(error, "status_code", None), str(error)
    codes = list(first_codes) if type(error).__name__ == "TimeoutError" else []
    if "uthentication required" in said:
        codes.append("redis:NOAUTH")
    if "unknown command" in said and "SELECT" in said.upper():
        codes.append("own:sentinel")
    if "unknown command" in said and "HELLO" in said.upper():  # redis-py from 8 on begins with it
        codes.append("own:redis-no-hello")
    codes.append(_code_in("ERR", said) if word in {None, "ERR"} else f"redis:{word}")
    first, _, rest = said.partition(" ")
    if first.isupper() and rest:
        codes.append(f"redis:{first}")
    codes += [_CODES[kind.__name__] for kind in type(error).__mro__ if kind.__name__ in _CODES]
    codes = [code for code in codes if code != "*"]
    return refusal_of(*codes or ["*"], engine="redis", code=word if word != "ERR" else None, **holes)


def answer(session: Any, deadline: Deadline) -> Answer:  # noqa: ANN401
    """Ask for what a dial tells: INFO, and the user where the server has users (6.0)."""
    facts, user, clock, rights = _ask(lambda: _facts(session), deadline)
    if facts.get("redis_mode") == "sentinel":
        raise refusal_of("own:sentinel", engine="redis")
    kwargs = session.connection_pool.connection_kwargs
    role = {"master": "primary", "slave": "standby"}.get(str(facts.get("role")))
    return Answer(
        product="Valkey" if "valkey_version" in facts else "Redis",
        version=str(facts.get("valkey_version", facts.get("redis_version", "?"))),
        user=user,
        database=str(kwargs.get("db") or 0),
        role=role,
        reads_only=role == "standby",
        rights=("all commands on all keys",) if rights else (),
        clock=clock,
        opened=int(facts.get("connected_clients", 0)),
        limit=int(facts["maxclients"]) if "maxclients" in facts else None,
        reserve=0,
        place=f"{kwargs.get('host')}:{kwargs.get('port')}" if "host" in kwargs else None,
        more="part of a cluster" if facts.get("cluster_enabled") == 1 else "",
    )


def _facts(session: Any) -> tuple[Any, str | None, float | None, bool]:  # noqa: ANN401
    """INFO, the user, how far the clocks differ, and whether the user may do everything; in one round trip."""
    expected = session.connection_pool.connection_kwargs.get("username") or "default"
    before = time()
    # a pipeline of redis-py's own would open a second connection
    asked = (("INFO", *_SECTIONS), ("TIME",), ("ACL WHOAMI",), ("ACL GETUSER", expected))
    session.connection.send_packed_command(session.connection.pack_commands(asked))
    facts, clock, user, account = (_reply(session, words[0]) for words in asked)
    halfway = (before + time()) / 2
    if facts is None:
        facts = session.info()  # before 7.0 it takes one section; and it raises what it was refused with
    ahead = None if clock is None else clock[0] + clock[1] / 1e6 - halfway
    return facts, user, ahead, account is not None and user == expected and _may_all(account)


def _reply(session: Any, command: str) -> Any:  # noqa: ANN401
    """A reply; None where it is refused: older servers have no users, and a user may lack the right to ask."""
    try:
        return session.parse_response(session.connection, command)
    except _module().ResponseError:
        return None


def _may_all(account: Any) -> bool:  # noqa: ANN401
    return "+@all" in str(account.get("commands", "")) and "*" in str(account.get("keys", ""))


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
