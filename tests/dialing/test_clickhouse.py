"""ClickHouse over its own protocol and over HTTP, by a real server (Debian's 18.16)."""

import http.client
import threading
from contextlib import contextmanager
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

import pytest

import cordtally as ct
from cordtally.model import Host, Secret, Tls, TlsLevel

from ..servers import ADMIN_PASSWORD

pytestmark = pytest.mark.servers
WRONG = {"password": Secret("x")}


def told(result):
    return None if result.diagnosis is None else (result.broke_at, result.diagnosis.id, result.diagnosis.code)


@contextmanager
def younger(port):
    """The server, made to look younger: ClickHouse Connect asks it for its settings, in columns that it does not have."""

    class Proxy(BaseHTTPRequestHandler):
        def _pass(self):
            body = self.rfile.read(int(self.headers.get("Content-Length") or 0))
            status, said, headers = 200, b"", []
            if b"system.settings" not in body:
                upstream = http.client.HTTPConnection("127.0.0.1", port, timeout=20)
                kept = {name: value for name, value in self.headers.items() if name.lower() not in {"host", "accept-encoding"}}
                upstream.request(self.command, self.path, body or None, kept)
                reply = upstream.getresponse()
                status, said, headers = reply.status, reply.read(), reply.getheaders()
                upstream.close()
            self.send_response(status)
            for name, value in headers:
                if name.lower() not in {"transfer-encoding", "connection", "content-length", "date", "server"}:
                    self.send_header(name, value)
            self.send_header("Content-Length", str(len(said)))
            self.end_headers()
            self.wfile.write(said)

        do_GET = do_POST = _pass

        def log_message(self, *_):
            pass

    with ThreadingHTTPServer(("127.0.0.1", 0), Proxy) as server:
        threading.Thread(target=server.serve_forever, args=(0.05,), daemon=True).start()
        yield server.server_address[1]
        server.shutdown()


@pytest.mark.parametrize(
    ("over_http", "changes", "expected"),
    [
        (False, {}, None),
        (False, WRONG, ("log in", "password-or-user", "193")),
        (False, {"user": "nobody"}, ("log in", "no-such-user", "192")),
        (False, {"user": "far"}, ("log in", "not-from-here", "195")),
        (False, {"database": "nowhere"}, ("database", "no-such-database", "81")),
        (True, {}, None),
        (True, WRONG, ("log in", "password-or-user", "193")),
        (True, {"database": "nowhere"}, ("database", "no-such-database", "81")),
    ],
)
def test_clickhouse_by_its_numbers(clickhouse, over_http, changes, expected):
    with younger(int(clickhouse.socket_folder)) as port:
        cord = ct.Cord("clickhouse", (Host("127.0.0.1", port if over_http else clickhouse.port),), "default", "harbour_master", Secret(ADMIN_PASSWORD), tls=Tls(TlsLevel.OFF))
        result = ct.dial(cord.copy_with(**changes), limit=5, driver="clickhouse-connect" if over_http else None)
    assert told(result) == expected
    assert ADMIN_PASSWORD not in str(result.to_dict())
    if expected is None:
        assert (result.answer.called, result.answer.database, result.driver) == ("ClickHouse 18.16.1", "default", "clickhouse-connect" if over_http else "clickhouse-driver")
        assert abs(result.answer.clock) < 5


def test_the_port_of_the_other_protocol_is_known(clickhouse):
    """A text of a driver for HTTP goes to the port for HTTP, and each port says what it is for."""
    http_port = int(clickhouse.socket_folder)
    found = [
        told(ct.dial(text, limit=2))[:2]
        for text in (f"clickhouse://u:p@127.0.0.1:{http_port}/d", f"jdbc:clickhouse://127.0.0.1:{clickhouse.port}/d?user=u&password=p")
    ]
    assert found == [("log in", "other-port"), ("secure", "other-port")]
    assert ct.dial("clickhouse://u:p@127.0.0.2:8123/d", limit=1).driver == "clickhouse-driver"  # which would not speak HTTP there either
    assert ct.dial(ct.Cord("clickhouse", (Host("127.0.0.2", 8123),), "d"), limit=1).driver == "clickhouse-connect"
    assert "port 8123" in ct.dial("jdbc:clickhouse://127.0.0.2/d", limit=1).rungs[1].detail
