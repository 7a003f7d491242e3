"""The URL grammar in its dialects: plain URLs, toolkit URLs, JDBC URLs, file URIs.

    text      = prefix [ user-info "@" ] hosts [ path ] [ "?" query ] [ "#" fragment ]

The parts have modules of their own, each with its flags, its reading and its writing: ``url_user``, ``url_hosts``,
``url_path``, ``url_query``. Source: RFC 3986 for the shape and the escapes; how each driver departs from it stands in
the flags.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal

from ..text import GrammarError, Piece, as_text, piece_of, piece_of_key
from . import percent
from .fields import CannotHold, Field, Parsed, Refused, Rendered
from .grammar import BaseDialect, is_no_object
from .remarks import Remark
from .searching import end_of
from .url_hosts import Hosts, parse_hosts, render_host
from .url_path import Path, parse_path, render_path
from .url_query import Query, parse_query, render_pair
from .url_rfc2396 import refuse_odd_characters
from .url_tame import has_usual_places, parse_tame
from .url_user import User, parse_user, render_password, render_user


class Dialect(BaseDialect):
    """How one driver departs from RFC 3986; what bears on one part stands in that part's flags.

    ``escaping`` is ``percent`` or ``none``; ``bad_escapes``, a ``%`` without two digits, are ``kept``, ``refused``, or
    ``refused-in-user``; a ``fragment`` is ``kept`` (it belongs to what stands before it) or ``dropped``; ``blanks`` are
    ``kept``, ``trimmed`` (dropped around each part, and refused inside), or ``cut`` off the end; ``characters`` are
    ``any``, or those of ``rfc2396``.
    """

    positions: tuple[str, ...] = ("user", "password", "host", "port", "database")
    escaping: Literal["percent", "none"] = "percent"
    bad_escapes: Literal["kept", "refused", "refused-in-user"] = "refused"
    fragment: Literal["kept", "dropped"] = "kept"
    blanks: Literal["kept", "trimmed", "cut"] = "kept"
    characters: Literal["any", "rfc2396"] = "any"
    user: User = User()
    hosts: Hosts = Hosts()
    path: Path = Path()
    query: Query = Query()
    tame: bool = False

    def __init__(self, **flags: Any) -> None:  # noqa: ANN401 -- as they stand in the catalog, tables for the parts
        super().__init__(**flags)
        for name, kind in (("user", User), ("hosts", Hosts), ("path", Path), ("query", Query)):
            if isinstance(table := flags.get(name), dict):
                self.__dict__[name] = kind(**table)
        self.__dict__["tame"] = has_usual_places(self)


def looks_like(text: str) -> int:
    """Its prefix tells it; without that it is read only when its driver is named."""
    return is_no_object(text)


def parse(text: str, dialect: Dialect, prefix: str) -> Parsed:
    """Take a URL apart.

    Raises
    ------
    GrammarError
        Where the driver would refuse the text, too.
    """
    tame = parse_tame(text, dialect, prefix) if dialect.tame else None
    return parse_in_full(text, dialect, prefix) if tame is None else Parsed(text, tuple(tame))


def parse_in_full(text: str, dialect: Dialect, prefix: str) -> Parsed:
    """Take any URL apart, as `parse` does; the rules of the grammar are these, whatever ``url_tame`` makes shorter.

    Raises
    ------
    GrammarError
        Where the driver would refuse the text, too.
    """
    if dialect.blanks == "cut" and text.endswith(" "):  # WHATWG URL, 4.4: basic URL parser, step 1
        return parse_in_full(text.rstrip(" "), dialect, prefix)._replace(text=text)
    position = len(prefix)
    fields = [Field("scheme", None, prefix, 0, position, 0)]
    remarks: list[Remark] = []
    if dialect.path.kind == "file":
        position = _past_localhost(text, position)
    elif "user" in dialect.positions:
        position = parse_user(text, position, dialect.user, fields, remarks)
    authority = position
    if dialect.characters == "rfc2396":
        refuse_odd_characters(text, len(prefix))
    if "host" in dialect.positions:
        position = parse_hosts(text, position, dialect, fields)
        if dialect.user.needs_host and fields[-1].role in {"user", "password"}:
            raise GrammarError("a host is missing behind the @", authority, authority + 1)
    if "%" in text and dialect.escaping == "percent":
        # hosts that are not decoded may hold any %
        whole = dialect.hosts.escaped and dialect.bad_escapes != "refused-in-user"
        _refuse_bad_escapes(text, 0, len(text) if whole else authority, dialect)
        if not whole:
            _refuse_bad_escapes(text, position, len(text), dialect)
    position = parse_path(text, position, dialect, fields)
    if position < len(text) and text[position] == "?":
        end = len(text) if dialect.fragment == "kept" else end_of(text, position, "#")
        parse_query(text, position + 1, end, dialect, fields)
    if dialect.blanks == "trimmed" and " " in text:
        fields = [_trimmed(text, field) for field in fields]
    return Parsed(text, tuple(fields), tuple(remarks))


def _trimmed(text: str, field: Field) -> Field:
    """Drop the blanks around a part, as libpq 18 does (fe-connect.c: conninfo_uri_decode), and refuse any inside."""
    raw = text[field.start : field.end]
    if " " not in raw:
        return field if field.name is None else field._replace(name=field.name.strip(" "))
    bare = raw.strip(" ")
    start = field.start + len(raw) - len(raw.lstrip(" "))
    if (inside := bare.find(" ")) >= 0:
        raise GrammarError("a blank is not allowed here", start + inside, start + inside + 1, "write a blank as %20")
    value = as_text(field.value)
    if field.role == "port":
        return field._replace(start=start, end=start + len(bare))
    end = start + len(bare)
    return field._replace(value=value[start - field.start : len(value) - (field.end - end)], start=start, end=end)


def _refuse_bad_escapes(text: str, start: int, end: int, dialect: Dialect) -> None:
    asked = dialect.bad_escapes == "refused" or (start == 0 and dialect.bad_escapes == "refused-in-user")
    bad = percent.find_bad_escape(text, start, end) if asked else -1
    if bad >= 0:
        problem = "% must be followed by two hexadecimal digits"
        raise GrammarError(problem, bad, min(bad + 3, len(text)), "write a plain % as %25")
    zero = text.find("%00", start, end)
    if zero >= 0:
        raise GrammarError("a NUL character (%00) cannot be passed", zero, zero + 3)


def _past_localhost(text: str, position: int) -> int:
    """``file://localhost/path`` and ``file:///path`` lead to the path; any other host is refused (SQLite's rule)."""
    if not text.startswith("//", position):
        return position
    slash = text.find("/", position + 2)
    slash = len(text) if slash < 0 else slash
    if text[position + 2 : slash] not in {"", "localhost"}:
        raise GrammarError("a file URI names no host but localhost", position + 2, slash, "write file:/path")
    return slash


def render(fields: Sequence[Field], dialect: Dialect, prefix: str) -> Rendered:
    """Write a URL; what a dialect has no way to write is refused by name."""
    refused: list[Refused] = []
    user: list[Piece] = []
    hosts: list[Piece] = []
    path: Piece | None = None
    schema: list[Piece] = []
    query: list[Piece] = []
    roles = {part.role for part in fields}
    named = not dialect.user.strict or "user" in roles
    orphan = False  # a port whose host was refused goes with it
    for part in fields:
        try:
            match part.role:
                case "user":
                    if dialect.user.alone == "password" and "password" not in roles:
                        raise CannotHold("a user name without a password would be read as the password")  # noqa: TRY301
                    user.insert(0, piece_of(part.value, render_user(as_text(part.value), dialect.user)))
                case "password":
                    if not named:
                        raise CannotHold("a password cannot stand here without a user name")  # noqa: TRY301
                    user += [Piece(":"), piece_of(part.value, render_password(as_text(part.value), dialect.user))]
                case "host":
                    orphan = True
                    written = render_host(as_text(part.value), dialect.hosts)
                    hosts += [Piece("," if hosts else ""), piece_of(part.value, written)]
                    orphan = False
                case "port":
                    if orphan:
                        raise CannotHold("its host could not be written")  # noqa: TRY301 -- booked below
                    hosts.append(Piece(f":{part.value}"))
                case "database" | "socket" | "instance":
                    path = piece_of(part.value, render_path(as_text(part.value), dialect))
                case "option" if part.name == "(schema)" and dialect.path.schema:
                    if path is None or as_text(part.value) == "":
                        raise CannotHold("a schema stands behind a database here")  # noqa: TRY301 -- booked below
                    schema = [Piece("/"), piece_of(part.value, render_path(as_text(part.value), dialect))]
                case "option" if part.name == dialect.path.option:
                    path = piece_of(part.value, render_path(as_text(part.value), dialect))
                case "option":
                    name, value = render_pair(part.name or "", as_text(part.value), dialect)
                    query += [
                        piece_of_key(part.name or "", f"{'&' if query else '?'}{name}="),
                        piece_of(part.value, value),
                    ]
        except CannotHold as problem:
            refused.append(Refused(part, problem.reason))
    if user:
        user.append(Piece("@"))
    slash = "" if dialect.path.kind == "file" else "/"
    before_query = dialect.path.slash == "before-query" and bool(query)
    if path is None and (before_query or dialect.path.slash in {"required", "written"}):
        path = Piece("")
    tail = [] if path is None else [Piece(slash), path, *schema]
    return Rendered([Piece(prefix), *user, *hosts, *tail, *query], refused)
