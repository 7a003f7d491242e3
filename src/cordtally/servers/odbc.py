"""Any data source of ODBC, through pyodbc and a driver manager; facts from ODBC's SQLSTATEs and pyodbc 5.5."""

from __future__ import annotations

import math
import threading
from contextlib import suppress
from typing import Any

from ..catalog import load_driver, load_index
from ..deadline import Deadline, NoAnswer
from ..model import Cord
from ..secrets import text_for
from . import plain
from .refusals import Refusal, holes_of, no_answer, refusal_of
from .server import Answer, missing

DRIVER = "odbc"
STATEMENT = "SELECT 1"
_DBMS_NAME, _DBMS_VERSION, _USER_NAME, _DATABASE_NAME, _READ_ONLY = 17, 18, 47, 16, 25  # SQLGetInfo (sql.h)

used_method = plain.used_method
watch = plain.watch


def _module() -> Any:  # noqa: ANN401
    try:
        import pyodbc
    except ImportError:
        raise missing("pyodbc", "odbc", "data sources of ODBC") from None
    return pyodbc


def driver_for(engine: str) -> str:
    """The ODBC driver of an engine that a text is written for: one that is registered here, or else the first known.

    Where none is known, pairs are written for no driver in particular.
    """
    known = [i for i, facts in load_index()["drivers"].items() if engine in facts["engines"] and _is_odbc(i)]
    here = {name.casefold() for name in _module().drivers()}
    registered = (one for one in known if here & {name.casefold() for name in load_driver(one).registered})
    return str(next(registered, known[0] if known else "odbc"))


def _is_odbc(driver_id: str) -> bool:
    return driver_id != DRIVER and load_driver(driver_id).language == "odbc"


def log_in(cord: Cord, deadline: Deadline, *, writes: bool = False) -> Any:  # noqa: ANN401
    """Connect through the driver manager, with the text that is written for the engine's ODBC driver."""
    module = _module()
    named = cord.discovery.name is not None
    text = text_for(cord, "odbc" if named else driver_for(cord.engine))

    def connect() -> plain.Guarded:
        made = module.connect(text, timeout=math.ceil(deadline.seconds), readonly=True)
        return plain.Guarded(made, threading.Lock())

    try:
        return deadline.run(connect, late=close)
    except NoAnswer:
        raise no_answer(deadline, cord.engine, "log in") from None
    except module.Error as error:
        raise cause_of(error, cord) from None


def cause_of(error: Exception, cord: Cord | None = None) -> Refusal:
    """Turn what the driver manager or the driver said into a cause, by its SQLSTATE."""
    state = str(error.args[0]) if error.args else ""
    engine = cord.engine if cord is not None else "postgresql"
    return refusal_of(f"odbc:{state}", engine=engine, code=state or None, **holes_of(cord))


def answer(session: Any, deadline: Deadline) -> Answer:  # noqa: ANN401
    """Ask the driver what it knows of the server (SQLGetInfo)."""

    def ask(connection: Any) -> list[Any]:  # noqa: ANN401
        return [connection.getinfo(one) for one in (_DBMS_NAME, _DBMS_VERSION, _USER_NAME, _DATABASE_NAME, _READ_ONLY)]

    try:
        name, version, user, database, reads = deadline.run(lambda: session.do(ask))
    except NoAnswer:
        raise no_answer(deadline, "postgresql") from None
    except _module().Error as error:
        raise cause_of(error) from None
    # its form is ##.##.#### (SQLGetInfo, SQL_DBMS_VER); where no database is chosen, MariaDB's driver says null
    version = ".".join(part.lstrip("0") or "0" for part in str(version).partition(" ")[0].split("."))
    database = None if database in {"", "null"} else database
    return Answer(product=str(name), version=version, user=user or None, database=database, reads_only=bool(reads))


def run(session: Any, statement: str) -> None:  # noqa: ANN401
    """Run a statement and fetch its rows."""
    session.do(lambda connection: connection.execute(statement).fetchall())


def close(session: Any) -> None:  # noqa: ANN401
    """Close a session."""
    with suppress(Exception):
        session.close()


def errors() -> tuple[type[Exception], ...]:
    """What pyodbc raises."""
    return (_module().Error,)
