"""What a reader tolerates and a person should know: which case it is, where it stands, and the facts for its words.

The words themselves, and the rule that reports a case, are facts of the catalog, ``remarks.toml``.
"""

from __future__ import annotations

import enum
from collections.abc import Mapping
from typing import NamedTuple


class Case(enum.Enum):
    """The closed list of what grammars and readers remark."""

    UNESCAPED = "unescaped"
    EMPTY_IS_ABSENT = "empty-is-absent"
    TAKES_NEXT_PAIR = "takes-next-pair"
    REPEATED = "repeated"
    UNKNOWN = "unknown"
    INSIDE = "inside"
    PORT = "port"
    RECORD_WITH_PORT = "record-with-port"
    CONFLICT = "conflict"
    REFUSED = "refused"
    WORD = "word"
    SHAPE = "shape"
    OTHER_WORD = "other-word"
    OTHER_THAN_KNOWN = "other-than-known"
    CLAMPED = "clamped"
    NOT_NUMBERED = "not-numbered"
    SECOND_PORT = "second-port"
    NO_SUCH_HOST = "no-such-host"
    BRACKETS_IN_LIST = "brackets-in-list"
    NO_SUCH_NUMBER = "no-such-number"
    WHOLE_NUMBER = "whole-number"
    BOUNDS = "bounds"
    BOOLEAN = "boolean"
    DURATION = "duration"
    SPECIAL_NUMBER = "special-number"
    OPTION_AMONG_HOSTS = "option-among-hosts"
    HOST_OF_DIGITS = "host-of-digits"
    PORT_IN_HOST = "port-in-host"
    OPTIONS_IN_NAME = "options-in-name"
    SEPARATOR_KEPT = "separator-kept"
    ENDS_ODDLY = "ends-oddly"
    BACKSLASH_IN_HOST = "backslash-in-host"
    SECOND_QUESTION_MARK = "second-question-mark"
    USER_BEFORE_HOST = "user-before-host"
    HOST_IN_NAME = "host-in-name"


class Remark(NamedTuple):
    """One remark: the case, its bounds in the text, and what its words are filled with; no fact holds a secret."""

    case: Case
    start: int
    end: int
    facts: Mapping[str, str]
