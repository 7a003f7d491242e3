"""H2, HSQLDB and Derby as servers, through their own JDBC drivers in a Java machine of its own process (JPype).

Facts from JPype 1.7.1 and the drivers of Debian: H2 2.1.214, HSQLDB 2.7.1, Derby 10.14.2.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from importlib.util import find_spec
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

from ..deadline import Deadline, NoAnswer
from ..model import Cord, Host
from ..secrets import text_for
from . import plain
from .refusals import Refusal, holes_of, no_answer, refusal_of
from .server import Answer, missing
from .wire import LARGEST

if TYPE_CHECKING:
    from .wire import Wire

_FOLDER = Path("/usr/share/java")  # Debian's


class Thrown(Exception):
    """What a driver threw: its SQLSTATE, its own number and its words; an empty state where the machine has gone."""

    def __init__(self, state: str, number: int, said: str) -> None:
        super().__init__(state)
        self.state, self.number, self.said = state, number, said


class Machine(NamedTuple):
    """A process with a Java machine, and the cord that it is connected by."""

    process: subprocess.Popen[str]
    cord: Cord

    def ask(self, **question: str) -> dict[str, Any]:
        """Ask, and wait for the answer.

        Raises
        ------
        Thrown
            With what the driver threw.
        """
        assert self.process.stdin is not None
        assert self.process.stdout is not None
        self.process.stdin.write(json.dumps(question) + "\n")
        self.process.stdin.flush()
        line = self.process.stdout.readline(LARGEST)
        told: dict[str, Any] = json.loads(line) if line else {"refused": "", "number": 0, "said": ""}
        if "refused" in told:
            raise Thrown(told["refused"], told["number"], told["said"])
        return told


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

    def log_in(self, cord: Cord, deadline: Deadline, *, writes: bool = False) -> Machine:
        """Connect with exactly the URL that this package writes, user and password in it."""
        _wants_jpype(cord.engine)
        jar = _found(self.jar)
        if jar is None:
            package = f"Debian: lib{self.jar.removesuffix('.jar')}-java"
            named = f"{self.jar} (in CLASSPATH or {_FOLDER}; {package})"
            raise refusal_of("own:jar-missing", engine=cord.engine, name=named)
        text = text_for(cord, f"{self.DRIVER}/jdbc")
        process = subprocess.Popen(  # the URL goes through the pipe: arguments can be seen by others
            [sys.executable, "-m", f"{__package__}.jdbc_machine", str(jar)],
            stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True, encoding="utf-8",
        )  # fmt: skip
        machine = Machine(process, cord)
        try:
            deadline.run(lambda: machine.ask(**{"do": "connect", "class": self.driver_class, "text": text}))
        except BaseException as error:
            self.close(machine)
            if isinstance(error, NoAnswer):
                raise no_answer(deadline, cord.engine, "log in") from None
            if isinstance(error, self.errors()):
                raise self.cause_of(error, cord) from None
            raise
        return machine

    def cause_of(self, error: Exception, cord: Cord | None = None) -> Refusal:
        """Turn what the driver threw into a cause: by its own number, or else by the SQLSTATE."""
        holes, engine = holes_of(cord), self.DRIVER.removesuffix("-jdbc")
        if not isinstance(error, Thrown) or not error.state:
            return refusal_of("own:hung-up", engine=engine, **holes)
        state = error.state
        codes = (f"{engine}:{error.number}", f"{engine}:{state}", f"jdbc:{state}", f"jdbc:{state[:2]}")
        return refusal_of(*codes, engine=engine, code=state, said=error.said, **holes)

    def answer(self, session: Machine, deadline: Deadline) -> Answer:
        """Ask the driver what it knows of the server, and the server one question."""
        cord = session.cord
        try:
            told = deadline.run(lambda: session.ask(do="answer", statement=self.STATEMENT))
        except NoAnswer:
            self.close(session)
            raise no_answer(deadline, cord.engine) from None
        except self.errors() as error:
            raise self.cause_of(error, cord) from None
        return Answer(
            product=told["product"].removesuffix(" Database Engine"),
            version=told["version"].partition(" ")[0],
            user=told["user"],
            database=None if cord.database is None else str(cord.database),
            reads_only=told["reads_only"],
            rights=("database administrator",) if told["user"].upper() == self.user else (),
        )

    def run(self, session: Machine, statement: str) -> None:
        """Run a statement."""
        session.ask(do="run", statement=statement)

    def close(self, session: Machine) -> None:
        """End the machine, and the connection with it."""
        session.process.kill()
        with suppress(OSError):
            session.process.communicate()

    def errors(self) -> tuple[type[Exception], ...]:
        """What a driver throws, and what the pipe to its machine does."""
        _wants_jpype(self.DRIVER.removesuffix("-jdbc"))
        return (Thrown, OSError, ValueError)


_ENGINES = {
    "h2": ThroughJava("h2-jdbc", "org.h2.Driver", "h2.jar", "SELECT 1", "SA"),
    "hsqldb": ThroughJava("hsqldb-jdbc", "org.hsqldb.jdbc.JDBCDriver", "hsqldb.jar", "VALUES 1", "SA"),
    "derby": ThroughJava("derby-jdbc", "org.apache.derby.jdbc.ClientDriver", "derbyclient.jar", "VALUES 1", "APP"),
}


def for_engine(engine: str) -> ThroughJava:
    """Give what talks to an engine."""
    return _ENGINES[engine]


def _wants_jpype(engine: str) -> None:
    if find_spec("jpype") is None:
        raise missing("JPype1", "jdbc", f"{engine} through JDBC")


def _found(jar: str) -> Path | None:
    """Look for a jar, with or without a version in its name, among those of CLASSPATH and Debian's."""
    listed = [Path(one) for one in os.environ.get("CLASSPATH", "").split(os.pathsep) if one.endswith(".jar")]
    stem = jar.removesuffix(".jar")
    named = (one for one in listed if one.stem == stem or one.stem.startswith(f"{stem}-"))
    return next((one for one in [*named, _FOLDER / jar] if one.is_file()), None)
