"""The path of a URL: a database in most drivers, and in some a number, a socket, an instance or an option.

path = "/" name
"""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, Literal

from ..patterns import pattern
from ..records import Record
from ..text import GrammarError
from . import percent
from .fields import CannotHold, Field
from .searching import end_of

if TYPE_CHECKING:
    from .url import Dialect

_DIGITS = pattern(r"[0-9]{1,9}")
_LEFT_BY_DECODE_URI = ";/?:@&=+$,#"  # ECMAScript 2024, 19.2.6.2: decodeURI leaves the escapes of these
_KEPT_ESCAPE = pattern("(" + "|".join(f"%{ord(c):02X}" for c in _LEFT_BY_DECODE_URI) + ")", re.IGNORECASE)


class Path(Record):
    """How the path is read.

    ``kind`` says what it is; a ``file`` begins right behind the prefix, an ``option`` is called ``(path)``. The
    ``slash`` before it is ``optional``, ``required``, always ``written`` though not required, only
    ``before-database``, or wanted ``before-query``, too. A slash ``inside`` is ``kept`` or ``refused``,
    ``leading_slashes`` are ``kept`` or ``dropped``. ``decoding`` is ``percent``, as a ``form`` (a ``+`` is a blank),
    as ``decode-uri`` does in JavaScript, or ``none``. ``others`` than numbers, where one is wanted, are
    ``passed-over`` or ``kept``. ``refuses`` lists characters that a name may not hold, ``ends`` one that ends it; with
    ``schema`` what stands behind a second slash is the option ``(schema)``, and with
    ``dot_segments`` the names ``.`` and ``..`` are steps (WHATWG URL).
    """

    kind: Literal["database", "number", "socket", "instance", "option", "file"] = "database"
    slash: Literal["optional", "required", "written", "before-database", "before-query"] = "optional"
    inside: Literal["kept", "refused"] = "kept"
    leading_slashes: Literal["kept", "dropped"] = "kept"
    decoding: Literal["percent", "form", "decode-uri", "none"] = "percent"
    others: Literal["passed-over", "kept"] = "passed-over"
    refuses: str = ""
    ends: Literal["", "."] = ""
    dot_segments: bool = False
    schema: bool = False

    @property
    def option(self) -> str | None:
        """The option that the path stands for, if it does."""
        return "(path)" if self.kind == "option" else None


def parse_path(text: str, position: int, dialect: Dialect, fields: list[Field]) -> int:
    """``[ "/" name ]``: take it apart, and give the place of the question mark behind it, or of the end.

    Raises
    ------
    GrammarError
        For a slash that is missing or too much, and characters that the driver refuses.
    """
    flags, length = dialect.path, len(text)
    missing = position >= length or text[position] != "/"
    before_query = flags.slash == "before-query" and text[position : position + 1] == "?"
    if missing and (flags.slash == "required" or before_query):
        hint = "write a / behind it"
        raise GrammarError("a slash must follow the host, even without a database", position, position + 1, hint)
    if flags.kind == "file":
        start = position
    elif position < length and text[position] == "/":
        start = position if flags.kind == "socket" else position + 1
    else:
        return position
    end = end_of(text, start, "?#" if dialect.fragment == "dropped" else "?")
    if flags.kind == "socket":
        fields.append(Field("socket", None, percent.decode(text[start:end]), start, end, start))
        return _past(text, end, dialect)
    if flags.ends:
        end = end_of(text, start, flags.ends + "?")
    if flags.inside == "refused" and (place := text.find("/", start, end)) >= 0:
        raise GrammarError("a slash inside the database name must be escaped", place, place + 1, "write it as %2F")
    if end > start:
        _take(text, start, end, dialect, fields)
    return _past(text, end, dialect)


def _take(text: str, start: int, end: int, dialect: Dialect, fields: list[Field]) -> None:
    flags = dialect.path
    if flags.schema and (slash := text.find("/", start, end)) >= 0:
        if text.find("/", slash + 1, end) >= 0:
            raise GrammarError("the path holds more than a database and its schema", slash, end, "one / parts the two")
        if slash + 1 < end:
            behind = _decoded(text[slash + 1 : end], dialect)
            fields.append(Field("option", "(schema)", behind, slash + 1, end, slash + 1))
        end = slash
        if end == start:
            return
    value = _decoded(text[start:end], dialect)
    if flags.leading_slashes == "dropped":
        value = value.lstrip("/")
    if flags.kind == "number" and flags.others == "kept":
        value = text[start:end]
    elif flags.kind == "number":
        value = value.replace("/", "").strip(" ")
        if not _DIGITS.fullmatch(value):
            return  # redis-py 5 (parse_url): what is no number is passed over
    if not set(flags.refuses).isdisjoint(value):
        raise GrammarError("a database name cannot hold this character", start, end)
    if flags.kind == "option":
        fields.append(Field("option", "(path)", value, start, end, start))
    elif flags.kind != "instance":
        fields.append(Field("database", None, value, start, end, start))
    elif fields[-1].role in {"host", "port"}:  # an instance needs a host to belong to
        fields.append(Field("instance", None, value, start, end, start))


def _decoded(raw: str, dialect: Dialect) -> str:
    if dialect.escaping == "none":
        return raw
    match dialect.path.decoding:
        case "percent":
            return percent.decode(raw)
        case "form":
            return percent.decode(raw.replace("+", " "))
        case "decode-uri":
            pieces = _KEPT_ESCAPE.split(raw)
            return "".join(piece if index % 2 else percent.decode(piece) for index, piece in enumerate(pieces))
    return raw


def _past(text: str, end: int, dialect: Dialect) -> int:
    """Pass over what stands between the name and the query and belongs to neither: a collection, a fragment."""
    if dialect.path.ends and end < len(text) and text[end] != "?":
        return end_of(text, end, "?")
    return len(text) if end < len(text) and text[end] == "#" and dialect.fragment == "dropped" else end


def render_path(value: str, dialect: Dialect) -> str:
    """Write the path, its slash left out.

    Raises
    ------
    CannotHold
        For a value that would be read back as another one.
    """
    flags = dialect.path
    if flags.kind == "socket":
        if not value.startswith("/"):
            raise CannotHold("a path from the root is wanted here")
        return percent.encode(value[1:], "/")
    if flags.kind in {"instance", "option"} and not value:
        raise CannotHold("an empty name cannot stand in the path")
    if flags.kind == "number" and (not value.isascii() or not value.isdigit() or str(int(value[:10])) != value):
        raise CannotHold("the database is a number here")
    if not set(flags.refuses + flags.ends).isdisjoint(value):
        raise CannotHold(f"a database name cannot hold any of {flags.refuses + flags.ends}")
    if flags.leading_slashes == "dropped" and value.startswith("/"):
        raise CannotHold("the driver drops slashes at the beginning of a database name")
    if flags.dot_segments and value in {".", ".."}:
        raise CannotHold("the driver takes . and .. for steps in a path, and drops them")
    if dialect.escaping == "none":
        return _as_it_is(value, dialect)
    return _encoded(value, flags)


def _encoded(value: str, flags: Path) -> str:
    if flags.decoding == "decode-uri":
        if not set("?#").isdisjoint(value) or not {".", ".."}.isdisjoint(value.split("/")):
            raise CannotHold("the driver leaves ? and # escaped in a database name, and drops . and .. between slashes")
        return percent.encode(value, _LEFT_BY_DECODE_URI)
    if flags.decoding == "none":
        if not set("?#\t\r\n").isdisjoint(value) or not value.isprintable():
            raise CannotHold("the driver decodes no escapes in a database name, and a ? or # would end it")
        return value
    if flags.kind == "file":
        if value.startswith("//"):
            return "%2F" + percent.encode(value[1:], "/:")  # else the path would begin with a host
        return percent.encode(value, "/:")
    return percent.encode(value, "/" if flags.inside == "kept" and flags.slash == "before-database" else "")


def _as_it_is(value: str, dialect: Dialect) -> str:
    if dialect.path.kind == "file" and value.startswith("//"):
        raise CannotHold("two slashes at the beginning of a path would be read as a host")
    if "?" in value:
        raise CannotHold("nothing is escaped in this URL, and a ? would end the database name")
    return value
