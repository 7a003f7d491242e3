"""InfluxDB 1, through its Python client; facts from influxdb 5.3.2 and a server 1.6.7 (Debian)."""

from __future__ import annotations

import re
from contextlib import suppress
from typing import TYPE_CHECKING, Any

from ..deadline import Deadline, NoAnswer
from ..model import Cord, TlsLevel
from ..secrets import text_for
from . import plain
from .peers import stranger
from .refusals import Refusal, holes_of, no_answer, refusal_of
from .server import Answer, missing
from .wire import HungUp

if TYPE_CHECKING:
    from .wire import Wire

DRIVER = "influxdb-python"
TLS_FIRST = True
STATEMENT = "SHOW DATABASES"
_VERSION = re.compile(rb"(?im)^X-Influxdb-Version:")
_MOST = 8192

socket_name = plain.socket_name
ask_for_tls = plain.ask_for_tls
part = plain.part
inquire = plain.inquire
used_method = plain.used_method
watch = plain.watch


def greet(wire: Wire, cord: Cord) -> str:
    """Ask for /ping, which needs no user, and whose head names the server."""
    wire.send(b"GET /ping HTTP/1.0\r\n\r\n")
    said = wire.receive()
    with suppress(HungUp):  # the head may come in pieces
        while len(said) < _MOST and b"\r\n\r\n" not in said:
            said += wire.receive()
    if not said.startswith(b"HTTP/") or _VERSION.search(said) is None:
        raise stranger(said, "influxdb", wire.place)
    return ""


def _module() -> Any:  # noqa: ANN401
    try:
        import influxdb
    except ImportError:
        raise missing("influxdb", "influxdb", "InfluxDB") from None
    return influxdb


def log_in(cord: Cord, deadline: Deadline, *, writes: bool = False) -> Any:  # noqa: ANN401
    """Make a client, and let it ask once: the server looks at user and password with each question."""
    influxdb, level = _module(), cord.tls.level
    verified: object = False
    if level is not None and level >= TlsLevel.VERIFY_CHAIN:
        verified = True if cord.tls.ca in {None, "system"} else str(cord.tls.ca)
    text = text_for(cord.copy_with(tls=type(cord.tls)(level)), "influxdb-python/url")
    most = deadline.seconds * plain.SHARE

    def connect() -> Any:  # noqa: ANN401
        client = influxdb.InfluxDBClient.from_dsn(text, verify_ssl=verified, timeout=most, retries=1)
        client.query(STATEMENT if cord.database is None else "SHOW MEASUREMENTS LIMIT 1")
        return client, cord

    try:
        return deadline.run(connect, late=close)
    except NoAnswer:
        raise no_answer(deadline, cord.engine, "log in") from None
    except errors() as error:
        raise cause_of(error, cord) from None


def cause_of(error: Exception, cord: Cord | None = None) -> Refusal:
    """Turn what the client raised into a cause, by the answer's status and the server's words."""
    holes, code = holes_of(cord), getattr(error, "code", None)
    if isinstance(code, int):
        return refusal_of(f"influxdb:{code}", engine="influxdb", code=str(code), said=_said(error), **holes)
    if "not found" in str(error):  # with status 200, and without a code
        return refusal_of("influxdb:404", engine="influxdb", **holes)
    slow = "Timeout" in type(error).__name__
    return refusal_of("timeout:log in" if slow else "own:hung-up", engine="influxdb", limit="its limit", **holes)


def _said(error: Exception) -> str:
    found = re.search(r'"error":"((?:[^"\\]|\\.)*)"', str(getattr(error, "content", "")))
    return found[1] if found is not None else ""


def answer(session: Any, deadline: Deadline) -> Answer:  # noqa: ANN401
    """Ask for the version, and for the rights where they may be seen."""
    client, cord = session
    rights: tuple[str, ...] = ()

    def administers() -> bool:
        with suppress(_module().exceptions.InfluxDBClientError):
            client.query("SHOW USERS")
            return True
        return False

    try:
        version = deadline.run(client.ping)
        if cord.user is not None and deadline.run(administers):
            rights = ("all privileges",)
    except NoAnswer:
        raise no_answer(deadline, "influxdb") from None
    except errors() as error:
        raise cause_of(error) from None
    return Answer(
        product="InfluxDB",
        version=str(version),
        user=cord.user_name or None,
        database=cord.database and str(cord.database),
        rights=rights,
    )


def run(session: Any, statement: str) -> None:  # noqa: ANN401
    """Ask a question."""
    session[0].query(statement)


def close(session: Any) -> None:  # noqa: ANN401
    """Close the client's connections."""
    with suppress(Exception):
        session[0].close()


def errors() -> tuple[type[Exception], ...]:
    """What the client raises; OSError, of which those of requests are, where the network fails under it."""
    exceptions = _module().exceptions
    return (exceptions.InfluxDBClientError, exceptions.InfluxDBServerError, OSError, ValueError)
