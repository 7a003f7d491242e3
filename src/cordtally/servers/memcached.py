"""memcached, through pymemcache; facts from its protocol.txt, pymemcache 4.0.0 and a server 1.6.18 (Debian)."""

from __future__ import annotations

from time import time
from typing import TYPE_CHECKING, Any

from ..catalog import load_engine
from ..deadline import Deadline, NoAnswer
from ..model import Cord, Tls, TlsLevel
from ..secrets import arguments_for
from . import plain
from .peers import stranger
from .refusals import Refusal, holes_of, no_answer, refusal_of
from .server import Answer, missing
from .wire import HungUp

if TYPE_CHECKING:
    from .wire import Wire

DRIVER = "pymemcache"
TLS_FIRST = True
STATEMENT = "version"
_KNOWN = (b"VERSION ", b"CLIENT_ERROR unauthenticated", b"ERROR Too many open connections")
_MOST = 4096

socket_name = plain.socket_name
ask_for_tls = plain.ask_for_tls
part = plain.part
inquire = plain.inquire
used_method = plain.used_method
watch = plain.watch


def greet(wire: Wire, cord: Cord) -> str:
    """Ask for the version, which is what the protocol has instead of a greeting."""
    wire.send(b"version\r\n")
    said = wire.receive()
    while b"\n" not in said and len(said) < _MOST:
        said += wire.receive()
    if said.startswith(_KNOWN[2]):
        raise refusal_of("memcached:full", engine="memcached", **holes_of(cord))
    if not said.startswith(_KNOWN):
        raise stranger(said, "memcached", wire.place)
    return ""


def _module() -> Any:  # noqa: ANN401
    try:
        import pymemcache
    except ImportError:
        raise missing("pymemcache", "memcached", "memcached") from None
    return pymemcache


def log_in(cord: Cord, deadline: Deadline, *, writes: bool = False) -> Any:  # noqa: ANN401
    """Open a client, and ask for the version: there is nobody to log in."""
    pymemcache = _module()
    level = cord.tls.level
    engine = load_engine("memcached")
    usual = f"{engine.default_host}:{engine.default_port}"
    arguments: dict[str, Any] = {"server": usual, **arguments_for(cord.copy_with(tls=Tls()), DRIVER)}
    if level is not None and level >= TlsLevel.ENCRYPTED:  # which no argument says but this object
        arguments["tls_context"] = plain.context_of(cord, level)
    for name in ("connect_timeout", "timeout"):
        arguments[name] = plain.shorter(arguments.get(name), deadline.seconds * plain.SHARE)

    def connect() -> Any:  # noqa: ANN401
        client = pymemcache.Client(**arguments)
        client.version()
        return client

    try:
        return deadline.run(connect, late=close)
    except NoAnswer:
        raise no_answer(deadline, cord.engine, "log in") from None
    except errors() as error:
        raise cause_of(error, cord) from None


def cause_of(error: Exception, cord: Cord | None = None) -> Refusal:
    """Turn what pymemcache raised into a cause: it knows answers of a client's fault, and of the server's own."""
    holes, kind = holes_of(cord), type(error).__name__
    if isinstance(error, TimeoutError):
        return refusal_of("timeout:log in", engine="memcached", limit="its limit", **holes)
    if kind == "MemcacheClientError" and "unauthenticated" in str(error):
        return refusal_of("own:no-password", engine="memcached", **holes)
    known = kind in {"MemcacheUnexpectedCloseError", "MemcacheUnknownError", "MemcacheUnknownCommandError"}
    return refusal_of(
        "own:hung-up" if known or isinstance(error, OSError) else "own:protocol", engine="memcached", **holes
    )


def answer(session: Any, deadline: Deadline) -> Answer:  # noqa: ANN401
    """Ask for its figures."""

    def ask() -> tuple[dict[bytes, Any], float]:
        before = time()
        stats = session.stats()
        return stats, (before + time()) / 2

    try:
        stats, halfway = deadline.run(ask)
        settings = deadline.run(lambda: session.stats("settings"))
    except NoAnswer:
        raise no_answer(deadline, "memcached") from None
    except errors() as error:
        raise cause_of(error) from None
    now, version = stats.get(b"time"), stats.get(b"version", b"?")
    return Answer(
        product="memcached",
        version=version.decode("ascii", "replace") if isinstance(version, bytes) else str(version),
        # whole seconds
        clock=None if now is None else float(now) + 0.5 - halfway,
        opened=_number(stats.get(b"curr_connections")),
        limit=_number(stats.get(b"max_connections", settings.get(b"maxconns"))),
        idle_timeout=_number(settings.get(b"idle_timeout")),
    )


def _number(value: object) -> int | None:
    try:
        return int(value)  # type: ignore[call-overload, no-any-return]
    except (TypeError, ValueError):
        return None


def run(session: Any, statement: str) -> None:  # noqa: ANN401
    """Ask for the version: no other command is free of effects and of arguments."""
    session.version()


def close(session: Any) -> None:  # noqa: ANN401
    """Close the connection."""
    session.close()


def errors() -> tuple[type[Exception], ...]:
    """What pymemcache raises; OSError where the network fails under it, ValueError for what is no answer."""
    return (_module().exceptions.MemcacheError, OSError, ValueError, HungUp)
