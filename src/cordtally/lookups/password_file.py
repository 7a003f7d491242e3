r"""Libpq's password file: lines of ``host:port:database:user:password``, where ``\`` escapes, and ``*`` fits all.

Source: PostgreSQL 15 documentation, section 34.16; libpq skips a file that group or others may read.
"""

from __future__ import annotations

import stat
from pathlib import Path

from ..model import Cord, Host, Secret, clear
from .places import Places, read_text

_SOCKET_FOLDERS = {"/var/run/postgresql": ("localhost",), "/tmp": ("/tmp", "localhost")}
"""The default is fixed when libpq is built: the first in Debian's and psycopg's own, the second in the sources."""


def find_password(cord: Cord, places: Places | None = None, path: Path | None = None) -> tuple[Secret | None, str]:
    """Find the password for a cord, as libpq would, and say in a sentence where it was found or why it was not."""
    used = path or (places or Places()).password_file()
    text = read_text(used)
    if text is None:
        return None, f"there is no {used.name}, or it cannot be read"
    if used.stat().st_mode & (stat.S_IRWXG | stat.S_IRWXO):
        return None, f"libpq does not look into {used.name}, because others may read it: chmod 0600 {used.name}"
    host = cord.hosts[0] if cord.hosts else None
    addresses = {"*", *_addresses(host)}
    port = str(host.port if host is not None and host.port is not None else 5432)
    user = clear(cord.user or "")
    wanted = [port, clear(cord.database or "") or user, user]
    for number, line in enumerate(text.split("\n"), start=1):
        # only at the very beginning: a # elsewhere may be part of a password (libpq, passwordFromFile)
        if line.startswith("#"):
            continue
        fields = split_line(line)
        fits = len(fields) >= 5 and fields[0] in addresses
        if fits and all(f in {"*", w} for f, w in zip(fields[1:4], wanted)):
            return Secret(unescape(fields[4])), f"{used.name}, line {number}"
    return None, f"no line of {used.name} fits"


def _addresses(host: Host | None) -> tuple[str, ...]:
    """Under which names libpq looks for a host: the default folder of sockets is localhost, any other one is itself."""
    if host is None or host.name == "":
        return ("localhost",)
    return _SOCKET_FOLDERS.get(host.name, (host.name,))


def split_line(line: str) -> list[str]:
    """Cut a line at its colons; the first four fields are unescaped, the password is what remains."""
    fields: list[str] = []
    piece, position = "", 0
    while position < len(line) and len(fields) < 4:
        character = line[position]
        if character == "\\" and position + 1 < len(line):
            piece += line[position + 1]
            position += 1
        elif character == ":":
            fields.append(piece)
            piece = ""
        else:
            piece += character
        position += 1
    return [*fields, line[position:].rstrip("\r\n")] if len(fields) == 4 else fields


def unescape(raw: str) -> str:
    """Take the backslashes of a password away, and what stands behind an unescaped colon."""
    out, position = "", 0
    while position < len(raw) and raw[position] != ":":
        if raw[position] == "\\" and position + 1 < len(raw):
            position += 1
        out += raw[position]
        position += 1
    return out
