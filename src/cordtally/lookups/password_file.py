"""Libpq's password file, in whose lines ``*`` fits all; libpq skips one that group or others may read.

Source: PostgreSQL 15 documentation, section 34.16.
"""

from __future__ import annotations

import stat
from pathlib import Path

from ..lines.passwords import FIELDS, read_passwords
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
    user = cord.user_name
    wanted = [port, clear(cord.database or "") or user, user]
    for number, fields in read_passwords(text):
        fits = len(fields) == len(FIELDS) and fields[0].value in addresses
        if fits and all(field.value in {"*", one} for field, one in zip(fields[1:4], wanted)):
            return Secret(fields[4].value), f"{used.name}, line {number}"
    return None, f"no line of {used.name} fits"


def _addresses(host: Host | None) -> tuple[str, ...]:
    """Under which names libpq looks for a host: the default folder of sockets is localhost, any other one is itself."""
    if host is None or host.name == "":
        return ("localhost",)
    return _SOCKET_FOLDERS.get(host.name, (host.name,))
