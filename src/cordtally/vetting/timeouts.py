"""Rules of times: units that were mistaken, waits without end, and who gives up first."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cache

from ..catalog import Option, load_canonical, load_driver
from ..catalog.services import service_of
from ..exchange import OptionRow, Reading
from ..exchange.targets import load_target
from ..model import DiscoveryKind, Duration
from ..model.values import NANOSECONDS
from ..patterns import pattern
from ..text import as_text
from .edits import Edit
from .ids import RuleId
from .looks import Look
from .rules import Severity, Sight, Told, rule

_WAITS = ("connect_timeout", "login_timeout", "read_timeout", "write_timeout", "command_timeout", "pool_wait_timeout",
          "server_selection_timeout")  # fmt: skip
_KEEPALIVE = ("tcp_keepalive", "tcp_keepalive_idle")
_STATEMENT = pattern(r"(?:^|\s|-c\s*|--)statement[_-]timeout\s*=\s*'?(\d{1,12})\s*(us|ms|s|min|h|d)?'?")
_UNIT_WORDS = {
    "s": "seconds",
    "ms": "milliseconds",
    "us": "microseconds",
    "min": "minutes",
    "h": "hours",
    "ns": "nanoseconds",
}


@rule(
    RuleId.SUSPICIOUS_UNIT,
    Severity.WARNING,
    Sight.OPTIONS,
    title="a time that looks like another unit",
    why="Milliseconds read as seconds wait a thousand times too long.",
    about="Told by the magnitude: nobody waits for an hour and a half to connect, or for five milliseconds.",
    bad="postgresql://gauge.greywick.example/tides?connect_timeout=5000",
    good="postgresql://gauge.greywick.example/tides?connect_timeout=5",
)
def suspicious_unit(look: Look) -> Iterator[Told]:
    reading = look.reading
    for row in reading.rows if reading is not None else ():
        option = row.option
        if option is None or not isinstance(row.value, Duration) or row.value.nanoseconds is None:
            continue
        bounds = _usual(option.canonical or "")
        if bounds is None or option.unit in {"go", "iso", "suffix"}:  # these are written with their unit
            continue
        meant = _meant(row.value.nanoseconds, *bounds)
        if meant is not None and reading is not None:
            yield _of_unit(look, reading, row, option, meant)


@cache
def _usual(canonical: str) -> tuple[int, int] | None:
    """The nanoseconds between which people mean such a duration; None where the catalog names no bounds."""
    fact = load_canonical().get(canonical)
    if fact is None or not fact.usual:
        return None
    low, high = (Duration.parse(bound).nanoseconds or 0 for bound in fact.usual)
    return low, high


def _meant(nanoseconds: int, low: int, high: int) -> int | None:
    """The duration that was probably meant: a thousandth if far too long, a thousandfold if far too short."""
    if nanoseconds > high and low <= nanoseconds // 1000 <= high:
        return nanoseconds // 1000
    if 0 < nanoseconds < low <= nanoseconds * 1000 <= high:
        return nanoseconds * 1000
    return None


def _of_unit(look: Look, reading: Reading, row: OptionRow, option: Option, meant: int) -> Told:
    driver = load_driver(reading.driver)
    unit = _UNIT_WORDS.get(option.unit or "", str(option.unit))
    instead = max(1, round(meant / NANOSECONDS[option.unit or "s"]))
    assert isinstance(row.value, Duration)
    message = f"{driver.title} reads {row.name} in {unit}: {row.raw} is {row.value.rough()}"
    span = look.place("option", row.name)
    edit = None if span is None else Edit(*span, str(instead))
    return Told(message, f"if you meant {Duration(meant)}, write {instead}", span, edit=edit)


@rule(
    RuleId.WAITS_FOR_EVER,
    Severity.WARNING,
    Sight.OPTIONS,
    options=_WAITS,
    title="a time limit that is none",
    why="Where nobody answers, the program waits without end, and nothing says why.",
    about="To most drivers zero, or a negative number, means no limit at all; to some it means at once.",
    bad=(
        "postgresql://gauge.greywick.example/tides?connect_timeout=0",
        "Host=gauge.greywick.example;Command Timeout=0",
    ),
    good="postgresql://gauge.greywick.example/tides?connect_timeout=5",
)
def waits_for_ever(look: Look) -> Iterator[Told]:
    for name, value in look.cord.options:
        if name in _WAITS and isinstance(value, Duration) and value.nanoseconds is None:
            severity = None if name in {"connect_timeout", "login_timeout"} else Severity.NOTE
            written = _written(look, name)
            yield Told(
                f"{written or name} sets no limit",
                "give it one: a few seconds, or as long as a caller waits",
                look.option_place(name),
                severity,
            )


def _written(look: Look, canonical: str) -> str | None:
    """An option with its value, as the text has it."""
    for row in look.reading.rows if look.reading is not None else ():
        if row.option is not None and row.option.canonical == canonical:
            return f"{row.name}={row.raw}"
    return None


@rule(
    RuleId.NO_CONNECT_TIMEOUT,
    Severity.NOTE,
    Sight.AWAY,
    title="no limit for connecting",
    why="Where packets are dropped, the operating system gives up after two minutes or more.",
    about="Reported where the driver takes a limit for connecting and has none by itself, and the text states none.",
    bad="postgresql://gauge.greywick.example/tides",
    good=("postgresql://gauge.greywick.example/tides?connect_timeout=5", "Host=gauge.greywick.example;Database=tides"),
)
def no_connect_timeout(look: Look) -> Iterator[Told]:
    if look.reading is None or look.cord.discovery.kind not in {DiscoveryKind.DIRECT, DiscoveryKind.SRV}:
        return
    by_canonical = load_target(look.reading.target).by_canonical
    option = by_canonical.get("connect_timeout") or by_canonical.get("login_timeout")
    if option is None or any(name in {"connect_timeout", "login_timeout"} for name, _ in look.cord.options):
        return
    if option.default is not None and not (option.default in {0, "0"} and option.zero == "unlimited"):
        return
    if option.default is None and option.zero != "unlimited":
        return  # whether it has a limit of its own is not known
    if any(row.option is option for row in look.reading.rows):
        return
    yield Told("nothing limits how long connecting may take", f"set {option.name} to a few seconds")


@rule(
    RuleId.KEEPALIVE_MISSING,
    Severity.WARNING,
    Sight.HOST,
    title="nothing that keeps a silent connection alive",
    why="What stands in between drops it when it is idle, and tells neither side.",
    about="Asked where the host is a balancer or a gateway that the catalog knows, with its limit for silence; probes "
    "of TCP, sent sooner than that, keep the connection in its tables.",
    bad="postgresql://gauge-0f0f.elb.eu-north-1.amazonaws.com/tides",
    good="postgresql://gauge-0f0f.elb.eu-north-1.amazonaws.com/tides?keepalives_idle=60",
)
def keepalive_missing(look: Look) -> Iterator[Told]:
    for host in look.cord.hosts:
        service = service_of(host.name)
        if service is None or not service.idle_limit:
            continue
        limit, idle = Duration.parse(service.idle_limit), look.cord.option("tcp_keepalive_idle")
        if isinstance(idle, Duration) and idle.nanoseconds is not None and idle.nanoseconds < (limit.nanoseconds or 0):
            return
        known = load_target(look.reading.target).by_canonical if look.reading is not None else {}
        option = next((known[name] for name in reversed(_KEEPALIVE) if name in known), None)
        if look.reading is not None and option is None:
            return  # this driver leaves it to the operating system
        if option is not None and option.canonical == "tcp_keepalive" and look.cord.option("tcp_keepalive") is True:
            return
        hint = f"add {option.name}" if option is not None else "let it be probed: tcp_keepalive_idle"
        message = f"{service.title} drops what is silent for {limit}, and nothing keeps it alive"
        yield Told(message, hint, look.place("host"))
        return


@rule(
    RuleId.CALLER_GIVES_UP_FIRST,
    Severity.WARNING,
    Sight.OPTIONS,
    options=("read_timeout", "command_timeout"),
    title="a caller that gives up before the server does",
    why="The server goes on with a statement whose answer nobody waits for.",
    about="A statement's limit on the server that is longer than the client waits for bytes, or than its own limit for "
    "a command.",
    bad="Host=gauge.greywick.example;Database=tides;Command Timeout=5;Options=-c statement_timeout=60s",
    good="postgresql://keeper@gauge.greywick.example/tides?options=-c%20statement_timeout%3D5s",
)
def caller_gives_up_first(look: Look) -> Iterator[Told]:
    cord = look.cord
    limits = [
        (name, value)
        for name in ("read_timeout", "command_timeout")
        if isinstance(value := cord.option(name), Duration)
    ]
    waits = [(name, value.nanoseconds) for name, value in limits if value.nanoseconds]
    if not waits:
        return
    first, shortest = min(waits, key=lambda one: one[1])
    runs = _runs(look)
    if runs is not None and runs[1] > shortest:
        message = f"the client gives up after {Duration(shortest)}, and a statement may run for {Duration(runs[1])}"
        yield Told(
            message,
            "let the statement's limit be the shorter one",
            look.option_place(runs[0]) or look.option_place(first),
        )


def _runs(look: Look) -> tuple[str, int] | None:
    """How long a statement may run: by the server's setting, or by the client's limit for a command."""
    settings = look.cord.option("session_options")
    match = _STATEMENT.search(as_text(settings)) if isinstance(settings, str) else None
    if match is not None and int(match[1]):
        units = {**NANOSECONDS, "d": 86_400 * NANOSECONDS["s"]}
        return "session_options", int(match[1]) * units[match[2] or "ms"]
    command, read = look.cord.option("command_timeout"), look.cord.option("read_timeout")
    if isinstance(command, Duration) and isinstance(read, Duration) and command.nanoseconds:
        return "command_timeout", command.nanoseconds
    return None
