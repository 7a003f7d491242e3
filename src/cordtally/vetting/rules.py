"""What a rule is: its id, severity, what it needs to see, why it exists, examples that the tests run, and its check."""

from __future__ import annotations

import enum
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

from ..notation import Case
from .ids import RuleId

if TYPE_CHECKING:
    from .edits import Edit
    from .looks import Look

Span = tuple[int, int] | None


class Severity(enum.Enum):
    """How much a finding matters; ordered."""

    NOTE = "note"
    """Good to know."""
    WARNING = "warning"
    """Works, but not as a careful engineer would want it."""
    ERROR = "error"
    """Will not work, or not as it was meant."""

    @property
    def rank(self) -> int:
        """The place in the order, from 0 (note) to 2 (error)."""
        return ("note", "warning", "error").index(self.value)


class Sight(enum.Enum):
    """What a rule needs to see. Those of a text or a cord are asked only where there is something of the kind."""

    UNREAD = "unread"
    """A text that no driver reads."""
    ODD = "odd"
    """A text with a character that few texts need."""
    REMARKS = "remarks"
    """What the readers remarked."""
    READING = "reading"
    """A text that was read, with its places."""
    CORD = "cord"
    """A cord, whether it was read from a text or not."""
    HOSTS = "hosts"
    """A cord with a host."""
    SEVERAL = "several"
    """A cord with several hosts."""
    DATABASE = "database"
    """A cord with the name of a database."""
    USER = "user"
    """A cord with the name of a user."""
    PASSWORD = "password"
    """A cord whose password is at hand."""
    TLS = "tls"
    """A cord that leads over a network."""
    FILES = "files"
    """A cord with certificates or a wallet."""
    OPTIONS = "options"
    """A cord with options."""
    POOL = "pool"
    """The settings of a pool, and the server behind it."""
    LINE = "line"
    """A line of a file in a source tree."""
    FILE = "file"
    """A file that declares connections, or the tally."""
    PROJECT = "project"
    """The files of a project together."""


class Grade(enum.Enum):
    """Whether a rule's severity follows from where the connection leads."""

    FIXED = "fixed"
    """It does not."""
    STRICT = "strict"
    """One step more in production."""
    BY_PLACE = "by-place"
    """Nothing on this machine, one step less in a private network; in production every network counts as open."""


class Told(NamedTuple):
    """What a check yields: the message, what to do, the bounds in the text, and where it is safe an edit.

    A severity stands for the rule's own, before it is graded by place.
    """

    message: str
    hint: str
    span: Span = None
    severity: Severity | None = None
    edit: Edit | None = None


Check = Callable[["Look"], Iterator[Told]]


@dataclass(frozen=True, slots=True, kw_only=True)
class Rule:
    """One rule.

    ``bad`` are examples that it reports, ``good`` ones that it does not: texts for what is read, lines for files, and
    for pools ``LIBRARY name=value … [| instances=N limit=N idle=TIME]``; a file is ``NAME`` and its lines, a project
    several of them. ``check`` is None where the subject belongs to a layer above this one, which then does the
    checking. ``cases`` are the readers' remarks that it reports.
    """

    id: RuleId
    severity: Severity
    sees: Sight
    title: str
    why: str
    about: str
    bad: tuple[str, ...]
    good: tuple[str, ...]
    grade: Grade = Grade.FIXED
    cases: tuple[Case, ...] = ()
    check: Check | None = None


def rule(
    rule_id: RuleId,
    severity: Severity,
    sees: Sight,
    *,
    title: str,
    why: str,
    about: str = "",
    bad: str | tuple[str, ...],
    good: str | tuple[str, ...],
    grade: Grade = Grade.FIXED,
) -> Callable[[Check | None], Rule]:
    """Make a rule of the function that checks it; of None where a layer above checks."""

    def made(check: Check | None) -> Rule:
        return Rule(
            id=rule_id,
            severity=severity,
            sees=sees,
            title=title,
            why=why,
            about=about,
            bad=(bad,) if isinstance(bad, str) else bad,
            good=(good,) if isinstance(good, str) else good,
            grade=grade,
            check=check,
        )

    return made
