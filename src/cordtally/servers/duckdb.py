"""DuckDB: sessions at one file, which one process writes; facts from DuckDB 2.0, run."""

from __future__ import annotations

import re
import threading
from contextlib import suppress
from typing import Any

from ..deadline import Deadline, NoAnswer
from ..model import Cord
from . import plain
from .refusals import Refusal, no_answer, refusal_of
from .server import Answer, missing

DRIVER = "duckdb"
TLS_FIRST = False
STATEMENT = "SELECT 1"
# DuckDB has no codes; its messages are never translated
_WORDS = (
    (r"Could not set lock on file", "own:duckdb-lock"),
    (r"not a valid DuckDB database file|magic bytes", "sqlite:NOTADB"),
    (r"version number", "file:newer"),
    (r"Corrupt|Checksum|checksum", "sqlite:CORRUPT"),
    (r"Permission denied|Cannot open file", "sqlite:CANTOPEN"),
    (r"No space left", "sqlite:FULL"),
    (r"read-only", "sqlite:READONLY"),
)

socket_name = plain.socket_name
ask_for_tls = plain.ask_for_tls
greet = plain.greet
part = plain.part
inquire = plain.inquire
used_method = plain.used_method
watch = plain.watch


def look_at(header: bytes, size: int) -> tuple[str, str] | None:
    """Say what is wrong with a file by its first bytes: behind a checksum of eight stands the word DUCK."""
    return None if header[8:12] == b"DUCK" else ("file:no-database", "")


def _module() -> Any:  # noqa: ANN401
    try:
        import duckdb
    except ImportError:
        raise missing("duckdb", "duckdb", "DuckDB") from None
    return duckdb


def log_in(cord: Cord, deadline: Deadline, *, writes: bool = False) -> Any:  # noqa: ANN401
    """Open the file, for reading only unless ``writes``, and never creating it."""
    module = _module()
    arguments = plain.arguments_of(cord, DRIVER)
    in_memory = str(arguments.get("database") or ":memory:").startswith(":memory:")
    arguments["read_only"] = not (writes or in_memory)
    try:
        return deadline.run(lambda: plain.Guarded(module.connect(**arguments), threading.Lock()), late=close)
    except NoAnswer:
        raise no_answer(deadline, cord.engine, "log in") from None
    except module.Error as error:
        raise cause_of(error, cord) from None


def cause_of(error: Exception, cord: Cord | None = None) -> Refusal:
    """Turn what DuckDB said into a cause, by its words."""
    said = str(error)
    code = next((code for pattern, code in _WORDS if re.search(pattern, said)), "sqlite:ERROR")
    return refusal_of(code, engine="duckdb", place="the file", name="not whole")


def answer(session: Any, deadline: Deadline) -> Answer:  # noqa: ANN401
    """Count the tables."""

    def ask(connection: Any) -> Any:  # noqa: ANN401
        (version,) = connection.execute("SELECT library_version FROM pragma_version()").fetchone()
        (tables,) = connection.execute("SELECT count(*) FROM duckdb_tables() WHERE NOT internal").fetchone()
        return version, tables

    try:
        version, tables = deadline.run(lambda: session.do(ask))
    except NoAnswer:
        session.connection.interrupt()
        raise no_answer(deadline, "duckdb") from None
    except _module().Error as error:
        raise cause_of(error) from None
    more = f"{tables:,} table{'' if tables == 1 else 's'}"
    return Answer(product="DuckDB", version=str(version).removeprefix("v"), more=more)


def run(session: Any, statement: str) -> None:  # noqa: ANN401
    """Run a statement and fetch its rows."""
    session.do(lambda connection: connection.execute(statement).fetchall())


def close(session: Any) -> None:  # noqa: ANN401
    """Close a session."""
    with suppress(Exception):
        session.close()


def errors() -> tuple[type[Exception], ...]:
    """What DuckDB raises."""
    return (_module().Error,)
