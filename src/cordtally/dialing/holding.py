"""Who holds the connections of a server that has none left, or nearly: asked through whoever is let in."""

from __future__ import annotations

from ..errors import CordTallyError
from ..model import Cord
from ..secrets import Surroundings
from ..servers import ENGINES, Deadline, NoAnswer, Refusal, Session, module_of, open_session, server_for

_MOST = 4
_NEARLY_FULL = 0.9


def is_nearly_full(opened: int | None, limit: int | None) -> bool:
    """Whether so many are open that there is soon no more room."""
    return bool(limit) and opened is not None and limit is not None and opened >= _NEARLY_FULL * limit


def holders_at(engine: str, session: Session, deadline: Deadline) -> str:
    """Name those who hold most of a server's connections; nothing where it does not tell, or there is nobody else."""
    if module_of(engine, ENGINES) is None:
        return ""
    try:
        found = server_for(engine).activity(session, deadline).holders
    except (Refusal, NoAnswer):
        return ""
    told = [f"{name or 'unnamed'} {count:,}" for name, count in found[:_MOST]]
    others = sum(count for _, count in found[_MOST:])
    return ", ".join([*told, *([f"others {others:,}"] if others else [])])


def ask_holders(administrator: Cord, limit: float, surroundings: Surroundings | None) -> str:
    """Ask through an administrator's cord, for whom servers keep a place; say why where nobody tells."""
    deadline = Deadline(limit)
    if module_of(administrator.engine, ENGINES) is None:
        return f"{administrator.engine} is not asked who holds its connections"
    try:
        session = open_session(administrator, deadline, surroundings)
    except CordTallyError as error:
        return f"the administrator is not let in either: {error}"
    try:
        held = holders_at(administrator.engine, session, deadline)
    finally:
        server_for(administrator.engine).close(session)
    return f"held by (user/application): {held}" if held else "the administrator sees nobody else who is connected"
