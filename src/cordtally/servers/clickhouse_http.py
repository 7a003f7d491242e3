"""ClickHouse over HTTP, through ClickHouse Connect; facts from clickhouse-connect 1.12.0 and server 18.16."""

from __future__ import annotations

import re
from contextlib import suppress
from typing import Any

from ..deadline import Deadline, NoAnswer
from ..model import Cord
from . import clickhouse, plain
from .refusals import Refusal, holes_of, no_answer, refusal_of
from .server import Answer, missing
from .wire import Wire

DRIVER = "clickhouse-connect"
TLS_FIRST = True
STATEMENT = "SELECT 1"
_CODES = (r"error code (\d+)", r"\bCode: (\d+)")  # the header's, and that of servers which send none

socket_name = plain.socket_name
ask_for_tls = plain.ask_for_tls
part = plain.part
inquire = plain.inquire
used_method = plain.used_method
watch = plain.watch


def greet(wire: Wire, cord: Cord) -> str:
    """Ask for /ping, which needs no user."""
    clickhouse.ping(wire, over_http=True)
    return ""


def _module() -> Any:  # noqa: ANN401
    try:
        import clickhouse_connect
    except ImportError:
        raise missing("clickhouse-connect", "clickhouse", "ClickHouse over HTTP") from None
    return clickhouse_connect


def log_in(cord: Cord, deadline: Deadline, *, writes: bool = False) -> Any:  # noqa: ANN401
    """Make a client, which asks at once; its own timeouts count only where they are the shorter ones."""
    module = _module()
    # a compressed answer of a hostile server may be a thousand times what came
    arguments = {**plain.arguments_of(cord, DRIVER), "compress": False}
    for name in ("connect_timeout", "send_receive_timeout"):  # what is left behind ends soon
        arguments[name] = plain.shorter(arguments.get(name), deadline.seconds * plain.SHARE)

    def connect() -> Any:  # noqa: ANN401
        client = module.get_client(**{"client_name": "cordtally", **arguments})
        client.command(STATEMENT)  # its own first questions do not name the database
        return client

    try:
        return deadline.run(connect, late=close)
    except NoAnswer:
        raise no_answer(deadline, cord.engine, "log in") from None
    except errors() as error:
        raise cause_of(error, cord) from None


def cause_of(error: Exception, cord: Cord | None = None) -> Refusal:
    """Turn what the driver raised into a cause, by the server's number, which it hands on in its own words."""
    holes, number = holes_of(cord), getattr(error, "code", None)
    found = next((match for words in _CODES if (match := re.search(words, str(error)))), None)
    if number is None and found is not None:
        number = found[1]
    if number is not None:
        return refusal_of(f"clickhouse:{number}", engine="clickhouse", code=str(number), **holes)
    slow = "timed out" in str(error).lower()
    return refusal_of("timeout:log in" if slow else "own:hung-up", engine="clickhouse", limit="its limit", **holes)


def answer(session: Any, deadline: Deadline) -> Answer:  # noqa: ANN401
    """Ask what ClickHouse is asked over its own protocol, too."""

    def ask(statement: str) -> tuple[Any, ...]:
        return tuple(deadline.run(lambda: session.query(statement).result_rows)[0])

    try:
        return clickhouse.asked(ask, errors())
    except NoAnswer:
        close(session)
        raise no_answer(deadline, "clickhouse") from None
    except errors() as error:
        raise cause_of(error) from None


def run(session: Any, statement: str) -> None:  # noqa: ANN401
    """Run a statement and fetch its rows."""
    session.command(statement)


def close(session: Any) -> None:  # noqa: ANN401
    """Close a session."""
    with suppress(Exception):
        session.close()


def errors() -> tuple[type[Exception], ...]:
    """What ClickHouse Connect raises; OSError where the network fails under it."""
    return (_module().driver.exceptions.ClickHouseError, OSError)
