"""A cord without its secrets, and what that leaves out: what is emitted names them, and never holds one."""

from __future__ import annotations

from dataclasses import replace

from ..exchange import LedgerLine, Outcome
from ..model import Cord, Locator, Secret

_REASON = "a secret is never written: put it where the driver finds it"


def bared(cord: Cord) -> tuple[Cord, list[LedgerLine]]:
    """Give a cord without any secret; the password, which has a place of its own, is not booked."""
    lines = list[LedgerLine]()
    if cord.tls.key_password is not None:
        lines.append(LedgerLine("tls.key_password", "***", None, Outcome.DROPPED, _REASON))
        cord = cord.copy_with(tls=replace(cord.tls, key_password=None))
    if isinstance(cord.user, Locator):
        reason = "kept there: put the name where the driver finds it"
        lines.append(LedgerLine("user", str(cord.user), None, Outcome.DROPPED, reason))
        cord = cord.copy_with(user=None)
    for kind in ("options", "native"):
        pairs = getattr(cord, kind)
        told = [(name, value) for name, value in pairs if isinstance(value, Secret)]
        lines += [LedgerLine(f"{kind}.{name}", "***", None, Outcome.DROPPED, _REASON) for name, _ in told]
        if told:
            cord = cord.copy_with(**{kind: tuple(pair for pair in pairs if pair not in told)})
    return cord.copy_with(password=None), lines
