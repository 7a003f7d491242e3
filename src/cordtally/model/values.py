"""Typed values of options: durations and byte sizes, as people write them and as numbers.

How a driver writes them (its unit, its word for "no limit") is left to ``cordtally.exchange``.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from fractions import Fraction

from ..errors import FieldError, check_type, quoted
from ..patterns import pattern

NANOSECONDS = {
    "ns": 1,
    "us": 1_000,
    "µs": 1_000,
    "ms": 1_000_000,
    "s": 1_000_000_000,
    "min": 60_000_000_000,
    "h": 3_600_000_000_000,
    "d": 86_400_000_000_000,
}
_DURATION_PART = pattern(r"(\d+(?:\.\d+)?)\s*(ns|us|µs|ms|min|m|s|h|d)(?![a-zµ])", re.ASCII)
_LARGEST_DIGITS = 24


@dataclass(frozen=True, slots=True, order=True)
class Duration:
    """A length of time in whole nanoseconds; ``Duration.UNLIMITED`` is a wait without end.

    ``None`` as ``nanoseconds`` means unlimited.
    """

    nanoseconds: int | None

    @classmethod
    def of(cls, number: int | float | Fraction, unit: str = "s") -> Duration:
        """Make a duration from a number of ``ns``, ``us``, ``ms``, ``s``, ``min``, ``h`` or ``d``."""
        return cls(round(Fraction(number) * NANOSECONDS[unit]))

    @classmethod
    def parse(cls, text: str) -> Duration:
        """Read ``5s``, ``250ms``, ``1.5h``, ``1m30s`` (``m`` and ``min`` are minutes) or ``unlimited``.

        Raises
        ------
        FieldError
            For anything else, a bare number included: it could be seconds or milliseconds.
        """
        wanted = text.strip()
        if wanted == "unlimited":
            return cls(None)
        total, position = Fraction(0), 0
        while wanted and position < len(wanted):
            match = _DURATION_PART.match(wanted, position)
            if match is None or len(match[1]) > _LARGEST_DIGITS:
                break
            total += Fraction(match[1]) * NANOSECONDS["min" if match[2] == "m" else match[2]]
            position = match.end()
        if not wanted or position < len(wanted):
            unit = " (a bare number has no unit)" if wanted.replace(".", "", 1).isdigit() else ""
            raise FieldError(f"{quoted(text)} is not a duration{unit}; write 5s, 250ms, 1m30s or unlimited")
        return cls(round(total))

    @property
    def seconds(self) -> float:
        """The length in seconds; infinity where unlimited."""
        return float("inf") if self.nanoseconds is None else self.nanoseconds / 1_000_000_000

    def rough(self) -> str:
        """The length for people, in the unit that suits it: ``about 1.4 h``; as exact as `str` where that is short."""
        if self.nanoseconds is None or self.nanoseconds < NANOSECONDS["min"]:
            return str(self)
        unit = next(u for u in ("d", "h", "min") if self.nanoseconds >= NANOSECONDS[u])
        return f"about {self.nanoseconds / NANOSECONDS[unit]:.1f} {unit}"

    def __str__(self) -> str:
        if self.nanoseconds is None:
            return "unlimited"
        for unit in ("h", "min", "s", "ms", "us"):
            size = NANOSECONDS[unit]
            if self.nanoseconds >= size and self.nanoseconds * 1000 % size == 0:
                return f"{_plain(Fraction(self.nanoseconds, size))} {unit}"
        return f"{self.nanoseconds} ns" if self.nanoseconds else "0 s"


def as_seconds(value: float | str | Duration, name: str) -> float:
    """Give a time in seconds: a number counts them, and a text has its unit, as `Duration.parse` reads it.

    Raises
    ------
    FieldError
        For anything else; the message has the ``name`` of what it is for.
    """
    if isinstance(value, str):
        try:
            value = Duration.parse(value)
        except FieldError as error:
            raise FieldError(f"{name}: {error}") from None
    check_type(value, (int, float, Duration), f"{name}: a time, as a number of seconds or a text like 35ms,")
    return value.seconds if isinstance(value, Duration) else value


def _plain(number: Fraction) -> str:
    whole, thousandths = divmod(number.numerator * 1000 // number.denominator, 1000)
    return f"{whole}.{thousandths:03}".rstrip("0").rstrip(".")


_BYTES = {"b": 1, "kib": 1024, "mib": 1024**2, "gib": 1024**3, "kb": 1000, "mb": 1000**2, "gb": 1000**3}
_SIZE = pattern(r"(\d{1,18})\s*([a-z]+)?", re.IGNORECASE | re.ASCII)


@dataclass(frozen=True, slots=True, order=True)
class ByteSize:
    """A number of bytes."""

    bytes: int

    @classmethod
    def parse(cls, text: str) -> ByteSize:
        """Read ``4096``, ``64KiB`` (1024s), ``16MB`` (1000s).

        Raises
        ------
        FieldError
            For anything else.
        """
        match = _SIZE.fullmatch(text.strip())
        if match is None or (match[2] or "b").lower() not in _BYTES:
            raise FieldError(f"{quoted(text)} is not a size; write 4096, 64KiB or 16MB")
        return cls(int(match[1]) * _BYTES[(match[2] or "b").lower()])

    def __str__(self) -> str:
        for unit, name in ((1024**3, "GiB"), (1024**2, "MiB"), (1024, "KiB")):
            if self.bytes >= unit and self.bytes % unit == 0:
                return f"{self.bytes // unit} {name}"
        return f"{self.bytes} B"
