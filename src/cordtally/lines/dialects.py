"""How readers take lines, since they differ in just what matters: what ``#``, a quote, a backslash or ``$`` means."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from ..records import Record


class Dialect(Record):
    """How one reader takes lines.

    ``separators`` part a name from its value; ``comments`` begin a line that says nothing, ``trailing`` a comment
    behind a value: with a blank before it, or where it is ``anywhere`` outside quotes. ``quotes`` are taken off a
    value. ``escapes`` are those of ``properties``, or heeded in ``double`` quotes, ``everywhere`` (by the names of
    ``named``), or ``never``. With ``sections`` a name in brackets stands before the names below it. ``folds`` joins a
    line that ends in a backslash to the next one; ``prefix`` is a word before a name; a name may be ``bare``, with
    nothing behind it; ``keeps`` a blank at the beginning of a value. What is ``plain`` may be written without quotes.
    Of two equal names the ``first`` or the ``last`` counts. ``doubles`` are characters that stand twice for one.
    With ``expands`` a ``$`` outside single quotes is filled in. ``loose`` lines are settings as people note them down.
    """

    separators: str = "="
    comments: str = "#"
    trailing: str = ""
    anywhere: bool = False
    quotes: str = ""
    escapes: Literal["properties", "double", "everywhere", "never"] = "never"
    named: Mapping[str, str] = {}
    kept: Literal["backslash", "nothing"] = "backslash"
    sections: bool = False
    folds: bool = False
    prefix: str = ""
    bare: bool = False
    keeps: bool = False
    wins: Literal["first", "last"] = "last"
    ascii_only: bool = False
    plain: str = r"[^\s\"'#$\\;`]*"
    doubles: str = ""
    expands: bool = False
    loose: bool = False


_SHELL = r"[\w./:@%+,=-]*"
DIALECTS = {
    # java.util.Properties.load; ISO 8859-1, so that other characters are written as escapes
    "properties": Dialect(
        separators="=: \t\f", comments="#!", escapes="properties", folds=True, ascii_only=True, plain=""
    ),
    # what the readers of variables files agree on: the words of a shell that expand nothing
    "variables": Dialect(trailing="#", quotes="\"'", escapes="double", prefix="export", plain=_SHELL),
    # symfony/dotenv 5.4, run: $NAME and ${NAME} are filled in, and $(…) is run
    "symfony-variables": Dialect(
        trailing="#", quotes="\"'", escapes="double", prefix="export", plain=_SHELL, expands=True
    ),
    # systemd 252, run: nothing is filled in, # in a line belongs to the value, a backslash stands for what follows
    "systemd-variables": Dialect(
        comments="#;", quotes="\"'", escapes="double", folds=True, plain=r"[\w./:@%+,=#$&?;~^*()-][^\s\"'\\]*|"
    ),
    # an engine's --env-file: quotes belong to the value (by rule, unchecked)
    "container-variables": Dialect(plain=r"[^\r\n]*", keeps=True),
    # R 4.2, run: quotes go, a backslash outside them is dropped, ${X} is filled in
    "r-variables": Dialect(quotes="\"'", plain=r"[\w./:@%+,=-]*", expands=True),
    "ini": Dialect(separators="=:", comments="#;", sections=True, plain=r"[^\r\n]*"),
    # Python's configparser with interpolation: a percent stands twice
    "interpolated": Dialect(separators="=:", comments="#;", sections=True, plain=r"[^\r\n]*", doubles="%"),
    # systemd's unit files: several assignments in one Environment=, specifiers begin with a percent
    "unit": Dialect(comments="#;", sections=True, folds=True, plain=r"[^\r\n]*"),
    # libpq: no blanks around the sign, those before a value belong to it, and the first of two lines counts
    "service": Dialect(sections=True, wins="first", keeps=True, plain=r"[^\r\n]*"),
    "odbc": Dialect(comments="#;", sections=True, wins="first", plain=r"[^\r\n]*"),
    # mysys/my_default.c: remove_end_comment, search_files
    "option-file": Dialect(
        comments="#;!",
        trailing="#",
        anywhere=True,
        quotes="\"'",
        escapes="everywhere",
        named={"b": "\b", "t": "\t", "n": "\n", "r": "\r", "\\": "\\", "s": " ", '"': '"', "'": "'"},
        sections=True,
        bare=True,
        plain=r"[A-Za-z0-9_./:,@%+=*~^&!?-]+",
    ),
    "pgbouncer": Dialect(comments="#;%", sections=True, plain=r"[^\r\n]*"),
    # settings as they stand in a note, a shell or a keyword list
    "loose": Dialect(separators="=:", comments="#;!{}[]", trailing="#", quotes="\"'`", sections=True, loose=True),
}
