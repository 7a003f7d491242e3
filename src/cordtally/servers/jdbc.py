"""H2, HSQLDB and Derby as servers, through their own JDBC drivers in a Java machine (JPype).

Facts from JPype 1.7.1 and the drivers of Debian: H2 2.1.214, HSQLDB 2.7.1, Derby 10.14.2.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from threading import Lock
from typing import TYPE_CHECKING, Any

from ..deadline import Deadline, NoAnswer
from ..model import Cord, Host
from ..secrets import text_for
from . import plain
from .refusals import Refusal, holes_of, no_answer, refusal_of
from .server import Answer, missing

if TYPE_CHECKING:
    from .wire import Wire

_FOLDER = Path("/usr/share/java")  # Debian's
_SIZE = "-Xmx128m"  # a hostile server's answers end there
_starting = Lock()


@dataclass(slots=True, eq=False)
class ThroughJava:
    """One engine's driver: its name in the catalog, class and jar, and how this engine is asked for next to nothing."""

    DRIVER: str
    driver_class: str
    jar: str
    STATEMENT: str
    user: str
    TLS_FIRST: bool = True

    def socket_name(self, host: Host) -> str:
        """Give the name as it is: these engines have no sockets."""
        return plain.socket_name(host)

    def ask_for_tls(self, wire: Wire) -> bool:
        """TLS begins at once, or not at all."""
        return plain.ask_for_tls(wire)

    def greet(self, wire: Wire, cord: Cord) -> str:
        """Say nothing: each of the three wants to know the user in its first message."""
        return plain.greet(wire, cord)

    def part(self, wire: Wire) -> None:
        """Hang up."""
        plain.part(wire)

    def inquire(self, wire: Wire, cord: Cord) -> Refusal | None:
        """Ask nothing more."""
        return plain.inquire(wire, cord)

    def used_method(self, session: Any) -> str:  # noqa: ANN401
        """Say nothing of the method."""
        return plain.used_method(session)

    def watch(self, session: Any) -> Callable[[], None]:  # noqa: ANN401
        """Watch nothing: the Java machine has its bound."""
        return plain.watch(session)

    def log_in(self, cord: Cord, deadline: Deadline, *, writes: bool = False) -> Any:  # noqa: ANN401
        """Connect with exactly the URL that this package writes, user and password in it."""
        machine = _machine(self.jar, cord.engine)
        text = text_for(cord, f"{self.DRIVER}/jdbc")

        def connect() -> Any:  # noqa: ANN401
            _attach(machine)
            return machine.java.sql.DriverManager.getConnection(text), cord

        try:
            machine.JClass(self.driver_class)
            return deadline.run(connect, late=self.close)
        except NoAnswer:
            raise no_answer(deadline, cord.engine, "log in") from None
        except self.errors() as error:
            raise self.cause_of(error, cord) from None

    def cause_of(self, error: Exception, cord: Cord | None = None) -> Refusal:
        """Turn what the driver raised into a cause: by its own number, or else by the SQLSTATE."""
        holes, engine = holes_of(cord), self.DRIVER.removesuffix("-jdbc")
        if not hasattr(error, "getSQLState"):
            return refusal_of("own:hung-up", engine=engine, **holes)
        state, number = str(error.getSQLState()), int(error.getErrorCode())  # type: ignore[attr-defined]
        said = str(error.getMessage())  # type: ignore[attr-defined]
        codes = (f"{engine}:{number}", f"{engine}:{state}", f"jdbc:{state}", f"jdbc:{state[:2]}")
        return refusal_of(*codes, engine=engine, code=state, said=said, **holes)

    def answer(self, session: Any, deadline: Deadline) -> Answer:  # noqa: ANN401
        """Ask the driver what it knows of the server, and the server one question."""
        connection, cord = session

        def ask() -> tuple[Any, ...]:
            _attach(_machine(self.jar, cord.engine))
            told = connection.getMetaData()
            asked = connection.createStatement()
            asked.executeQuery(self.STATEMENT)
            asked.close()
            return (
                str(told.getDatabaseProductName()),
                str(told.getDatabaseProductVersion()),
                str(told.getUserName()),
                bool(connection.isReadOnly()) or bool(told.isReadOnly()),
            )

        try:
            product, version, user, reads_only = deadline.run(ask)
        except NoAnswer:
            raise no_answer(deadline, cord.engine) from None
        except self.errors() as error:
            raise self.cause_of(error, cord) from None
        rights = ("database administrator",) if user.upper() == self.user else ()
        return Answer(
            product=product.removesuffix(" Database Engine"),
            version=version.partition(" ")[0],
            user=user,
            database=None if cord.database is None else str(cord.database),
            reads_only=reads_only,
            rights=rights,
        )

    def run(self, session: Any, statement: str) -> None:  # noqa: ANN401
        """Run a statement."""
        asked = session[0].createStatement()
        asked.execute(statement)
        asked.close()

    def close(self, session: Any) -> None:  # noqa: ANN401
        """Close a connection."""
        with suppress(Exception):
            session[0].close()

    def errors(self) -> tuple[type[Exception], ...]:
        """What Java throws."""
        return (_machine(self.jar, self.DRIVER).JException, OSError)


_ENGINES = {
    "h2": ThroughJava("h2-jdbc", "org.h2.Driver", "h2.jar", "SELECT 1", "SA"),
    "hsqldb": ThroughJava("hsqldb-jdbc", "org.hsqldb.jdbc.JDBCDriver", "hsqldb.jar", "VALUES 1", "SA"),
    "derby": ThroughJava("derby-jdbc", "org.apache.derby.jdbc.ClientDriver", "derbyclient.jar", "VALUES 1", "APP"),
}


def for_engine(engine: str) -> ThroughJava:
    """Give what talks to an engine."""
    return _ENGINES[engine]


def _machine(jar: str, engine: str) -> Any:  # noqa: ANN401
    """Start the one Java machine that a process may have, with all jars that are there."""
    try:
        import jpype
    except ImportError:
        raise missing("JPype1", "jdbc", f"{engine} through JDBC") from None
    with _starting:
        if not jpype.isJVMStarted():
            jars = [str(found) for one in _ENGINES.values() if (found := _found(one.jar)) is not None]
            # Java leaves Ctrl-C to Python, and what it has no word for is no reason to stop
            jpype.startJVM("-Xrs", _SIZE, classpath=jars, ignoreUnrecognized=True, convertStrings=True)
    if _found(jar) is None:
        package = f"Debian: lib{jar.removesuffix('.jar')}-java"
        raise refusal_of("own:jar-missing", engine=engine, name=f"{jar} (in CLASSPATH or {_FOLDER}; {package})")
    return jpype


def _found(jar: str) -> Path | None:
    """Look for a jar, with or without a version in its name, among those of CLASSPATH and Debian's."""
    listed = [Path(one) for one in os.environ.get("CLASSPATH", "").split(os.pathsep) if one.endswith(".jar")]
    stem = jar.removesuffix(".jar")
    named = (one for one in listed if one.stem == stem or one.stem.startswith(f"{stem}-"))
    return next((one for one in [*named, _FOLDER / jar] if one.is_file()), None)


def _attach(machine: Any) -> None:  # noqa: ANN401
    """Let this thread into the Java machine, as one that need not end before the program does."""
    if not machine.java.lang.Thread.isAttached():
        machine.java.lang.Thread.attachAsDaemon()
