"""A stand-in for a service that keeps secrets: a JSON document by path, read and written over HTTPS."""

from __future__ import annotations

import hashlib
import json
import threading

from .server import Reply, StandIn


class SecretKeeper(StandIn):
    """Keeps documents in memory, as ``{"data": {key: value}}``; a version that was overtaken is not written."""

    path = "/keep/"

    def __init__(self, *arguments: object, **more: object) -> None:
        super().__init__(*arguments, **more)  # type: ignore[arg-type]
        self.kept: dict[str, object] = {}
        self._lock = threading.Lock()

    def tally(self, name: str, ca: str, token: str) -> str:
        """Give the table of a tally that leads here; ``token`` is the locator of the token."""
        return (
            f'[remotes.{name}]\nurl = "{self.url}{{path}}"\npointer = "/data/{{key}}"\nwrite = "PUT"\n'
            f'token = "{token}"\nca = "{ca}"\n'
        )

    def reply(self, method: str, path: str, document: object, headers: dict[str, str]) -> Reply:
        """Give a document, or keep another one in its place."""
        with self._lock:
            kept = self.kept.get(path)
            if method == "PUT":
                if "If-Match" in headers and headers["If-Match"] != _mark(kept):
                    return Reply(412, {"error": "it was changed meanwhile"})
                self.kept[path] = document
                return Reply(200, {})
            if method == "GET" and kept is not None:
                return Reply(200, kept, (("ETag", _mark(kept)),))
        return Reply(404 if method == "GET" else 405, {"error": "nothing there"})


def _mark(document: object) -> str:
    return f'"{hashlib.sha256(json.dumps(document, sort_keys=True).encode()).hexdigest()[:16]}"'
