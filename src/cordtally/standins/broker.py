"""A stand-in for a service that issues short-lived tokens, which are used as passwords."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from datetime import UTC, datetime

from .server import Reply, StandIn


class TokenBroker(StandIn):
    """Issues a new token for each request.

    ``life`` is how long it is valid, in seconds, ``pause`` how long it takes to issue one, ``states`` what the answer
    says of its end: ``expires_in``, ``expires_at`` (RFC 3339), ``epoch`` or ``nothing``; ``skew`` is by how much the
    broker's clock is ahead. ``issued`` is called with user and token before the answer goes out, and gives the user
    that the token is for, if that is another one.
    """

    path = "/issue"

    def __init__(
        self,
        *arguments: object,
        life: float = 900.0,
        issued: Callable[[str, str], str | None] | None = None,
        **more: object,
    ) -> None:
        super().__init__(*arguments, **more)  # type: ignore[arg-type]
        self.life, self.pause, self.states, self.skew = life, 0.0, "expires_in", 0.0
        self.asked: list[object] = []
        self._issued, self._lock, self._count = issued, threading.Lock(), 0

    def tally(self, name: str, ca: str, token: str) -> str:
        """Give the table of a tally that leads here; ``token`` is the locator of the broker's own token."""
        return (
            f'[brokers.{name}]\nurl = "{self.url}"\ntoken = "{token}"\nca = "{ca}"\nuser = "/user"\n'
            'request = { user = "{user}", host = "{host}", port = "{port}", database = "{database}" }\n'
        )

    def reply(self, method: str, path: str, document: object, headers: dict[str, str]) -> Reply:
        """Issue a token."""
        time.sleep(self.pause)
        with self._lock:
            self._count += 1
            count = self._count
        self.asked.append(document)
        user = document.get("user", "") if isinstance(document, dict) else ""
        token = f"not-a-real-token-{count}"
        if self._issued is not None:
            user = self._issued(str(user), token) or user
        now = time.time() + self.skew
        end: dict[str, dict[str, object]] = {
            "expires_in": {"expires_in": self.life},
            "expires_at": {"expires_at": datetime.fromtimestamp(now + self.life, UTC).isoformat()},
            "epoch": {"expires_at": now + self.life},
        }
        return Reply(200, {"token": token, "user": user, **end.get(self.states, {})})
