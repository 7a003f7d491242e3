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


class Sight(enum.IntEnum):
    """What a rule needs to see; it is asked only where there is something of the kind.

    Most texts have nothing to tell: what each sight costs to be looked for is paid once for all its rules.
    """

    UNREAD = enum.auto()
    """A text that no driver reads."""
    ODD = enum.auto()
    """A text with a character that few texts need."""
    EQUALS = enum.auto()
    """A text with more signs of equality than options, or with an option that nobody knows."""
    STRAY_AT = enum.auto()
    """An @ in a host or in a database's name."""
    REMARKS = enum.auto()
    """What the readers remarked."""
    STAND_IN = enum.auto()
    """A part that stands for something else: a placeholder, a variable."""
    PRODUCTION = enum.auto()
    """A cord where production is meant."""
    HOST = enum.auto()
    """A host that tells something by its name: of a document, of a service, no plain name."""
    PORT = enum.auto()
    """A port that is not the engine's usual one, a socket or an instance."""
    NO_HOST = enum.auto()
    """A cord without a host, of an engine that has servers."""
    LOCAL = enum.auto()
    """A cord that leads to this machine."""
    AWAY = enum.auto()
    """A cord that leads over a network."""
    SEVERAL = enum.auto()
    """A cord with several hosts."""
    DATABASE = enum.auto()
    """A database's name that is no plain one, or one of the engine's own."""
    NO_DATABASE = enum.auto()
    """A cord without a database."""
    USER = enum.auto()
    """A user that is an administrator, or whose name has a server in it."""
    PASSWORD = enum.auto()
    """A password that stands there."""
    EMPTY_PASSWORD = enum.auto()
    """A password without a character."""
    LOCATOR = enum.auto()
    """A secret that is kept elsewhere."""
    TOKEN = enum.auto()
    """A password that is a token."""
    TLS_OFF = enum.auto()
    """A cord that leads over a network without TLS."""
    TLS_OFFERED = enum.auto()
    """One with TLS only if the server offers it."""
    TLS_ENCRYPTED = enum.auto()
    """One with TLS that verifies nobody."""
    TLS_CHAIN = enum.auto()
    """One with TLS that does not compare the name."""
    TLS_LESS = enum.auto()
    """One that asks for TLS in words, and does not get all of it."""
    TLS_ALONE = enum.auto()
    """One that verifies, and names no authority."""
    FILES = enum.auto()
    """A cord with certificates in files."""
    OPTIONS = enum.auto()
    """A cord with options; of a rule that names some, with one of those."""
    POOL = enum.auto()
    """The settings of a pool, and the server behind it."""
    LINE = enum.auto()
    """A line of a file in a source tree."""
    FILE = enum.auto()
    """A file that declares connections, or the tally."""
    PROJECT = enum.auto()
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
    checking. ``cases`` are the readers' remarks that it reports, ``options`` the canonical
    options of which one must be there for it to be asked.
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
    options: frozenset[str] = frozenset()
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
    options: tuple[str, ...] = (),
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
            options=frozenset(options),
            check=check,
        )

    return made
