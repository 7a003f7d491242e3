"""Reports options that a driver does not take together, and those that lack what they need beside them."""

from __future__ import annotations

from operator import attrgetter

from ..notation import Case, Remark
from .gathering import Gathered
from .targets import Target

_START_OF = attrgetter("start")


def note_conflicts(found: Gathered, target: Target, length: int) -> None:
    """Report options that the driver does not take together, or not with several hosts."""
    present = {name for row in found.rows if row.option is not None for name in (row.option.name, row.name)}
    present.update(part.name or part.role for part in found.parts if part.end > part.start)
    present.update((role for role, text in found.roles.items() if text), found.given)
    if len(found.hosts) > 1:
        present.add("several hosts")
        present.update({"port"} if all(host.port is not None for host in found.hosts) else ())
    if target.driver.misreads == "ignored":
        unread = [row for row in found.rows if row.option is not None and row.value is None]
        present -= {name for row in unread if row.option is not None for name in (row.name, row.option.name)}
    for conflict in target.driver.conflicts:
        if not conflict.needs <= present or not present.isdisjoint(conflict.absent):
            continue
        if conflict.only_in and target.facts.id not in conflict.only_in:
            continue
        rows = [row for row in found.rows if row.option is not None]
        words = {row.name: row.raw for row in rows}  # an alias by itself; what the tables know counts as they know it
        words |= {row.option.name: row.raw for row in rows if row.option is not None} | found.tls | found.auth
        if any(words.get(name) != word for name, word in conflict.set):
            continue
        places = [p for p in found.parts if p.name in conflict.needs or p.role in conflict.needs]
        last = max(places, key=_START_OF, default=None)
        start, end = (last.start, last.end) if last is not None else (0, length)
        facts = {"why": conflict.why, "hint": conflict.hint}
        case = Case.REFUSED if conflict.refused else Case.CONFLICT
        found.remarks.append(Remark(case, start, end, facts))


def note_lone(found: Gathered, target: Target) -> None:
    """Report options that lack what they need beside them."""
    present = {part.name for part in found.parts} | found.given
    for part in found.parts:
        name = part.name or ""
        if target.needy.get(name, name) not in present and name in target.needy:
            need = target.shown_need(name)
            why = f"{target.driver.title} refuses {name} without {need}"
            facts = {"why": why, "hint": f"ask for it with {need}, or leave {name} out"}
            found.remarks.append(Remark(Case.REFUSED, part.start, part.end, facts))
