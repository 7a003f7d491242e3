"""A stand-in for MongoDB: OP_MSG with hello, SCRAM-SHA-256, ping and buildInfo, as far as a client needs to be let in.

Written from MongoDB's public wire protocol; driven by PyMongo in the tests. It keeps no documents.
"""

from __future__ import annotations

import socket
import struct
from datetime import UTC, datetime
from typing import Any

import bson
from scramp import ScramException, ScramMechanism
from scramp.core import ScramServer

from .authority import Authority
from .sockets import Gone, SocketStandIn, read_exactly

_MESSAGE, _QUERY, _REPLY = 2013, 2004, 1
_AUTHENTICATION_FAILED, _UNAUTHORIZED, _NO_COMMAND = 18, 13, 59
_OPEN = {"hello", "ismaster", "buildinfo", "ping", "saslstart", "saslcontinue", "endsessions"}


class MongoStandIn(SocketStandIn):
    """A server for one user; without one anybody is let in.

    Parameters
    ----------
    user, password : str
        Who is let in.
    role : str
        ``standalone``, ``primary``, ``secondary`` or ``starting``.
    set_name : str
        The replica set's name, where it is in one.
    members : tuple of str
        The set's members, as it tells clients.
    """

    def __init__(
        self,
        authority: Authority | None = None,
        *,
        user: str = "",
        password: str = "",
        role: str = "standalone",
        set_name: str = "",
        members: tuple[str, ...] = (),
        **given: Any,  # noqa: ANN401
    ) -> None:
        super().__init__(authority, **given)
        self.user, self.password, self.role, self.set_name = user, password, role, set_name
        self.members = members or (f"127.0.0.1:{self.port}",)
        self._mechanism = ScramMechanism("SCRAM-SHA-256")
        self._kept = self._mechanism.make_auth_info(password) if user else None

    def serve(self, plug: socket.socket) -> None:
        """Answer commands until the client goes."""
        state: dict[str, Any] = {"in": not self.user}
        while True:
            length, number, _, code = struct.unpack("<iiii", read_exactly(plug, 16))
            body = read_exactly(plug, length - 16)
            if code == _MESSAGE:
                command = bson.decode(body[5:])
                answer = struct.pack("<I", 0) + b"\0" + bson.encode(self._answer(command, state))
                plug.sendall(struct.pack("<iiii", len(answer) + 16, 0, number, _MESSAGE) + answer)
            elif code == _QUERY:
                command = bson.decode(body[body.index(b"\0", 4) + 9 :])
                answer = struct.pack("<iqii", 8, 0, 0, 1) + bson.encode(self._answer(command, state))
                plug.sendall(struct.pack("<iiii", len(answer) + 16, 0, number, _REPLY) + answer)
            else:
                raise Gone

    def _answer(self, command: dict[str, Any], state: dict[str, Any]) -> dict[str, Any]:
        name = next(iter(command)).lower()
        if self.role == "starting" and name not in {"hello", "ismaster"}:
            return _refused(11600, "interrupted at shutdown")
        if not state["in"] and name not in _OPEN:
            return _refused(_UNAUTHORIZED, f"command {name} requires authentication")
        if name in {"hello", "ismaster"}:
            return self._hello(asked="saslSupportedMechs" in command)
        if name == "saslstart":
            return self._start(command, state)
        if name == "saslcontinue":
            return self._continue(command, state)
        known: dict[str, dict[str, Any]] = {
            "ping": {},
            "endsessions": {},
            "buildinfo": {"version": "7.0.14 (a stand-in)", "versionArray": [7, 0, 14, 0]},
            "connectionstatus": {
                "authInfo": {
                    "authenticatedUsers": [{"user": self.user, "db": "admin"}] if self.user else [],
                    "authenticatedUserRoles": [{"role": "readWrite", "db": "pilots"}] if self.user else [],
                }
            },
        }
        return {**known[name], "ok": 1.0} if name in known else _refused(_NO_COMMAND, f"no such command: '{name}'")

    def _hello(self, *, asked: bool) -> dict[str, Any]:
        primary = self.role in {"standalone", "primary"}
        made: dict[str, Any] = {
            "helloOk": True, "isWritablePrimary": primary, "ismaster": primary, "maxBsonObjectSize": 16777216,
            "maxMessageSizeBytes": 48000000, "maxWriteBatchSize": 100000, "localTime": datetime.now(UTC),
            "logicalSessionTimeoutMinutes": 30, "connectionId": self.clients, "minWireVersion": 0,
            "maxWireVersion": 21, "readOnly": False, "ok": 1.0,
        }  # fmt: skip
        if asked and self.user:
            made["saslSupportedMechs"] = ["SCRAM-SHA-256"]
        if self.set_name:
            made |= {
                "setName": self.set_name, "setVersion": 1, "secondary": not primary, "hosts": list(self.members),
                "me": f"127.0.0.1:{self.port}",
            }  # fmt: skip
            if primary:
                made["primary"] = f"127.0.0.1:{self.port}"
        return made

    def _start(self, command: dict[str, Any], state: dict[str, Any]) -> dict[str, Any]:
        if command.get("mechanism") != "SCRAM-SHA-256" or self._kept is None:
            return _refused(_AUTHENTICATION_FAILED, "Authentication failed.")

        def kept(name: str) -> Any:  # noqa: ANN401 -- a package without types
            if name != self.user or self._kept is None:
                raise ScramException("unknown user")
            return self._kept

        server: ScramServer = self._mechanism.make_server(kept)
        try:
            server.set_client_first(bytes(command["payload"]).decode())
            payload = server.get_server_first().encode()
        except (ScramException, UnicodeError, KeyError):
            return _refused(_AUTHENTICATION_FAILED, "Authentication failed.")
        state["server"] = server
        return {"conversationId": 1, "done": False, "payload": payload, "ok": 1.0}

    def _continue(self, command: dict[str, Any], state: dict[str, Any]) -> dict[str, Any]:
        server = state.pop("server", None)
        if server is None:
            return {"conversationId": 1, "done": True, "payload": b"", "ok": 1.0}
        try:
            server.set_client_final(bytes(command["payload"]).decode())
            payload = server.get_server_final().encode()
        except (ScramException, UnicodeError):
            return _refused(_AUTHENTICATION_FAILED, "Authentication failed.")
        state["in"] = True
        return {"conversationId": 1, "done": True, "payload": payload, "ok": 1.0}


def _refused(code: int, why: str) -> dict[str, Any]:
    names = {18: "AuthenticationFailed", 13: "Unauthorized", 59: "CommandNotFound", 11600: "InterruptedAtShutdown"}
    return {"ok": 0.0, "errmsg": why, "code": code, "codeName": names[code]}
