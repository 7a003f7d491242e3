"""Rates, shares and targets as people write them: ``120/s``, ``2.5k/min``, ``0.1%``, ``5ms@p99``."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from ..errors import FieldError, check_type, quoted
from ..figures import show_seconds, show_share
from ..model import Duration, as_seconds

if TYPE_CHECKING:
    from .queues import Waits

_RATE = re.compile(r"(\d{1,12}(?:\.\d{1,9})?)\s*(k|M)?\s*/\s*(s|min|h)", re.ASCII)
_TARGET = re.compile(r"\s*([^@]+?)\s*@\s*p(\d{1,2}(?:\.\d{1,6})?)\s*", re.ASCII)
_PERCENT = re.compile(r"(\d{1,3}(?:\.\d{1,9})?)\s*%", re.ASCII)
_SECONDS = {"s": 1, "min": 60, "h": 3600}
_THOUSANDS = {None: 1, "k": 1_000, "M": 1_000_000}


@dataclass(frozen=True, slots=True)
class WaitTarget:
    """How long requests may wait: ``seconds`` at most for the share ``quantile`` of them (0.99 for p99)."""

    seconds: float
    quantile: float

    @classmethod
    def parse(cls, text: str) -> WaitTarget:
        """Read ``5ms@p99``.

        Parameters
        ----------
        text : str
            A duration with its unit, an @, and a percentile: ``5ms@p99``, ``1s@p99.9``.

        Raises
        ------
        FieldError
            For anything else, and for percentiles outside 0 to 100.
        """
        match = _TARGET.fullmatch(text)
        if match is None or not 0 < float(match[2]) < 100:
            raise FieldError(
                f"{quoted(text)} is not a waiting target; write 5ms@p99: at most 5 ms for 99 % of the requests"
            )
        duration = Duration.parse(match[1])
        if not duration.nanoseconds:
            raise FieldError("a waiting target needs a limit above 0: nobody gets a connection in no time")
        return cls(duration.seconds, float(match[2]) / 100)

    def __str__(self) -> str:
        return f"{show_seconds(self.seconds)}@p{100 * self.quantile:g}"

    def shortfall(self, waits: Waits) -> float:
        """By how much a pool's waits miss the target: the wait over the one wanted; met up to 1.

        Infinite where so many give up before that they get no connection within it.

        Parameters
        ----------
        waits : Waits
            Of one pool, in seconds.
        """
        wait = waits.quantile(self.quantile)
        if wait <= self.seconds and waits.timeout_share > 1 - self.quantile:
            return float("inf")
        return wait / self.seconds

    def told(self, waits: Waits) -> str:
        """Say what a pool does, in the target's terms.

        Parameters
        ----------
        waits : Waits
            Of one pool, in seconds.
        """
        wait = waits.quantile(self.quantile)
        lost = (
            f", and {show_share(waits.timeout_share)} would give up" if waits.timeout_share > 1 - self.quantile else ""
        )
        return f"p{100 * self.quantile:g} of the wait would be {show_seconds(wait)}{lost}"


@dataclass(frozen=True, slots=True)
class TimeoutTarget:
    """Which share of the requests may give up at most, from 0 to 1."""

    share: float

    @classmethod
    def parse(cls, text: str) -> TimeoutTarget:
        """Read ``0.1%``.

        Parameters
        ----------
        text : str
            A percentage of the requests, more than 0 and less than 100: ``0.1%``.

        Raises
        ------
        FieldError
            For anything else, and for shares outside 0 to 100 %.
        """
        match = _PERCENT.fullmatch(text.strip())
        if match is None or not 0 < float(match[1]) < 100:
            raise FieldError(f"{quoted(text)} is not a share; write 0.1%: at most one request in 1,000 gives up")
        return cls(float(match[1]) / 100)

    def __str__(self) -> str:
        return f"{show_share(self.share)} time-outs"

    def shortfall(self, waits: Waits) -> float:
        """By how much a pool misses the target: the share that gives up over the one wanted; met up to 1.

        Parameters
        ----------
        waits : Waits
            Of one pool; its ``timeout_share`` lies between 0 and 1.
        """
        return waits.timeout_share / self.share

    def told(self, waits: Waits) -> str:
        """Say what a pool does, in the target's terms.

        Parameters
        ----------
        waits : Waits
            Of one pool; its ``timeout_share`` lies between 0 and 1.
        """
        return f"{show_share(waits.timeout_share)} of the requests would give up"


Target = WaitTarget | TimeoutTarget


def parse_target(text: str) -> Target:
    """Read ``5ms@p99`` or ``0.1%``.

    Parameters
    ----------
    text : str
        What `TimeoutTarget.parse` reads where it ends in %, else what `WaitTarget.parse` reads.

    Raises
    ------
    FieldError
        For anything else.
    """
    return TimeoutTarget.parse(text) if text.strip().endswith("%") else WaitTarget.parse(text)


def parse_rate(text: str) -> float:
    """Read a rate and give it per second: ``120/s``, ``2.5k/min``, ``900/h``.

    Parameters
    ----------
    text : str
        A number, with k or M for thousands or millions, per s, min or h.

    Returns
    -------
    float
        Per second.

    Raises
    ------
    FieldError
        For anything else, a bare number included.
    """
    match = _RATE.fullmatch(text.strip())
    if match is None:
        raise FieldError(f"{quoted(text)} is not a rate; write 120/s, 2.5k/min or 900/h")
    return float(match[1]) * _THOUSANDS[match[2]] / _SECONDS[match[3]]


def set_quantities(holder: object, *, seconds: Iterable[str] = (), rates: Iterable[str] = ()) -> None:
    """Turn the texts among the fields of a fixed dataclass into numbers, in its ``__post_init__``.

    Parameters
    ----------
    holder : object
        Fields that are numbers already stay as they are.
    seconds : iterable of str
        Names of fields that hold times: a text like ``35ms`` becomes seconds.
    rates : iterable of str
        Names of fields that hold rates: a text like ``120/s`` becomes a number per second.

    Raises
    ------
    FieldError
        For what is neither; the message names the field.
    """
    for name in seconds:
        object.__setattr__(holder, name, as_seconds(getattr(holder, name), name))
    for name in rates:
        value = getattr(holder, name)
        check_type(value, (int, float, str), f"{name}: a rate, as a number per second or a text like 120/s,")
        if isinstance(value, str):
            try:
                object.__setattr__(holder, name, parse_rate(value))
            except FieldError as error:
                raise FieldError(f"{name}: {error}") from None


def show_coefficient(value: float, ends: tuple[float, float]) -> str:
    """Write a coefficient of the scalability law with its interval; 0 below 1e-7, where it does nothing.

    Parameters
    ----------
    value : float
        α or β, which have no unit.
    ends : tuple of float
        Its interval, low and high.
    """
    best, low, high = (0.0 if number < 1e-7 else number for number in (value, *ends))
    return f"{best:.3g} ({low:.2g} to {high:.2g})"
