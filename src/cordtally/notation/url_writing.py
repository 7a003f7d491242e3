"""Writes URLs in the dialects that ``url`` reads; what a dialect has no way to write is refused by name."""

from __future__ import annotations

from typing import TYPE_CHECKING

from . import percent
from .parts import CannotHold, Field, Refused, Rendered, as_text

if TYPE_CHECKING:
    from .url import Dialect


def render(fields: list[Field], dialect: Dialect, prefix: str, secrets: frozenset[str]) -> Rendered:
    """Write a URL; option names in ``secrets`` and the password are marked as secret pieces."""
    pieces: list[tuple[str, bool]] = [(prefix, False)]
    refused: list[Refused] = []
    user: list[tuple[str, bool]] = []
    hosts: list[str] = []
    database: str | None = None
    query: list[tuple[str, bool]] = []
    orphan: Field | None = None
    named = not dialect.user_strict or any(f.role == "user" for f in fields)
    for part, follower in zip(fields, [*fields[1:], None]):
        try:
            if part.role == "user":
                user.insert(0, (_user(as_text(part.value), dialect), False))
            elif part.role == "password":
                if not named:
                    raise CannotHold("a password cannot stand here without a user name")  # noqa: TRY301 -- booked below
                user += [(":", False), (percent.encode(as_text(part.value)), True)]
            elif part.role == "host":
                hosts.append(_host(as_text(part.value), dialect))
            elif part.role == "port" and part is not orphan:
                hosts[-1] += f":{part.value}"
            elif part.role in {"database", "socket", "instance"} or part.name == (dialect.path_option or " "):
                database = _database_text(as_text(part.value), dialect)
            elif part.role == "option":
                name, value = _pair(part.name or "", as_text(part.value), dialect)
                query += [("&" if query else "?", False), (f"{name}=", False), (value, part.name in secrets)]
        except CannotHold as problem:
            refused.append(Refused(part, problem.reason))
            if part.role == "host" and follower is not None and follower.role == "port":
                orphan = follower
                refused.append(Refused(follower, "its host could not be written"))
    if user:
        pieces += [*user, ("@", False)]
    pieces.append((",".join(hosts), any("@" in h[1:] or "%40" in h[1:] for h in hosts)))
    if database is not None or (dialect.slash in {"required", "written"} and not dialect.opaque):
        pieces.append((database or "", False) if dialect.opaque else ("/" + (database or ""), False))
    return Rendered(pieces + query, refused)


def _user(value: str, dialect: Dialect) -> str:
    if value == "" and dialect.user_strict:
        raise CannotHold("an empty user name cannot stand here")
    return percent.encode(value)


def _host(value: str, dialect: Dialect) -> str:
    if dialect.host_escaped and value[:1] in {"/", "@"}:
        return percent.encode(value)
    if ":" in value:
        if dialect.host_escaped:
            return f"[{percent.encode(value, ':')}]"
        if not set("[]/?#@,& ").isdisjoint(value):
            raise CannotHold("an address in brackets cannot hold [ ] / ? # @ , & or a blank")
        return f"[{value}]"
    if dialect.host_escaped:
        return percent.encode(value)
    if not set("/?#@,&[]% \t\n\r").isdisjoint(value) or not value.isprintable():
        raise CannotHold("a host name here is written as it is, and cannot hold / ? # @ , & [ ] % or blanks")
    return value


def _database_text(value: str, dialect: Dialect) -> str:
    if dialect.path == "socket":
        if not value.startswith("/"):
            raise CannotHold("a path from the root is wanted here")
        return percent.encode(value[1:], "/")
    if (dialect.path == "instance" or dialect.path_option) and not value:
        raise CannotHold("an empty name cannot stand in the path")
    if dialect.path == "number" and (not value.isascii() or not value.isdigit() or str(int(value[:10])) != value):
        raise CannotHold("the database is a number here")
    if not set(dialect.database_refuses + dialect.database_ends).isdisjoint(value):
        raise CannotHold(f"a database name cannot hold any of {dialect.database_refuses + dialect.database_ends}")
    if dialect.leading_slashes == "dropped" and value.startswith("/"):
        raise CannotHold("the driver drops slashes at the beginning of a database name")
    if dialect.dot_segments and value in {".", ".."}:
        raise CannotHold("the driver takes . and .. for steps in a path, and drops them")
    if dialect.database_keeps:
        if not set("?#").isdisjoint(value) or not {".", ".."}.isdisjoint(value.split("/")):
            raise CannotHold("the driver leaves ? and # escaped in a database name, and drops . and .. between slashes")
        return percent.encode(value, dialect.database_keeps)
    if dialect.database_raw:
        if not set("?#\t\r\n").isdisjoint(value) or not value.isprintable():
            raise CannotHold("the driver decodes no escapes in a database name, and a ? or # would end it")
        return value
    if dialect.escaping == "percent":
        if dialect.opaque and value.startswith("//"):
            return "%2F" + percent.encode(value[1:], "/:")  # else the path would begin with a host
        return percent.encode(value, "/:" if dialect.opaque else _slash(dialect))
    if dialect.opaque and value.startswith("//"):
        raise CannotHold("two slashes at the beginning of a path would be read as a host")
    if "?" in value:
        raise CannotHold("nothing is escaped in this URL, and a ? would end the database name")
    return value


def _slash(dialect: Dialect) -> str:
    return "/" if dialect.raw_slash == "kept" and dialect.slash == "before-database" else ""


def _pair(name: str, value: str, dialect: Dialect) -> tuple[str, str]:
    if dialect.escaping == "percent":
        if value == "" and dialect.empty == "dropped":
            raise CannotHold("an option with an empty value is dropped by the reader")
        return percent.encode(name), percent.encode(value)
    if "&" in value:
        raise CannotHold("nothing is escaped in this URL, and an & would end the value")
    if "&" in name or "=" in name or name == "":
        raise CannotHold("nothing is escaped in this URL, and its name holds & or =")
    return name, value
