"""What a rule is: its id, severity and subjects, why it exists, two examples that the tests run, and its check."""

from __future__ import annotations

import enum
from collections.abc import Callable, Iterator
from dataclasses import dataclass

TYPE_CHECKING = False
if TYPE_CHECKING:
    from .findings import Finding, Look


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


class Subject(enum.Enum):
    """What a rule may look at."""

    READING = "reading"
    """A text that was read, with its places."""
    CORD = "cord"
    """A cord, whether it was read from a text or not."""
    POOL = "pool"
    """The settings of a pool, and the server behind it."""
    TREE = "tree"
    """A line of a file in a source tree."""


class RuleId(enum.Enum):
    """The ids of all rules: the one list, so that a mistyped one cannot be written."""

    PASSWORD_IN_TEXT = "password-in-text"
    PLACEHOLDER_LEFT = "placeholder-left"
    FILLED_IN = "filled-in"
    NEEDS_ESCAPING = "needs-escaping"
    UNKNOWN_OPTION = "unknown-option"
    OPTION_OF_OTHER_DRIVER = "option-of-other-driver"
    VALUE_OUT_OF_RANGE = "value-out-of-range"
    WRONG_BOOLEAN_WORD = "wrong-boolean-word"
    REPEATED_KEY = "repeated-key"
    CONFLICTING_OPTIONS = "conflicting-options"
    REFUSED_TOGETHER = "refused-together"
    SUSPICIOUS_UNIT = "suspicious-unit"
    ENCRYPTED_NOT_VERIFIED = "encrypted-not-verified"
    NOT_ENCRYPTED = "not-encrypted"
    FILE_MISSING = "file-missing"
    TWO_WAYS_TO_LOG_IN = "two-ways-to-log-in"
    ADMINISTRATIVE_USER = "administrative-user"
    REFUSED_VALUE = "refused-value"
    MINIMUM_ABOVE_MAXIMUM = "minimum-above-maximum"
    CONNECTIONS_THROWN_AWAY = "connections-thrown-away"
    ENDLESS_ACQUIRE = "endless-acquire"
    ACQUIRE_BELOW_CONNECT = "acquire-below-connect"
    IDLE_BEYOND_LIFETIME = "idle-beyond-lifetime"
    POOL_NEVER_SHRINKS = "pool-never-shrinks"
    STATE_IS_NOT_KEPT = "state-is-not-kept"
    SETTING_WITHOUT_EFFECT = "setting-without-effect"
    POOLS_OVER_LIMIT = "pools-over-limit"
    ENDLESS_POOL = "endless-pool"
    SERVER_HANGS_UP_FIRST = "server-hangs-up-first"
    CORD_WITH_PASSWORD = "cord-with-password"
    SECRET_PAIR = "secret-pair"
    CORD_UNREADABLE = "cord-unreadable"
    CORD_WITH_PLACEHOLDER = "cord-with-placeholder"
    CORD = "cord"
    REFERENCE = "reference"
    ACCEPT_FITS_NOTHING = "accept-fits-nothing"
    ACCEPT_WITHOUT_REASON = "accept-without-reason"


@dataclass(frozen=True, slots=True, kw_only=True)
class Rule:
    """One rule.

    ``bad`` is an example that it reports, ``good`` one that it does not: texts for readings and cords, lines for trees,
    and for pools ``LIBRARY name=value … [| instances=N limit=N idle=TIME]``. ``check`` is None where the subject
    belongs to a layer above this one, which then does the checking.
    """

    id: RuleId
    severity: Severity
    subject: Subject
    title: str
    why: str
    bad: str
    good: str
    check: Callable[[Look], Iterator[Finding]] | None = None
