"""Finds contradictions in a pool's settings, and mismatches with the limits of the server behind it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import NamedTuple

from ...vetting import Severity
from ..quantities import show_seconds
from .reading import PoolSettings


@dataclass(frozen=True, slots=True, kw_only=True)
class ServerLimits:
    """What the server allows: connections, of which some are reserved; how long a session may be idle (s)."""

    connections: int | None = None
    reserve: int = 0
    idle_timeout: float | None = None

    @property
    def left(self) -> int | None:
        """What applications may use."""
        return None if self.connections is None else self.connections - self.reserve


class PoolFinding(NamedTuple):
    """One finding: its rule, how bad it is, what is wrong, and what to do."""

    rule: str
    severity: Severity
    message: str
    advice: str

    def to_dict(self) -> dict[str, str]:
        """Give the fields."""
        return {"rule": self.rule, "severity": self.severity.value, "message": self.message, "advice": self.advice}


def vet_pool(
    settings: PoolSettings, *, instances: int = 1, server: ServerLimits | None = None
) -> tuple[PoolFinding, ...]:
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
    tuple of PoolFinding
        The worst first.
    """
    found = [*_sizes(settings), *_times(settings), *_without_effect(settings)]
    found += _against_server(settings, instances, server or ServerLimits())
    return tuple(sorted(found, key=lambda finding: -finding.severity.rank))


def _named(settings: PoolSettings, means: str) -> str:
    """Write a setting as the library calls it, with its value, or its default."""
    setting = settings.library.setting(means)
    if setting is None:
        overflow = settings.library.setting("overflow")
        return "the largest size" if overflow else means
    text = settings.texts.get(setting.name)
    return f"{setting.name} = {text}" if text is not None else f"{setting.name} (default)"


def _sizes(settings: PoolSettings) -> Iterator[PoolFinding]:
    most = settings.count("max_size")
    for name, text in settings.refused.items():
        yield PoolFinding("refused-value", Severity.ERROR, f"{name} = {text} is refused", f"give {name} another value")
    for means in ("min_size", "min_idle", "initial_size"):
        least = settings.count(means)
        if most is not None and least is not None and least > most:
            yield PoolFinding(
                "minimum-above-maximum", Severity.ERROR,
                f"{_named(settings, means)} is more than {_named(settings, 'max_size')}",
                "lower the minimum: the pool can never hold so many",
            )  # fmt: skip
    idle = settings.count("max_idle")
    if settings.library.setting("overflow") is None and idle is not None and most is not None and idle < most:
        yield PoolFinding(
            "connections-thrown-away", Severity.WARNING,
            f"of {most} connections only {idle} are kept idle: under a load that changes the others are opened anew",
            f"raise {_named(settings, 'max_idle').split(' ')[0]} towards {most}; the idle timeout shrinks the pool",
        )  # fmt: skip


def _times(settings: PoolSettings) -> Iterator[PoolFinding]:
    acquire, idle, life = (settings.seconds(name) for name in ("acquire_timeout", "idle_timeout", "lifetime"))
    connect = settings.seconds("connect_timeout")
    if acquire is None and settings.library.setting("acquire_timeout") is not None:
        yield PoolFinding(
            "endless-acquire", Severity.WARNING,
            f"whoever asks waits without end ({_named(settings, 'acquire_timeout')}): a leak stops all in silence",
            "give it a limit: a few times the longest wait that is normal",
        )  # fmt: skip
    if acquire is not None and connect is not None and acquire < connect:
        yield PoolFinding(
            "acquire-below-connect", Severity.WARNING,
            f"{_named(settings, 'acquire_timeout')} gives up before a connection may be opened "
            f"({_named(settings, 'connect_timeout')})",
            "make the acquire timeout the longer of the two",
        )  # fmt: skip
    if idle is not None and life is not None and idle >= life:
        yield PoolFinding(
            "idle-beyond-lifetime", Severity.WARNING,
            f"{_named(settings, 'idle_timeout')} never acts: the lifetime of {show_seconds(life)} ends first",
            "make the idle timeout shorter than the lifetime",
        )  # fmt: skip
    most, least = settings.count("max_size"), settings.count("min_size") or settings.count("min_idle")
    if idle is not None and most is not None and least == most and "idle_timeout" in settings.given:
        yield PoolFinding(
            "pool-never-shrinks", Severity.NOTE,
            f"{_named(settings, 'idle_timeout')} has no effect: the pool keeps all {most} connections",
            "lower the minimum, or leave the idle timeout out",
        )  # fmt: skip


def _without_effect(settings: PoolSettings) -> Iterator[PoolFinding]:
    for name in settings.texts:
        setting = settings.library.settings[name]
        if setting.needs is None:
            continue
        needed = settings.library.settings[setting.needs]
        value = settings.all.get(needed.means)
        if value is None or value is False:
            yield PoolFinding(
                "setting-without-effect", Severity.WARNING,
                f"{name} = {settings.texts[name]} has no effect without {setting.needs}",
                f"set {setting.needs}, or leave {name} out",
            )  # fmt: skip


def _against_server(settings: PoolSettings, instances: int, server: ServerLimits) -> Iterator[PoolFinding]:
    most, left = settings.count("max_size"), server.left
    each = f"{instances} instance{'' if instances == 1 else 's'}"
    if left is not None and most is not None and most * instances > left:
        yield PoolFinding(
            "pools-over-limit", Severity.ERROR,
            f"{each} × {most} = {most * instances} connections, and the server leaves {left}",
            f"at most {left // instances} each, fewer instances, or a pooler in between; see: cordtally pool budget",
        )  # fmt: skip
    if left is not None and most is None:
        yield PoolFinding(
            "endless-pool", Severity.ERROR,
            f"the pool has no largest size, and the server leaves {left}: a slow moment takes them all",
            f"set the largest size to {max(1, left // instances)} or less",
        )  # fmt: skip
    ends = server.idle_timeout
    if ends is None:
        return
    idle, life = settings.seconds("idle_timeout"), settings.seconds("lifetime")
    first = min((t for t in (idle, life) if t is not None), default=None)
    if first is None or first >= ends:
        checked = settings.value("validate_on_borrow") is True or settings.seconds("validate_after") is not None
        how = (
            "they are checked when taken, which costs a failed look each"
            if checked
            else "the next request gets a dead one"
        )
        yield PoolFinding(
            "server-hangs-up-first", Severity.NOTE if checked else Severity.ERROR,
            f"the server ends sessions that are idle for {show_seconds(ends)}, and the pool keeps them longer: {how}",
            f"make the idle timeout or the lifetime shorter than {show_seconds(ends)}",
        )  # fmt: skip
