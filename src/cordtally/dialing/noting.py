"""What is told of an answer: on the line of its rung, and as notes that do not break a dial."""

from __future__ import annotations

from ..errors import CordTallyError
from ..exchange import write
from ..figures import show_seconds
from ..model import Cord
from ..servers import Answer
from .holding import is_nearly_full
from .rungs import RoundTrips

_SLOW = 0.5  # s of a round trip from which on it is worth a note
_CLOCK = 2.0  # s by which clocks may differ before it is worth a note: tokens and certificates stand minutes
_MINUTE = 60.0


def told_of(answer: Answer, trips: RoundTrips) -> list[str]:
    """Tell what a server said: who it is and whom it sees, then each of the rest."""
    head = [answer.called]
    head += [f"user {answer.user}"] if answer.user is not None else []
    head += [f"database {answer.database}"] if answer.database is not None else []
    head += [f"through {answer.through}"] if answer.through else []
    modes = [answer.role] if answer.role else []
    modes += ["reads only" if answer.reads_only else "reads and writes"] if answer.reads_only is not None else []
    modes += [f"schemas {answer.schemas}"] if answer.schemas else []
    seen = [", ".join(head), *([", ".join(modes)] if modes else [])]
    if answer.encrypted is not None:
        seen.append(f"the server sees {answer.encrypted or 'no TLS'}")
    if answer.limit and answer.opened is not None:
        kept = f", {answer.reserve} kept for administrators" if answer.reserve else ""
        seen.append(f"{answer.opened:,} of {answer.limit:,} connections{kept}")
    for name, seconds in (("idle sessions", answer.idle_timeout), ("statements", answer.statement_timeout)):
        seen += [f"{name} end after {_shown(seconds)}"] if seconds else []
    seen += [answer.more] if answer.more else []
    seen.append(f"round trip {show_seconds(trips.median)} (p99 {show_seconds(trips.p99)})")
    return seen


def _shown(seconds: float) -> str:
    return f"{seconds:g} s" if seconds < 2 * _MINUTE else f"{seconds / _MINUTE:g} min"


def untold(cord: Cord, driver: str) -> tuple[str, ...]:
    """Say what of a cord the driver was not given, for want of a word: a dial proves nothing of that.

    What sizes pools is left out: a dial has none.
    """
    try:
        ledger = write(cord, f"{driver}/arguments").ledger
    except CordTallyError:  # through ODBC, and for files, other notations are written
        return ()
    lost = [line.part for line in ledger if line.target is None and line.outcome.is_loss]
    named = [part.partition(".")[2].rpartition("/")[2] or part for part in lost]
    named = [name for name in named if not name.startswith("pool_")]
    if not named:
        return ()
    return (f"not tried, since {driver} has no word for it: {', '.join(dict.fromkeys(named))}",)


def notes_on(answer: Answer | None, trips: RoundTrips | None, held_by: str = "") -> tuple[str, ...]:
    """Give what is good to know of a server that answered."""
    if answer is None:
        return ()
    made = []
    if answer.rights:
        made.append(f"this user has more rights than an application needs: {', '.join(answer.rights)}")
    if answer.clock is not None and abs(answer.clock) > _CLOCK:
        way = "ahead of" if answer.clock > 0 else "behind"
        made.append(f"the server's clock is {abs(answer.clock):.1f} s {way} this machine's")
    if is_nearly_full(answer.opened, answer.limit):
        whose = f", held by (user/application): {held_by}" if held_by else ": cordtally pool watch shows whose"
        made.append(f"{answer.opened:,} of {answer.limit:,} connections are open{whose}")
    if trips is not None and trips.median > _SLOW:
        made.append(f"a round trip takes {show_seconds(trips.median)}: see cordtally dial --explain answers-slowly")
    return tuple(made)
