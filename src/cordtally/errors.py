"""What can go wrong, as a tree of exceptions; each one says what is wrong, where, and what to do next.

CordTallyError
├── TextError (ValueError)        a text cannot be read: problem, place, hint; shown masked, with a caret
│   └── AmbiguousText             several drivers could have been meant
├── UnknownName (ValueError)      no such driver, option, engine, cord…; carries the nearest names
├── FieldError (ValueError)       a field given by hand (compose, tally) has a value that cannot be meant
├── TallyError (ValueError)       a tally file that cannot be used
├── LocatorError                  a secret could not be fetched from where its locator points
├── PoolModelError (ValueError)   numbers that no queue can have
└── MissingExtra (ImportError)    an optional package is not installed

Findings are values, not exceptions; see ``cordtally.vetting``.
"""

from __future__ import annotations

import unicodedata
from collections.abc import Iterable


class CordTallyError(Exception):
    """The root of all errors that this package raises on purpose."""

    exit_code = 2


class TextError(CordTallyError, ValueError):
    """A text that cannot be read.

    Attributes
    ----------
    problem : str
        What is wrong, without quoting the text.
    masked : str or None
        The text with every secret, and everything that might be one, replaced by the mask.
    span : tuple of int or None
        Start and end of the place, in characters of the original text.
    caret : tuple of int or None
        The same place in the masked text.
    hint : str or None
        What to do next.
    """

    exit_code = 3
    kind = "unreadable-text"

    def __init__(
        self,
        problem: str,
        *,
        reading_as: str | None = None,
        masked: str | None = None,
        span: tuple[int, int] | None = None,
        caret: tuple[int, int] | None = None,
        hint: str | None = None,
    ) -> None:
        self.problem = problem
        self.reading_as = reading_as
        self.masked = masked
        self.span = span
        self.caret = caret
        self.hint = hint
        super().__init__(self.sentence())

    def __reduce__(self) -> tuple[object, ...]:
        return (_rebuild_text_error, (type(self), dict(self.__dict__)))

    def sentence(self) -> str:
        """Give the message of several lines: the problem, the masked text, a caret under the place, the hint."""
        head = f"cannot read this as {self.reading_as}: " if self.reading_as else "cannot read this: "
        lines = [head + self.problem]
        if self.span is not None:
            lines[0] += f" (at character {self.span[0] + 1})"
        if self.masked is not None and self.caret is not None:
            lines += excerpt(self.masked, self.caret)
        if self.hint:
            lines.append("    " + self.hint)
        return "\n".join(lines)


class AmbiguousText(TextError):
    """A text that several drivers would read, each in its own way."""

    kind = "ambiguous-text"


class UnknownName(CordTallyError, ValueError):
    """A name that is not known here; the nearest known names are offered."""

    def __init__(self, kind: str, name: str, *, nearest: Iterable[str] = (), hint: str | None = None) -> None:
        self.kind, self.name, self.nearest, self.hint = kind, name, tuple(nearest), hint
        text = f"there is no {kind} named {name!r}"
        if self.nearest:
            text += "; did you mean " + " or ".join(self.nearest) + "?"
        if hint:
            text += f"\n    {hint}"
        super().__init__(text)

    def __reduce__(self) -> tuple[object, ...]:
        return (_rebuild_unknown_name, (self.kind, self.name, self.nearest, self.hint))


class FieldError(CordTallyError, ValueError):
    """A field that was given by hand has a value that cannot be meant."""


class TallyError(CordTallyError, ValueError):
    """A tally file that is missing, malformed or holds what it must not hold."""


class LocatorError(CordTallyError):
    """A secret could not be fetched; the message names the locator, never a secret."""


class PoolModelError(CordTallyError, ValueError):
    """Numbers that no queue can have, or that leave it without a steady state."""


class MissingExtra(CordTallyError, ImportError):
    """An optional package is needed and not installed."""

    def __init__(self, package: str, extra: str, purpose: str) -> None:
        self.package, self.extra, self.purpose = package, extra, purpose
        super().__init__(f"{purpose} needs {package}; install it with: pip install 'cordtally[{extra}]'")

    def __reduce__(self) -> tuple[object, ...]:
        return (MissingExtra, (self.package, self.extra, self.purpose))


def _rebuild_text_error(cls: type[TextError], state: dict[str, object]) -> TextError:
    error = cls.__new__(cls)
    error.__dict__.update(state)
    error.args = (error.sentence(),)
    return error


def _rebuild_unknown_name(kind: str, name: str, nearest: tuple[str, ...], hint: str | None) -> UnknownName:
    return UnknownName(kind, name, nearest=nearest, hint=hint)


def cells(text: str) -> int:
    """Count the terminal cells that a text fills: wide characters take two, combining marks none."""
    return sum(0 if unicodedata.combining(c) else 2 if unicodedata.east_asian_width(c) in "WF" else 1 for c in text)


def excerpt(masked: str, caret: tuple[int, int], width: int = 72) -> list[str]:
    """Give two lines: the part of a masked text around a place, and carets under the place, in terminal cells."""
    start, end = caret
    left = max(0, min(start - width // 2, len(masked) - width))
    right = min(len(masked), left + width)
    shown = "".join(c if c.isprintable() else "·" for c in masked[left:right])
    lead, trail = ("…" if left else ""), ("…" if right < len(masked) else "")
    pad = cells(lead + shown[: max(0, start - left)])
    marks = max(1, cells(shown[max(0, start - left) : max(0, min(end, right) - left)]))
    return [f"    {lead}{shown}{trail}", "    " + " " * pad + "^" * marks]
