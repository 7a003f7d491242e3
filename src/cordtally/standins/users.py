"""A stand-in for a Redis server and its users: log-in, ping and the commands that change a password (RESP 2 and 3)."""

from __future__ import annotations

import hashlib
import socketserver
import threading
from typing import Any, Self

_Reply = str | int | None | list[Any] | dict[str, Any] | Exception


class RedisUsers:
    """Listens on loopback; ``users`` are names with the SHA-256 of each of their passwords. It keeps nothing else."""

    def __init__(self, **passwords: str) -> None:
        self.users = {name: {_digest(password)} for name, password in passwords.items()}
        self._lock = threading.Lock()
        self._server = socketserver.ThreadingTCPServer(("127.0.0.1", 0), self._handler())
        self._server.daemon_threads = True
        self.port: int = self._server.server_address[1]
        self._thread = threading.Thread(target=self._server.serve_forever, args=(0.05,), daemon=True)

    def __enter__(self) -> Self:
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._server.shutdown()
        self._server.server_close()

    def answer(self, session: dict[str, str], words: list[str]) -> _Reply:
        """Answer a command of a session, which knows its user once it is logged in."""
        name, rest = words[0].upper(), words[1:]
        if name == "HELLO":
            if "AUTH" in rest:
                at = rest.index("AUTH")
                if not self._log_in(session, rest[at + 1], rest[at + 2]):
                    return PermissionError("WRONGPASS invalid username-password pair or user is disabled.")
            session["protocol"] = rest[0] if rest else "2"
            return {"server": "redis", "version": "7.0.0", "proto": int(session["protocol"]), "id": 1, "modules": []}
        if name == "AUTH":
            user, password = ("default", *rest) if len(rest) == 1 else rest
            held = self._log_in(session, user, password)
            return "OK" if held else PermissionError("WRONGPASS invalid username-password pair or user is disabled.")
        if "user" not in session:
            return PermissionError("NOAUTH Authentication required.")
        match name, [word.upper() for word in rest[:1]]:
            case "PING", _:
                return "PONG"
            case "ACL", ["WHOAMI"]:
                return session["user"]
            case "ACL", ["GETUSER"]:
                return self._user(rest[1])
            case "ACL", ["SETUSER"]:
                return self._set(rest[1], rest[2:])
            case "CONFIG", ["GET"]:
                return {rest[1]: "users.acl"} if rest[1] == "aclfile" else {}
            case "INFO", _:
                return "# Server\r\nredis_version:7.0.0\r\n"
        return "OK"  # CLIENT SETINFO, SELECT, ACL SAVE: nothing comes of them here

    def _log_in(self, session: dict[str, str], user: str, password: str) -> bool:
        with self._lock:
            held = _digest(password) in self.users.get(user, set())
        if held:
            session["user"] = user
        return held

    def _user(self, name: str) -> _Reply:
        with self._lock:
            held = self.users.get(name)
        if held is None:
            return None
        return {
            "flags": ["on"],
            "passwords": sorted(held),
            "commands": "+@all",
            "keys": "~*",
            "channels": "&*",
            "selectors": [],
        }

    def _set(self, name: str, rules: list[str]) -> _Reply:
        with self._lock:
            held = set(self.users.get(name, set()))
            for rule in rules:
                if rule == "resetpass":
                    held = set()
                elif rule.startswith("#"):
                    held.add(rule[1:])
            self.users[name] = held
        return "OK"

    def _handler(self) -> type[socketserver.StreamRequestHandler]:
        standin = self

        class Handler(socketserver.StreamRequestHandler):
            timeout = 60

            def handle(self) -> None:
                session: dict[str, str] = {}
                try:
                    while words := _read(self.rfile):
                        self.wfile.write(_written(standin.answer(session, words), session.get("protocol") == "3"))
                except (OSError, ValueError):
                    pass

        return Handler


def _read(stream: Any) -> list[str]:  # noqa: ANN401 -- a file of bytes
    """A command: an array of bulk strings (RESP specification)."""
    head = stream.readline()
    if not head.startswith(b"*"):
        return []
    words = []
    for _ in range(int(head[1:])):
        size = int(stream.readline()[1:])
        words.append(stream.read(size).decode())
        stream.read(2)
    return words


def _written(reply: _Reply, third: bool) -> bytes:
    match reply:
        case Exception():
            return f"-{reply}\r\n".encode()
        case None:
            return b"_\r\n" if third else b"$-1\r\n"
        case int():
            return f":{reply}\r\n".encode()
        case dict():
            flat = [one for pair in reply.items() for one in pair]
            head = f"%{len(reply)}\r\n" if third else f"*{len(flat)}\r\n"
            return head.encode() + b"".join(_written(one, third) for one in flat)
        case list():
            return f"*{len(reply)}\r\n".encode() + b"".join(_written(one, third) for one in reply)
        case "OK" | "PONG":
            return f"+{reply}\r\n".encode()
    data = reply.encode()
    return f"${len(data)}\r\n".encode() + data + b"\r\n"


def _digest(password: str) -> str:
    return hashlib.sha256(password.encode()).hexdigest()
