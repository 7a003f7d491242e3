"""Finds contradictions in a pool's settings, and mismatches with the limits of the server behind it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from ...catalog.pool_libraries import UNITS, Setting
from ...errors import FieldError
from ...figures import show_seconds
from ...model import Duration
from ...vetting import Finding, Findings, RuleId, Severity
from ...vetting.findings import by_severity, finding
from ..quantities import set_quantities
from .reading import PoolSettings


@dataclass(frozen=True, slots=True, kw_only=True)
class ServerLimits:
    """What the server allows: connections, of which some are reserved; how long a session may be idle.

    That time is given in seconds, or as a text like ``10min``.
    """

    connections: int | None = None
    reserve: int = 0
    idle_timeout: float | None = None

    def __post_init__(self) -> None:
        set_quantities(self, seconds=("idle_timeout",) if self.idle_timeout is not None else ())
        if (self.connections is not None and self.connections < 1) or self.reserve < 0:
            raise FieldError("a server's limit is at least 1 connection, and its reserve at least 0")

    @property
    def left(self) -> int | None:
        """What applications may use."""
        return None if self.connections is None else self.connections - self.reserve


def vet_pool(settings: PoolSettings, *, instances: int = 1, server: ServerLimits | None = None) -> Findings:
    """Vet a pool's settings.

    Parameters
    ----------
    settings : PoolSettings
        What was read; the library's defaults count as well.
    instances : int
        Processes with such a pool.
    server : ServerLimits, optional
        What the server allows.

    Returns
    -------
    Findings
        The worst first.
    """
    found = [*_sizes(settings), *_times(settings), *_without_effect(settings), *_shared(settings)]
    found += _against_server(settings, instances, server or ServerLimits())
    return by_severity(found)


def _named(settings: PoolSettings, means: str) -> str:
    """Write a setting as the library calls it, with its value, or its default."""
    setting = settings.library.setting(means)
    if setting is None:
        overflow = settings.library.setting("overflow")
        return "the largest size" if overflow else means
    text = settings.texts.get(setting.name)
    return f"{setting.name} = {text}" if text is not None else f"{setting.name} (default)"


def _sizes(settings: PoolSettings) -> Iterator[Finding]:
    most = settings.count("max_size")
    for name, text in settings.refused.items():
        yield finding(RuleId.REFUSED_VALUE, f"{name} = {text} is refused", f"give {name} another value")
    for name, text in settings.texts.items():
        setting = settings.library.settings[name]
        if setting.least is not None and 0 < _number(settings, setting) < setting.least:
            bound = f"{setting.least} {setting.unit or ''}".strip()
            message = f"{name} = {text} is below the least that {settings.library.title} takes, {bound}"
            yield finding(RuleId.REFUSED_VALUE, message, f"give {name} {bound} or more; below it the default may count")
    for means in ("min_size", "min_idle", "initial_size"):
        least = settings.count(means)
        if most is not None and least is not None and least > most:
            yield finding(
                RuleId.MINIMUM_ABOVE_MAXIMUM,
                f"{_named(settings, means)} is more than {_named(settings, 'max_size')}",
                "lower the minimum: the pool can never hold so many",
            )
    idle = settings.count("max_idle")
    if settings.library.setting("overflow") is None and idle is not None and most is not None and idle < most:
        yield finding(
            RuleId.CONNECTIONS_THROWN_AWAY,
            f"of {most} connections only {idle} are kept idle: under a load that changes the others are opened anew",
            f"raise {_named(settings, 'max_idle').split(' ')[0]} towards {most}; the idle timeout shrinks the pool",
        )


def _number(settings: PoolSettings, setting: Setting) -> float:
    """A value in its setting's own unit; 0 where it is no number."""
    value = settings.given.get(setting.means)
    if isinstance(value, Duration):
        return value.seconds / UNITS[setting.unit or "s"]
    return float(value) if isinstance(value, int) else 0.0


def acting_idle_timeout(settings: PoolSettings) -> float | None:
    """The idle timeout in seconds, where it can act at all."""
    setting, most = settings.library.setting("idle_timeout"), settings.count("max_size")
    if setting is None:
        return None
    if setting.needs is not None and settings.all.get(settings.library.settings[setting.needs].means) in {None, False}:
        return None
    if setting.only_below is not None and most is not None:
        bound = settings.count(setting.only_below)
        if bound is None or bound >= most:
            return None
    return settings.seconds("idle_timeout")


def _ends_idle_ones(settings: PoolSettings) -> bool:
    """Whether the lifetime ends a connection that lies idle: not where it is looked at when one comes back."""
    lifetime = settings.library.setting("lifetime")
    return lifetime is None or lifetime.looked_at != "given-back"


def _times(settings: PoolSettings) -> Iterator[Finding]:
    acquire, idle, life = (settings.seconds(name) for name in ("acquire_timeout", "idle_timeout", "lifetime"))
    acting = acting_idle_timeout(settings)
    connect = settings.seconds("connect_timeout")
    waits = settings.all.get("waits_when_full", settings.library.behaviour.when_full == "waits")
    if settings.library.setting("acquire_timeout") is None and settings.library.kind == "library" and waits:
        yield finding(
            RuleId.ENDLESS_ACQUIRE,
            f"{settings.library.title} has no limit for how long one waits: a leak stops all in silence",
            "put one around the call that asks for a connection",
            severity=Severity.NOTE,
        )
    if acquire is None and settings.library.setting("acquire_timeout") is not None:
        yield finding(
            RuleId.ENDLESS_ACQUIRE,
            f"whoever asks waits without end ({_named(settings, 'acquire_timeout')}): a leak stops all in silence",
            "give it a limit: a few times the longest wait that is normal",
        )
    if acquire is not None and connect is not None and acquire < connect:
        yield finding(
            RuleId.ACQUIRE_BELOW_CONNECT,
            f"{_named(settings, 'acquire_timeout')} gives up before a connection may be opened "
            f"({_named(settings, 'connect_timeout')})",
            "make the acquire timeout the longer of the two",
        )
    if acting is not None and life is not None and acting >= life and _ends_idle_ones(settings):
        yield finding(
            RuleId.IDLE_BEYOND_LIFETIME,
            f"{_named(settings, 'idle_timeout')} never acts: the lifetime of {show_seconds(life)} ends first",
            "make the idle timeout shorter than the lifetime",
        )
    most, least = settings.count("max_size"), settings.count("min_size") or settings.count("min_idle")
    if idle is not None and most is not None and least == most and "idle_timeout" in settings.given:
        yield finding(
            RuleId.POOL_NEVER_SHRINKS,
            f"{_named(settings, 'idle_timeout')} has no effect: the pool keeps all {most} connections",
            "lower the minimum, or leave the idle timeout out",
        )


def _without_effect(settings: PoolSettings) -> Iterator[Finding]:
    for name in settings.texts:
        setting = settings.library.settings[name]
        if setting.needs is None:
            continue
        needed = settings.library.settings[setting.needs]
        value = settings.all.get(needed.means)
        if value is None or value is False:
            yield finding(
                RuleId.SETTING_WITHOUT_EFFECT,
                f"{name} = {settings.texts[name]} has no effect without {setting.needs}",
                f"set {setting.needs}, or leave {name} out",
            )


def _shared(settings: PoolSettings) -> Iterator[Finding]:
    mode = settings.value("sharing")
    if mode not in {"transaction", "statement"}:
        return
    message = f"{_named(settings, 'sharing')}: each {mode} may run on another connection of the server"
    lost = (
        "what a session holds does not last: SET, LISTEN, advisory locks, temporary tables, statements prepared in SQL"
    )
    more = "; a transaction of several statements is refused" if mode == "statement" else ""
    severity = Severity.WARNING if mode == "statement" else None
    hint = f"{lost}{more}; use SET LOCAL, and keep the driver from preparing statements by name"
    yield finding(RuleId.STATE_IS_NOT_KEPT, message, hint, severity=severity)


def _against_server(settings: PoolSettings, instances: int, server: ServerLimits) -> Iterator[Finding]:
    most, left = settings.count("max_size"), server.left
    each = f"{instances} instance{'' if instances == 1 else 's'}"
    if most is not None and (pools := settings.count("pools_per_child")) is not None:
        most *= pools  # Pgpool-II: each child keeps so many, one for each user and database
    if left is not None and most is not None and most * instances > left:
        yield finding(
            RuleId.POOLS_OVER_LIMIT,
            f"{each} × {most} = {most * instances} connections, and the server leaves {left}",
            f"at most {left // instances} each, fewer instances, or a pooler in between; see: cordtally pool budget",
        )
    if left is not None and most is None:
        share, per = max(1, left // instances), settings.library.behaviour.per
        what, hint = "the pool has no largest size", f"set the largest size to {share} or less"
        if settings.library.behaviour.when_full == "opens":
            what, hint = f"each {per} opens its own", f"run {share} {per}s or fewer, or put a pooler in between"
        message = f"{what}, and the server leaves {left}: a slow moment takes them all"
        yield finding(RuleId.ENDLESS_POOL, message, hint)
    ends = server.idle_timeout
    if ends is None:
        return
    idle, life = acting_idle_timeout(settings), settings.seconds("lifetime")
    both = "idle timeout or the lifetime"
    if not _ends_idle_ones(settings):
        life, both = None, "idle timeout"
    first = min((t for t in (idle, life) if t is not None), default=None)
    if first is None or first >= ends:
        checked = settings.value("validate_on_borrow") is True or settings.seconds("validate_after") is not None
        how = (
            "they are checked when taken, which costs a failed look each"
            if checked
            else "the next request gets a dead one"
        )
        message = (
            f"the server ends sessions that are idle for {show_seconds(ends)}, and the pool keeps them longer: {how}"
        )
        hint = f"make the {both} shorter than {show_seconds(ends)}"
        severity = Severity.NOTE if checked else None
        yield finding(RuleId.SERVER_HANGS_UP_FIRST, message, hint, severity=severity)
