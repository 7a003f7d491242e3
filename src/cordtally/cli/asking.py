"""The questions of ``cordtally compose`` at a terminal: what fits is offered, what is answered already is not asked."""

from __future__ import annotations

import sys
from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress

import click

from ..catalog import engine_ids, ids_of, load_driver, load_engine
from ..composing import compose
from ..errors import CordTallyError
from ..exchange import write
from ..model import Cord, TlsLevel
from .connections import first_target
from .fields import host_fields, shown
from .layout import Line
from .naming import DRIVER, ENGINE, LEVEL, Called
from .screen import Screen, clean

Fields = dict[str, object]
_NOTHING = "-"
_MOST_OFFERED = 6


class _Left(Exception):
    """The end of the input: the rest is left as it is."""


def ask(given: Fields, target: str | None) -> tuple[Fields, str | None]:
    """Ask for what is missing, and show the masked string as it grows.

    The end of the input (Ctrl-D) ends the questions; what is answered by then counts.

    Raises
    ------
    click.Abort
        At Ctrl-C, and where the input ends before there is an engine.
    CordTallyError
        Where what was given cannot be meant, whatever is answered.
    """
    screen = Screen(err=True)
    screen.say(
        f"Enter takes what stands in brackets, {_NOTHING} leaves a field empty, Ctrl-D ends the questions,"
        " Ctrl-C leaves.",
        "dim",
    )
    questions = _Questions(screen, dict(given), target)
    with suppress(_Left):
        questions.run()
    if questions.fields.get("engine") is None:
        raise click.Abort
    return questions.fields, questions.target


class _Questions:
    def __init__(self, screen: Screen, fields: Fields, target: str | None) -> None:
        self.screen, self.fields, self.target = screen, fields, target
        self.text = ""
        if fields.get("engine") is not None:
            self._grow({})

    def run(self) -> None:
        """Ask in the order in which one thinks of a connection."""
        if self.fields.get("engine") is None:
            self._ask("engine", "postgresql", engine_ids(), take=_called(ENGINE))
        engine = load_engine(str(self.fields["engine"]))
        if self.target is None:
            self._ask_driver()
        driver = load_driver((self.target or first_target(engine.id)).partition("/")[0])
        if engine.embedded:
            self._ask("database", ":memory:", said="file")
            return
        if not self._is_given("host", "hosts", "service"):
            self._ask("host", engine.default_host or "", said="host, host:port, or a socket's path")
        if self._asks_port():
            self._ask("port", str(engine.default_port or ""))
        for name in ("database", "user"):
            if not self._is_given(name):
                self._ask(name, "")
        if self.fields.get("user") and not self._is_given("password", "login"):
            self._ask("password", "ask:", ["env:NAME", "file:PATH", "ask:"], said="where the password is kept")
        written = {str(state.meaning) for state in driver.tls if not state.read_only}
        levels = [level.value for level in TlsLevel if level.value in written]
        if levels and not self._is_given("tls") and not self._is_socket():
            self._ask("tls", levels[-1], levels, said="TLS level", take=_called(LEVEL))
        if str(self.fields.get("tls")).startswith("verify") and not self._is_given("ca"):
            self._ask("ca", "", said="file of the authority's certificate")

    def _ask_driver(self) -> None:
        engine = str(self.fields["engine"])
        first = ids_of(engine, None)[:_MOST_OFFERED]
        offered = [*first, f"… (cordtally drivers --engine {engine} lists all)"]
        self._ask("driver", first_target(engine), offered, said="written for", take=_called(DRIVER))

    def _is_given(self, *names: str) -> bool:
        return any(self.fields.get(name) is not None for name in names)

    def _hosts(self) -> list[str]:
        listed = self.fields.get("hosts")
        return [str(one) for one in listed] if isinstance(listed, list) else [str(self.fields.get("host") or "")]

    def _is_socket(self) -> bool:
        return all(host.startswith(("/", "@", "\\\\")) for host in self._hosts())

    def _asks_port(self) -> bool:
        """A list of hosts holds its ports; a socket, an instance and a service have none."""
        cord = self._tried({})
        return (
            cord is not None
            and len(cord.hosts) == 1
            and not (self._is_given("port") or cord.hosts[0].port or cord.hosts[0].instance or self._is_socket())
        )

    def _ask(
        self,
        name: str,
        default: str,
        offered: Sequence[str] = (),
        *,
        said: str = "",
        take: Callable[[str], str] = str,
    ) -> None:
        """Ask until the answer can be meant; an answer to the driver's question is kept beside the fields."""
        if offered:
            self.screen.say(f"  {', '.join(offered)}", "dim")
        line = Line(said or name, "bold").append(f" [{default}]" if default else "", "dim").append(":")
        while True:
            answer = _read(self.screen, line) or default
            try:
                meant = take(answer) if answer not in {"", _NOTHING} else None
                if name == "driver":
                    self.target = meant
                    self._grow({})
                else:
                    self._grow(_hosts_of(meant) if name == "host" else {name: meant})
            except CordTallyError as error:
                self.screen.say(f"  {error}", "red", hang=2)
                continue
            return

    def _grow(self, more: Mapping[str, object]) -> None:
        cord = self._tried(more, quiet=False)
        assert cord is not None
        self.fields |= more
        before, text = self.text, clean(str(write(shown(cord), self.target or first_target(cord.engine)).text))
        self.text = text
        if text and text != before:
            self.screen.say(f"  {text}", "dim", whole=True)

    def _tried(self, more: Mapping[str, object], *, quiet: bool = True) -> Cord | None:
        fields = {k: v for k, v in {**self.fields, **more}.items() if v is not None}
        try:
            return compose(driver=self.target, **fields)
        except CordTallyError:
            if quiet:
                return None
            raise


def _hosts_of(answer: str | None) -> Fields:
    return host_fields((answer,) if answer else ())


def _called(kind: Called) -> Callable[[str], str]:
    return lambda answer: kind.convert(answer, None, None)


def _read(screen: Screen, prompt: Line) -> str:
    """Read an answer from the terminal; on standard error, as the string alone goes to standard output."""
    screen.stream.write(screen.drawn(prompt) + " ")
    screen.stream.flush()
    answer = sys.stdin.readline()
    if not answer:
        screen.say()
        raise _Left
    return answer.strip()
