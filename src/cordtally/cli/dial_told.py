"""How a dial is printed: each rung as it ends, the end in one sentence, and what is known of a cause."""

from __future__ import annotations

from ..catalog import load_engine
from ..catalog.causes import Cause, load_cause, load_causes
from ..dialing import DialResult, Rung, RungOutcome
from ..figures import show_seconds
from .layout import Line
from .screen import Screen, clean

_SIGNS = {
    RungOutcome.HELD: ("✓", "green"),
    RungOutcome.NOT_NEEDED: ("–", "dim"),
    RungOutcome.BROKE: ("✗", "bold red"),
    RungOutcome.NOT_TRIED: ("·", "dim"),
}
_DETAIL, _NARROW_DETAIL, _WIDE = 24, 4, 72  # cells before what is told of a rung; the least width for as many
_RUNGS = {"log-in": "log in", "file": "a database that is a file"}


class RungPrinter:
    """Prints rungs on a screen."""

    def __init__(self, screen: Screen) -> None:
        self.screen = screen
        self.hang = _DETAIL if screen.width >= _WIDE else _NARROW_DETAIL

    def rung(self, rung: Rung) -> None:
        """Print a rung as soon as it has ended."""
        sign, style = ("!", "yellow") if rung.in_clear else _SIGNS[rung.outcome]
        time = "" if rung.seconds is None or rung.outcome is RungOutcome.NOT_NEEDED else show_seconds(rung.seconds)
        line = Line(f"  {sign} ", style).append(f"{rung.name:<9}", style).append(f"{time:>9}  ")
        said = {RungOutcome.NOT_NEEDED: f"not needed: {rung.detail}", RungOutcome.NOT_TRIED: "not tried"}
        self.screen.say(line.append(clean(said.get(rung.outcome, rung.detail))), hang=self.hang)
        for one in rung.more:
            self.screen.say(" " * self.hang + clean(one), hang=self.hang)


def print_end(screen: Screen, result: DialResult) -> None:
    """Print how a dial ended: one sentence, and what there is to do or to know."""
    if result.diagnosis is None:
        screen.say(clean(result.sentence), "bold green")
    else:
        code = f" (the server's code: {clean(result.diagnosis.code)})" if result.diagnosis.code else ""
        screen.say(f"broke at {result.broke_at}: {clean(result.diagnosis.cause)}{code}", "bold red")
        screen.say(f"what to do: {clean(result.diagnosis.hint)}", hang=12)
        screen.say(f"more: cordtally dial --explain {result.diagnosis.id}", "dim")
    for one in result.notes:
        screen.say(f"! {clean(one)}", "yellow", hang=2)


def in_one_line(result: DialResult) -> str:
    """Say how a dial ended, without what to do."""
    if result.diagnosis is None:
        return result.sentence
    code = f" ({result.diagnosis.code})" if result.diagnosis.code else ""
    return f"broke at {result.broke_at}: {result.diagnosis.cause}{code}"


def print_cause(screen: Screen, cause_id: str) -> None:
    """Print what is known of a cause."""
    cause = load_cause(cause_id)
    screen.say(Line(cause.id, "bold").append(f"  at {_RUNGS.get(cause.rung, cause.rung)}", "dim"))
    screen.say(cause.sentence())
    screen.say()
    screen.say(cause.means)
    screen.say()
    screen.say("likely, the likeliest first:" if len(cause.reasons) > 1 else "likely:", "bold")
    for one in cause.reasons:
        screen.say(f"  - {one}", hang=4)
    screen.say(Line("what to do: ", "bold").append(cause.advice()), hang=12)
    for engine, told in cause.on.items():
        screen.say(Line(f"  {load_engine(engine).title}: ", "bold").append(told), hang=4)
    if cause.alike:
        screen.say(Line("not told apart: ", "bold").append(cause.alike), hang=16)
    if shown := codes_of(cause):
        screen.say(Line("codes: ", "dim").append(", ".join(shown), "dim"), hang=7)


def codes_of(cause: Cause) -> list[str]:
    """The codes of others that lead to a cause, as they are known."""
    names = {"sqlstate": "SQLSTATE", "mysql": "MySQL", "mssql": "SQL Server", "oracle": "ORA-", "redis": "Redis",
             "mongodb": "MongoDB", "clickhouse": "ClickHouse", "sqlite": "SQLITE_", "errno": "", "unix": "",
             "gai": "EAI_", "odbc": "ODBC", "x509": "X509_V_ERR", "alert": "TLS alert"}  # fmt: skip
    made = []
    for code in (*cause.codes, *(one.of for one in cause.words)):
        family, _, rest = code.partition(":")
        if family in names and rest != "*":
            name = names[family] if not rest.startswith("DPY") else ""  # python-oracledb's own
            made.append(f"{name}{rest}" if name[-1:] in {"", "_", "-"} else f"{name} {rest}")
    return list(dict.fromkeys(made))


def print_causes(screen: Screen) -> None:
    """List all causes, by their rungs."""
    causes = load_causes()
    for rung in dict.fromkeys(cause.rung for cause in causes.values()):
        screen.say(_RUNGS.get(rung, rung), "bold")
        rows = [[f"  {cause.id}", cause.sentence()] for cause in causes.values() if cause.rung == rung]
        screen.table(rows, whole=(0,))
        screen.say()
    screen.say(f"{len(causes)} causes; cordtally dial --explain CAUSE tells about one", "dim")


def causes_document(causes: list[Cause]) -> list[dict[str, object]]:
    """Give causes as plain values."""
    return [
        {
            "id": cause.id,
            "rung": _RUNGS.get(cause.rung, cause.rung),
            "title": cause.sentence(),
            "means": cause.means,
            "reasons": list(cause.reasons),
            "do": cause.do,
            "on": dict(cause.on),
            "not_told_apart": cause.alike,
            "codes": codes_of(cause),
        }
        for cause in causes
    ]
