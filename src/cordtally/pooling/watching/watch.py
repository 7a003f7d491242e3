"""Samples a server's activity view through one read-only session, and says what the sampling itself costs.

Showing it is left to the command line, recording to ``record``.
"""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass
from time import perf_counter, time
from types import TracebackType

from ...errors import ServerError
from ...model import Cord
from ...secrets import Surroundings
from ...servers import Activity, Deadline, Refusal, Session, open_prepared, place_of, server_for

HISTORY = 600
STATEMENT_LIMIT = 2.0
LOOK_LIMIT = 5.0
"""How long opening the session may take, and each look (s)."""
NEAR_LIMIT = 0.8
COLUMNS = (
    "time", "active", "idle", "idle_in_transaction", "waiting", "oldest", "transactions", "limit", "cost",
)  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Sample:
    """One look: when (s since 1970), what was seen, how long the look took (s); ``rate`` is transactions per second.

    ``rate`` is None for the first look, and after the server's counters were reset.
    """

    time: float
    activity: Activity
    cost: float
    rate: float | None

    def to_row(self) -> dict[str, float | int | None]:
        """Give the columns that are recorded."""
        seen = self.activity
        return {
            "time": round(self.time, 3),
            **{name: getattr(seen, name) for name in COLUMNS[1:5]},
            "oldest": round(seen.oldest, 3),
            "transactions": seen.transactions,
            "limit": seen.limit,
            "cost": round(self.cost, 6),
        }


class Watch:
    """A session that looks at a server's activity again and again; a context manager that closes it.

    Parameters
    ----------
    cord : Cord
        Where to: PostgreSQL, MySQL, MariaDB or Redis.
    surroundings : Surroundings, optional
        How a locator's secret is fetched.

    Raises
    ------
    FieldError
        For an engine without an activity view.
    ServerError
        When the server lets nobody in, or does not answer.
    MissingExtra
        When the driver is not installed.
    """

    def __init__(self, cord: Cord, *, surroundings: Surroundings | None = None) -> None:
        self._server = server_for(cord.engine)
        self._cord, self._surroundings = cord, surroundings
        self._session: Session = None
        self.history: deque[Sample] = deque(maxlen=HISTORY)

    def __enter__(self) -> Watch:
        self._session = open_prepared(self._cord, Deadline(LOOK_LIMIT), self._surroundings, limit=STATEMENT_LIMIT)
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._server.close(self._session)

    def look(self) -> Sample:
        """Take a sample.

        Raises
        ------
        ServerError
            When the server does not answer any more.
        """
        begun = perf_counter()
        try:
            activity = self._server.activity(self._session, Deadline(LOOK_LIMIT))
        except Refusal as refusal:
            raise ServerError(f"{place_of(self._cord)}: {refusal.cause}; {refusal.hint}") from None
        cost = perf_counter() - begun
        now, rate = time(), None
        if self.history:
            last = self.history[-1]
            done, lasted = activity.transactions - last.activity.transactions, now - last.time
            rate = done / lasted if done >= 0 and lasted > 0 else None
        sample = Sample(time=now, activity=activity, cost=cost, rate=rate)
        self.history.append(sample)
        return sample


def warnings_of(sample: Sample) -> list[str]:
    """Say what is worrying in a sample.

    Parameters
    ----------
    sample : Sample
        Counts of connections, ages in seconds.
    """
    seen, found = sample.activity, []
    if seen.limit and seen.open + 1 >= NEAR_LIMIT * seen.limit:
        found.append(f"{seen.open + 1} of {seen.limit} connections are open: the server will soon refuse new ones")
    if seen.idle_in_transaction:
        found.append(
            f"{seen.idle_in_transaction} idle in a transaction: they hold locks and a connection, and do nothing"
        )
    if seen.waiting:
        found.append(f"{seen.waiting} waiting for a lock or an answer")
    return found
