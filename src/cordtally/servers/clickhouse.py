"""ClickHouse over its native protocol, through clickhouse-driver; facts from clickhouse-driver 0.2.11."""

from __future__ import annotations

from contextlib import suppress
from typing import Any

from ..deadline import Deadline, NoAnswer
from ..model import Cord
from . import plain
from .refusals import Refusal, holes_of, no_answer, refusal_of
from .server import Answer, missing

DRIVER = "clickhouse-driver"
TLS_FIRST = True
STATEMENT = "SELECT 1"
_ANSWER = "SELECT version(), currentUser(), currentDatabase(), toUnixTimestamp(now())"

socket_name = plain.socket_name
ask_for_tls = plain.ask_for_tls
greet = plain.greet
part = plain.part
inquire = plain.inquire
used_method = plain.used_method
watch = plain.watch


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
    for name in ("connect_timeout", "send_receive_timeout", "sync_request_timeout"):  # what is left behind ends soon
        arguments[name] = plain.shorter(arguments.get(name), deadline.seconds)

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
    """Ask for version, user and database."""
    try:
        ((version, user, database, _),) = deadline.run(lambda: session.execute(_ANSWER))
    except NoAnswer:
        close(session)
        raise no_answer(deadline, "clickhouse") from None
    except (_module().errors.Error, OSError, EOFError) as error:
        raise cause_of(error) from None
    return Answer(product="ClickHouse", version=str(version), user=user, database=database)


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
