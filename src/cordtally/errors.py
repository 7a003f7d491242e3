"""What can go wrong, as a tree of exceptions; each one says what is wrong, where, and what to do next.

CordTallyError                    2  the root
├── TextError (ValueError)        3  a text cannot be read: problem, place, hint; shown masked, with a caret
│   └── AmbiguousText             3  several drivers could have been meant
├── UnknownName (ValueError)      2  no such driver, option, engine, cord…; carries the nearest names
├── FieldError (ValueError)       2  a field given by hand (compose, tally) has a value that cannot be meant
├── TallyError (ValueError)       2  a tally file that cannot be used
├── LocatorError                  2  a secret could not be fetched from where its locator points
├── LookUpError                   1  a name that stands in none of the files in which its client would look
│   └── RecordError               1  a service record that is missing, or that a driver would not accept
├── ServerError                   1  a server that lets nobody in, or does not answer
├── PoolModelError (ValueError)   2  numbers that no queue can have
├── MissingExtra (ImportError)    2  an optional package is not installed
└── CatalogError                  2  a catalog file breaks its schema: a fault of this package

The number is the exit status of a command that ends with it. What to do next is called ``hint`` everywhere.
Findings are values, not exceptions; see ``cordtally.vetting``.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from functools import wraps

from .patterns import pattern

TYPE_CHECKING = False  # type checkers take it as true; `typing` is not loaded for it
if TYPE_CHECKING:
    from typing import ParamSpec, TypeVar

    Given = ParamSpec("Given")
    Made = TypeVar("Made")


class CordTallyError(Exception):
    """The root of all errors that this package raises on purpose.

    Attributes
    ----------
    path : str or None
        The file that it is about.
    line : int or None
        The line of that file, from 1.
    nearest : tuple of str
        Names that are there, and near to what was given.
    """

    exit_code = 2

    def __init__(
        self, message: str, *, path: object = None, line: int | None = None, nearest: Iterable[str] = ()
    ) -> None:
        self.path = None if path is None else str(path) if is_harmless(str(path)) else "***"
        self.line = line
        self.nearest = tuple(nearest)
        super().__init__(message)


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
    excerpt : tuple of str
        The masked text around the place, and carets under it.
    hint : str or None
        What to do next.
    certain : bool
        Whether it is known what is wrong, so that no common slip is looked for.
    """

    exit_code = 3
    kind = "unreadable-text"
    certain = False

    def __init__(
        self,
        problem: str,
        *,
        reading_as: str | None = None,
        masked: str | None = None,
        span: tuple[int, int] | None = None,
        caret: tuple[int, int] | None = None,
        excerpt: tuple[str, ...] = (),
        hint: str | None = None,
    ) -> None:
        self.problem = problem
        self.reading_as = reading_as
        self.masked = masked
        self.span = span
        self.caret = caret
        self.excerpt = excerpt
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
        lines += ["    " + line for line in self.excerpt]
        if self.hint:
            lines.append("    " + self.hint)
        return "\n".join(lines)


class AmbiguousText(TextError):
    """A text that several drivers would read, each in its own way; ``targets`` names these candidates."""

    kind = "ambiguous-text"
    targets: tuple[str, ...] = ()


class UnknownName(CordTallyError, ValueError):
    """A name that is not known here; the nearest known names are offered."""

    def __init__(self, kind: str, name: str, *, nearest: Iterable[str] = (), hint: str | None = None) -> None:
        self.kind, self.name, self.hint = kind, name if is_harmless(name) else "***", hint
        offered = tuple(nearest)
        text = f"there is no {kind} named {quoted(name)}"
        if offered:
            text += "; did you mean " + " or ".join(offered) + "?"
        if hint:
            text += f"\n    {hint}"
        super().__init__(text, nearest=offered)

    def __reduce__(self) -> tuple[object, ...]:
        return (_rebuild_unknown_name, (self.kind, self.name, self.nearest, self.hint))


class FieldError(CordTallyError, ValueError):
    """A field that was given by hand has a value that cannot be meant."""


class WrongType(FieldError, TypeError):
    """An argument of a call that is of no type that can be meant."""


def check_type(value: object, kinds: type | tuple[type, ...], wanted: str) -> None:
    """Refuse a value that is none of these types; its own type is named, and never the value.

    Raises
    ------
    WrongType
        With what is ``wanted``.
    """
    if not isinstance(value, kinds):
        hint = "; decode it first" if isinstance(value, bytes | bytearray) else ""
        raise WrongType(f"{wanted} is wanted, and not {type(value).__name__}{hint}")


class TallyError(CordTallyError, ValueError):
    """A tally file that is missing, malformed or holds what it must not hold."""


class LocatorError(CordTallyError):
    """A secret could not be fetched; the message names the locator, never a secret."""


class LookUpError(CordTallyError):
    """A name that stands in none of the files in which its client would look."""

    exit_code = 1


class RecordError(LookUpError):
    """A service record that is missing, or that a driver would not accept."""


class ServerError(CordTallyError):
    """A server that lets nobody in, or does not answer; what it said is never quoted."""

    exit_code = 1


class PoolModelError(CordTallyError, ValueError):
    """Numbers that no queue can have, or that leave it without a steady state."""


_INSTALLED_AS = {"psycopg": "'psycopg[binary]'"}
"""Under which name pip installs a package, where that is not its own in small letters."""


class MissingExtra(CordTallyError, ImportError):
    """An optional package is needed and not installed."""

    def __init__(self, package: str, extra: str, purpose: str) -> None:
        self.package, self.extra, self.purpose = package, extra, purpose
        itself = _INSTALLED_AS.get(package, package.lower())
        super().__init__(
            f"{purpose} needs {package}; install it with: pip install {itself}\n"
            f"    with all that such work needs: pip install 'cordtally[{extra}]'"
        )

    def __reduce__(self) -> tuple[object, ...]:
        return (MissingExtra, (self.package, self.extra, self.purpose))


class CatalogError(CordTallyError):
    """A catalog file breaks its schema: a fault of this package, not of its user."""


_HARMLESS = pattern(r"[\w .,+*/%#~^()<>!?$\\-]{0,80}|[0-9A-Fa-f:.\[\]%]{0,60}")
_PART = pattern(r"[\w .,+*%#~^()<>!?$-]{0,80}")
_DRIVE = pattern(r"[A-Za-z]:[\\/]")  # C:/harbour and C:\harbour are paths
_LONGEST_PATH = 400
_TELLING = pattern(r"://|@|(?:pass|pwd|secret|token)\w*\s", re.IGNORECASE)


def is_harmless(text: str) -> bool:
    """Whether a text that somebody gave may be shown: it looks neither like a connection text nor like a secret."""
    if _TELLING.search(text) is not None or len(text) > _LONGEST_PATH:
        return False
    if _HARMLESS.fullmatch(text) is not None:
        return True
    drive = _DRIVE.match(text)
    parts = text[drive.end() if drive is not None else 0 :].replace("\\", "/").split("/")
    return len(parts) > 1 - (drive is not None) and all(_PART.fullmatch(part) is not None for part in parts)


def quoted(text: object) -> str:
    """Quote what somebody gave, unless it looks like a connection text or a secret put in the wrong place."""
    if isinstance(text, bool | int | float):
        return repr(text)
    shown = str(text)
    return repr(shown) if is_harmless(shown) else "'***' (not shown: it may hold a secret)"


def shielded(function: Callable[Given, Made]) -> Callable[Given, Made]:
    """Let no clear text stand in a traceback of this package's own errors: neither in a line of it, nor in its locals.

    What was given to the function is gone from the one frame that remains, and pytest hides that frame.
    """

    @wraps(function)
    def call(*args: Given.args, **kwargs: Given.kwargs) -> Made:
        __tracebackhide__ = True
        try:
            return function(*args, **kwargs)
        except CordTallyError as error:
            caught = error
        args, kwargs = (), {}  # type: ignore[assignment]
        # frames that led here hold the text, and so do those of what was caught on the way
        caught.__traceback__ = caught.__cause__ = caught.__context__ = None
        raise caught

    return call


def _rebuild_text_error(cls: type[TextError], state: dict[str, object]) -> TextError:
    error = cls.__new__(cls)
    error.__dict__.update(state)
    error.args = (error.sentence(),)
    return error


def _rebuild_unknown_name(kind: str, name: str, nearest: tuple[str, ...], hint: str | None) -> UnknownName:
    return UnknownName(kind, name, nearest=nearest, hint=hint)
