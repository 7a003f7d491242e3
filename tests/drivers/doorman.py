"""A server of MySQL's protocol that lets no one in: it asks for the password in clear, and notes who came, and for what."""

import socketserver
import struct
import threading

SWITCH = b"\xfemysql_clear_password\0\0"
NO = b"\xff\x15\x04#28000no one is let in"
WITH_DATABASE, PLUGINS = 0x8, 0x80000


def _greeting():
    flags = 0x1 | 0x200 | 0x2000 | 0x8000 | WITH_DATABASE | PLUGINS | 0x20  # protocol 4.1, its log-in, databases, plugins
    head = b"\x0a8.0.30\0" + struct.pack("<I", 7) + b"x" * 8 + b"\0" + struct.pack("<HBHHB", flags & 0xFFFF, 45, 2, flags >> 16, 21)
    return head + b"\0" * 10 + b"x" * 12 + b"\0mysql_native_password\0"


class _Visit(socketserver.StreamRequestHandler):
    def tell(self, number, body):
        self.wfile.write(struct.pack("<I", len(body))[:3] + bytes([number]) + body)

    def hear(self):
        length = int.from_bytes(self.rfile.read(3), "little")
        self.rfile.read(1)
        return self.rfile.read(length)

    def handle(self):
        self.tell(0, _greeting())
        answer = self.hear()
        user, _, rest = answer[32:].partition(b"\0")
        database = rest[1 + rest[0] :].partition(b"\0")[0] if int.from_bytes(answer[:4], "little") & WITH_DATABASE else b""
        proof, password = rest[:1], b""
        if proof > b"\0":  # without a password mysqlnd crashes where it is asked for one
            self.tell(2, SWITCH)
            password = self.hear().removesuffix(b"\0")
        with open(self.server.book, "a") as book:
            book.write("".join(f"{name}:{value.hex()} " for name, value in (("user", user), ("password", password), ("database", database)) if value))
        self.tell(4 if password else 2, NO)


class _Tcp(socketserver.ThreadingTCPServer):
    allow_reuse_address, daemon_threads = True, True


class _Local(socketserver.ThreadingUnixStreamServer):
    daemon_threads = True


def open_doors(book):
    """Wait at a port, which is given, and at a socket beside the book, until the tests end."""
    doors = [_Tcp(("127.0.0.1", 0), _Visit), _Local(f"{book}.door", _Visit)]
    for door in doors:
        door.book = book
        threading.Thread(target=door.serve_forever, daemon=True).start()
    return doors[0].server_address[1]
