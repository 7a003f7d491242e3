"""ClickHouse over its native protocol, through clickhouse-driver; facts from clickhouse-driver 0.2.11."""

from __future__ import annotations

from contextlib import suppress
from time import time
from typing import TYPE_CHECKING, Any

from ..deadline import Deadline, NoAnswer
from ..model import Cord
from . import plain
from .peers import stranger
from .refusals import Refusal, holes_of, no_answer, refusal_of
from .server import Answer, missing
from .wire import HungUp

if TYPE_CHECKING:
    from collections.abc import Callable

    from .wire import Wire

DRIVER = "clickhouse-driver"
TLS_FIRST = True
STATEMENT = "SELECT 1"
_ANSWER = "SELECT version(), currentDatabase(), toUnixTimestamp(now())"
_WHO = "SELECT currentUser()"  # which servers before 20.1 do not know
_MOST = 16 << 10  # bytes of an answer to /ping
_NATIVE, _HTTP = b"clickhouse-client program", b"Ok.\n"
"""What ClickHouse answers over its own protocol to who speaks HTTP, and over HTTP to /ping."""

socket_name = plain.socket_name
ask_for_tls = plain.ask_for_tls
greet = plain.greet
part = plain.part
used_method = plain.used_method
watch = plain.watch


def ping(wire: Wire, *, over_http: bool) -> None:
    """Ask for /ping in HTTP, and refuse who answers otherwise than this protocol of ClickHouse's does.

    Raises
    ------
    Refusal
        With the name of who it is, as far as it is known.
    """
    wire.send(b"GET /ping HTTP/1.0\r\n\r\n")
    said, place = wire.receive(), wire.place
    with suppress(HungUp):  # the head may come before the rest
        while len(said) < _MOST and _HTTP not in said and _NATIVE not in said:
            said += wire.receive()
    if (_HTTP in said and said.startswith(b"HTTP/")) if over_http else _NATIVE in said:
        return
    if over_http and _NATIVE in said:
        raise refusal_of("peer:other-port", engine="clickhouse", place=place, name="its own protocol")
    if _HTTP in said and said.startswith(b"HTTP/"):
        raise refusal_of("peer:other-port", engine="clickhouse", place=place, name="HTTP")
    raise stranger(said, "clickhouse", place)


def inquire(wire: Wire, cord: Cord) -> Refusal | None:
    """Ask in HTTP who it is: ClickHouse says there which port is for what."""
    try:
        ping(wire, over_http=False)
    except Refusal as refusal:
        return refusal
    return None


def _module() -> Any:  # noqa: ANN401
    try:
        import clickhouse_driver
    except ImportError:
        raise missing("clickhouse-driver", "clickhouse", "ClickHouse") from None
    return clickhouse_driver


def log_in(cord: Cord, deadline: Deadline, *, writes: bool = False) -> Any:  # noqa: ANN401
    """Connect through the driver; its own timeouts count only where they are the shorter ones."""
    module = _module()
    arguments = plain.arguments_of(cord, DRIVER)
    arguments.pop("compression", None)  # what little a hostile server sends may become a thousand times as much
    # what is left behind ends soon; and there is time to ask who else it is
    for name in ("connect_timeout", "send_receive_timeout", "sync_request_timeout"):
        arguments[name] = plain.shorter(arguments.get(name), deadline.seconds * plain.SHARE)

    def connect() -> Any:  # noqa: ANN401
        client = module.Client(**{"client_name": "cordtally", **arguments})
        client.execute(STATEMENT)
        return client

    try:
        return deadline.run(connect, late=close)
    except NoAnswer:
        raise no_answer(deadline, cord.engine, "log in") from None
    except (module.errors.Error, OSError, UnicodeError, EOFError) as error:
        raise cause_of(error, cord) from None


def cause_of(error: Exception, cord: Cord | None = None) -> Refusal:
    """Turn what the driver raised into a cause, by the server's number."""
    holes, number = holes_of(cord), getattr(error, "code", None)
    if isinstance(number, int) and type(error).__name__ == "ServerException":
        return refusal_of(f"clickhouse:{number}", engine="clickhouse", code=str(number), **holes)
    slow = isinstance(error, TimeoutError) or type(error).__name__ == "SocketTimeoutError"
    return refusal_of("timeout:log in" if slow else "own:hung-up", engine="clickhouse", limit="its limit", **holes)


def answer(session: Any, deadline: Deadline) -> Answer:  # noqa: ANN401
    """Ask for version, user, database and time."""

    def ask(statement: str) -> tuple[Any, ...]:
        return tuple(deadline.run(lambda: session.execute(statement))[0])

    try:
        return asked(ask, (_module().errors.Error,))
    except NoAnswer:
        close(session)
        raise no_answer(deadline, "clickhouse") from None
    except (_module().errors.Error, OSError, EOFError) as error:
        raise cause_of(error) from None


def asked(ask: Callable[[str], tuple[Any, ...]], refused: tuple[type[Exception], ...]) -> Answer:
    """Ask what can be asked over both protocols; ``ask`` gives the one row of an answer."""
    before = time()
    version, database, clock = ask(_ANSWER)
    halfway = (before + time()) / 2
    user: str | None = None
    with suppress(*refused):
        (user,) = ask(_WHO)
    # the server tells whole seconds
    return Answer(
        product="ClickHouse", version=str(version), user=user, database=database, clock=float(clock) + 0.5 - halfway
    )


def run(session: Any, statement: str) -> None:  # noqa: ANN401
    """Run a statement and fetch its rows."""
    session.execute(statement)


def close(session: Any) -> None:  # noqa: ANN401
    """Close a session."""
    with suppress(Exception):
        session.disconnect()


def errors() -> tuple[type[Exception], ...]:
    """What clickhouse-driver raises; OSError and EOFError where the network fails under it."""
    return (_module().errors.Error, OSError, EOFError)
