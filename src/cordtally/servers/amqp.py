"""RabbitMQ and its kin, through Pika; facts from AMQP 0-9-1, Pika 1.4.4 and a broker 3.10.8 (Debian)."""

from __future__ import annotations

import re
import struct
from contextlib import suppress
from typing import TYPE_CHECKING, Any

from ..deadline import Deadline, NoAnswer
from ..model import Cord
from ..secrets import text_for
from . import plain
from .peers import stranger
from .refusals import Refusal, holes_of, no_answer, refusal_of
from .server import Answer, missing

if TYPE_CHECKING:
    from .wire import Wire

DRIVER = "pika"
TLS_FIRST = True
STATEMENT = "channel"
_HEADER = b"AMQP\0\0\x09\x01"
_START = (10, 10)  # Connection.Start (AMQP 0-9-1, 1.4.2.1)
_LARGEST = 1 << 16
_CLOSED = re.compile(r"\((\d{3})\) ['\"](.*)['\"]")  # what Pika has of Connection.Close: reply-code and reply-text

socket_name = plain.socket_name
ask_for_tls = plain.ask_for_tls
part = plain.part
inquire = plain.inquire
used_method = plain.used_method
watch = plain.watch


def greet(wire: Wire, cord: Cord) -> str:
    """Send the protocol's header, and read which log-ins the broker offers."""
    wire.send(_HEADER)
    head = wire.read(7)
    if head.startswith(b"AMQP"):
        raise refusal_of("own:protocol", engine="amqp", **holes_of(cord))
    kind, channel, length = struct.unpack(">BHI", head)
    if kind != 1 or channel != 0 or not 4 <= length < _LARGEST:
        raise stranger(head, "amqp", wire.place)
    said = wire.read(length + 1)
    if struct.unpack(">HH", said[:4]) != _START:
        raise stranger(head + said, "amqp", wire.place)
    return _mechanisms(said[6:-1])


def _mechanisms(said: bytes) -> str:
    """The names of log-ins behind the table of properties; empty where it is not well formed."""
    try:
        (table,) = struct.unpack(">I", said[:4])
        (length,) = struct.unpack(">I", said[4 + table : 8 + table])
    except struct.error:
        return ""
    return ", ".join(said[8 + table : 8 + table + length].decode("ascii", "replace").split())


def _module() -> Any:  # noqa: ANN401
    try:
        import pika
    except ImportError:
        raise missing("pika", "amqp", "RabbitMQ") from None
    return pika


def log_in(cord: Cord, deadline: Deadline, *, writes: bool = False) -> Any:  # noqa: ANN401
    """Open a connection on the virtual host; what is verified is what the cord asks for."""
    pika = _module()
    parameters = pika.URLParameters(text_for(cord, "pika/url"))
    level = cord.tls.level
    if parameters.ssl_options is not None and level is not None:
        host = parameters.host
        parameters.ssl_options = pika.SSLOptions(plain.context_of(cord, level), host)
    most = deadline.seconds * plain.SHARE
    parameters.connection_attempts = 1
    for name in ("socket_timeout", "stack_timeout", "blocked_connection_timeout"):
        setattr(parameters, name, plain.shorter(getattr(parameters, name), most))

    try:
        return deadline.run(lambda: pika.BlockingConnection(parameters), late=close)
    except NoAnswer:
        raise no_answer(deadline, cord.engine, "log in") from None
    except errors() as error:
        raise cause_of(error, cord) from None


def cause_of(error: Exception, cord: Cord | None = None) -> Refusal:
    """Turn what Pika raised into a cause, by the broker's reply code, which it hands on in words."""
    holes = holes_of(cord)
    said = next((found for one in _chain(error) if (found := _CLOSED.search(str(one))) is not None), None)
    code = getattr(error, "reply_code", None)
    if said is not None:
        return refusal_of(f"amqp:{said[1]}", engine="amqp", code=said[1], said=said[2].replace("\\'", "'"), **holes)
    if isinstance(code, int):
        return refusal_of(f"amqp:{code}", engine="amqp", code=str(code), **holes)
    slow = "timeout" in type(error).__name__.lower() or any("Timeout" in type(one).__name__ for one in _chain(error))
    return refusal_of("timeout:log in" if slow else "own:hung-up", engine="amqp", limit="its limit", **holes)


def _chain(error: BaseException) -> list[object]:
    """An error with all that it wraps: Pika hides the broker's own behind those of its attempts."""
    found: list[object] = [error]
    for one in found:
        inner = [*getattr(one, "args", ()), getattr(one, "__cause__", None), getattr(one, "exception", None)]
        found += [other for other in inner if isinstance(other, BaseException | str) and other not in found]
    return found


def answer(session: Any, deadline: Deadline) -> Answer:  # noqa: ANN401
    """Tell what the broker said of itself, and open a channel, which is the first thing that a program does."""
    try:
        deadline.run(lambda: session.channel().close())
    except NoAnswer:
        raise no_answer(deadline, "amqp") from None
    except errors() as error:
        raise cause_of(error) from None
    inner = session._impl
    told, parameters = inner.server_properties, inner.params
    cluster = told.get("cluster_name")
    return Answer(
        product=_text(told.get("product", "AMQP broker")),
        version=_text(told.get("version", "")),
        user=parameters.credentials.username,
        database=parameters.virtual_host,
        more=f"cluster {_text(cluster)}" if cluster else "",
    )


def _text(value: object) -> str:
    return value.decode("utf-8", "replace") if isinstance(value, bytes) else str(value)


def run(session: Any, statement: str) -> None:  # noqa: ANN401
    """Open a channel and close it."""
    session.channel().close()


def close(session: Any) -> None:  # noqa: ANN401
    """Close a connection."""
    with suppress(Exception):
        session.close()


def errors() -> tuple[type[Exception], ...]:
    """What Pika raises; OSError where the network fails under it, ValueError for what is no frame."""
    return (_module().exceptions.AMQPError, OSError, ValueError, struct.error)
