"""MongoDB, through PyMongo; facts from its wire protocol (OP_MSG, hello) and PyMongo 4.20, seen with the stand-in."""

from __future__ import annotations

import struct
from contextlib import suppress
from time import time
from typing import TYPE_CHECKING, Any

from ..deadline import Deadline, NoAnswer
from ..model import Cord
from . import plain
from .peers import stranger
from .refusals import Refusal, holes_of, no_answer, refusal_of
from .server import Answer, missing

if TYPE_CHECKING:
    from .wire import Wire

DRIVER = "pymongo"
TLS_FIRST = True
STATEMENT = "ping"
_OP_MSG, _OP_REPLY = 2013, 1
# {hello: 1, $db: "admin"} in BSON (bsonspec.org), in an OP_MSG of one section
_HELLO = b"\x10hello\0\1\0\0\0\x02$db\0\6\0\0\0admin\0\0"
_DOCUMENT = struct.pack("<i", len(_HELLO) + 4) + _HELLO
HELLO = struct.pack("<iiiiIB", len(_DOCUMENT) + 21, 0, 0, _OP_MSG, 0, 0) + _DOCUMENT
"""The first question of a client."""
_ADMINISTRATIVE = {"root", "dbOwner", "dbAdminAnyDatabase", "userAdminAnyDatabase", "readWriteAnyDatabase", "__system"}

socket_name = plain.socket_name
ask_for_tls = plain.ask_for_tls
part = plain.part
inquire = plain.inquire
used_method = plain.used_method
watch = plain.watch


def greet(wire: Wire, cord: Cord) -> str:
    """Send hello, which needs no log-in."""
    wire.send(HELLO)
    head = wire.read(16)
    length, _, _, code = struct.unpack("<iiii", head)
    if code not in {_OP_MSG, _OP_REPLY} or not 16 < length < 1 << 20:
        raise stranger(head, "mongodb", wire.place)
    wire.read(length - 16)
    return ""


def _module() -> Any:  # noqa: ANN401
    try:
        import pymongo
    except ImportError:
        raise missing("pymongo", "mongodb", "MongoDB") from None
    return pymongo


def log_in(cord: Cord, deadline: Deadline, *, writes: bool = False) -> Any:  # noqa: ANN401
    """Open a client, and let it log in: it does so with the first command."""
    pymongo = _module()
    arguments = plain.arguments_of(cord, DRIVER)
    arguments.pop("compressors", None)  # what little a hostile server sends may become a thousand times as much
    # so that its threads end soon, and that it still tells why it chose no server
    for name in ("serverSelectionTimeoutMS", "connectTimeoutMS", "socketTimeoutMS"):
        arguments[name] = int(plain.shorter(arguments.get(name), deadline.seconds * plain.SHARE * 1000))

    def connect() -> Any:  # noqa: ANN401
        client = pymongo.MongoClient(**arguments, appname=arguments.pop("appname", "cordtally"))
        try:
            client.admin.command("ping")
        except BaseException:
            _end(client)
            raise
        return client, str(cord.database or "test")

    try:
        return deadline.run(connect, late=close)
    except NoAnswer:
        raise no_answer(deadline, cord.engine, "log in") from None
    except (pymongo.errors.PyMongoError, UnicodeError) as error:
        raise cause_of(error, cord) from None


def cause_of(error: Exception, cord: Cord | None = None) -> Refusal:
    """Turn what PyMongo raised into a cause: by the server's number, or by what kept it from choosing a server."""
    holes, details = holes_of(cord), getattr(error, "details", None)
    number = getattr(error, "code", None) or (details.get("code") if isinstance(details, dict) else None)
    if number is not None:
        return refusal_of(f"mongodb:{number}", engine="mongodb", code=str(number), **holes)
    if type(error).__name__ == "ServerSelectionTimeoutError":
        return _not_chosen(error, holes)
    kind = "timeout:log in" if isinstance(error, TimeoutError) else "own:hung-up"
    return refusal_of(kind, engine="mongodb", limit="its limit", **holes)


def _not_chosen(error: Exception, holes: dict[str, Any]) -> Refusal:
    """Each server that was seen says why it was not chosen: its error, or its kind."""
    topology = getattr(error, "details", None) or getattr(error, "_TopologyDescription", None)
    said = str(error)
    described: dict[Any, Any] = getattr(topology, "server_descriptions", dict)() if topology is not None else {}
    kinds = {getattr(one, "server_type_name", "") for one in described.values()}
    for one in described.values():
        number = getattr(getattr(one, "error", None), "code", None)
        if number is not None:
            return refusal_of(f"mongodb:{number}", engine="mongodb", code=str(number), **holes)
    if "Primary()" in said or kinds & {"RSSecondary", "RSPrimary", "RSGhost", "RSArbiter"}:
        return refusal_of("own:role", engine="mongodb", **{**holes, "name": ", ".join(sorted(kinds - {""}))})
    return refusal_of("own:hung-up", engine="mongodb", **holes)


def answer(session: Any, deadline: Deadline) -> Answer:  # noqa: ANN401
    """Ask for version, role and rights."""
    client, database = session

    def ask() -> tuple[Any, ...]:
        before = time()
        hello = client.admin.command("hello")
        halfway = (before + time()) / 2
        rights = {}
        with suppress(_module().errors.OperationFailure):
            rights = client.admin.command("connectionStatus").get("authInfo", {})
        return hello, halfway, client.admin.command("buildInfo"), rights

    hello, halfway, build, rights = _asked(ask, deadline)
    users = rights.get("authenticatedUsers") or [{}]
    roles = {one.get("role") for one in rights.get("authenticatedUserRoles", [])} & _ADMINISTRATIVE
    local = hello.get("localTime")
    told = [f"replica set {hello['setName']}"] if hello.get("setName") else []
    return Answer(
        product="MongoDB",
        version=str(build.get("version", "?")),
        user=users[0].get("user"),
        database=database,
        role="primary" if hello.get("isWritablePrimary") else "standby" if hello.get("secondary") else None,
        reads_only=bool(hello.get("readOnly")) or not hello.get("isWritablePrimary", True),
        rights=tuple(sorted(str(role) for role in roles)),
        clock=None if local is None else _seconds(local) - halfway,
        place=hello.get("me"),
        more=", ".join(told),
    )


def _seconds(moment: Any) -> float:  # noqa: ANN401
    from datetime import UTC

    return float(moment.replace(tzinfo=UTC).timestamp())


def _asked(question: Any, deadline: Deadline) -> Any:  # noqa: ANN401
    try:
        return deadline.run(question)
    except NoAnswer:
        raise no_answer(deadline, "mongodb") from None
    except _module().errors.PyMongoError as error:
        raise cause_of(error) from None


def run(session: Any, statement: str) -> None:  # noqa: ANN401
    """Run a command without arguments."""
    session[0].admin.command(statement)


def close(session: Any) -> None:  # noqa: ANN401
    """Close the client with its threads."""
    _end(session[0])


def _end(client: Any) -> None:  # noqa: ANN401
    """Close a client: what a senseless answer to the end of its sessions raises leaves it open the first time."""
    for _ in range(2):
        with suppress(Exception):
            client.close()
            return


def errors() -> tuple[type[Exception], ...]:
    """What PyMongo raises."""
    return (_module().errors.PyMongoError,)
