"""What stands for a connection on the command line, in every command alike.

    connection = "-" | "@" FILE | FILE | FILE "#" NAME | CORD [ "@" ENVIRONMENT ] | text

A file must hold one connection string; what came along with a text (quotes, a variable's name, a command) is taken off
and said. A name that is no cord and no file is an error with the nearest one.
"""

from __future__ import annotations

import os
import sys
from collections.abc import Callable, Mapping
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple, TypeVar

import click

from ..catalog import find_name, find_nearest, load_index
from ..errors import AmbiguousText, CordTallyError, FieldError, LocatorError, TallyError, quoted
from ..exchange import LARGEST_TEXT, Reading, read, write
from ..model import Cord
from ..patterns import pattern
from ..pipes import open_to_read
from ..text import encoding_of
from . import completing
from .naming import say_note
from .screen import clean

if TYPE_CHECKING:
    from ..tally import Resolved, Tally

Command = TypeVar("Command", bound=Callable[..., Any])
CONNECTION_HELP = (
    "TEXT is a connection string, a cord of the tally (tides, tides@production), - for standard input, or @FILE for the"
    " one line of a file."
)
_LARGEST_INPUT = 4 * LARGEST_TEXT + 8  # in bytes; a text that is too long is told by its characters
_STRING_MARKS = set(":/=;@{")
_IN_ENVIRONMENT = pattern(r"([A-Za-z][\w.-]*)[@:]([A-Za-z][\w.-]*)")
_SLIP_OF_SCHEME = pattern(r"([A-Za-z][A-Za-z0-9]*)(?:\+\w+)?(?:://?|//)")
_NO_FILE = frozenset("=;@{}?*\"'<>|\n")
DATABASE_FILES = frozenset({".db", ".db3", ".sqlite", ".sqlite3", ".duckdb", ".fdb"})
_TEXT_FILES = pattern(
    r"\.(?:env|ya?ml|toml|json|ini|cfg|conf|cnf|config|properties|xml|txt|md|sh|py|php|rb|js|ts|java|kt|cs|vb|go|rs|ipynb"
    r"|tf|hcl|sql|ora|pl|ps1)"
)


class Connection(NamedTuple):
    """A cord or a text that was named; how it is called, where its relative paths start, and which driver reads it.

    A cord of a tally is ``resolved``.
    """

    given: Cord | str
    title: str = ""
    folder: Path = Path()
    driver: str | None = None
    resolved: Resolved | None = None

    @property
    def cord(self) -> Cord:
        """The cord, read from the text where it was one."""
        return self.given if isinstance(self.given, Cord) else self.reading().cord

    def reading(self) -> Reading:
        """The reading of the text; a cord is read as it is written for its own driver."""
        if not isinstance(self.given, Cord):
            return read(self.given, driver=self.driver)
        target = self.driver or first_target(self.given.engine)
        return read(write(self.given, target).text, driver=target)


def from_env_option(help_text: str) -> Callable[[Command], Command]:
    """Give what adds ``--from-env NAME``."""
    return click.option("--from-env", metavar="NAME", shell_complete=completing.variables, help=help_text)


def text_options(command: Command) -> Command:
    """Add the argument TEXT and ``--from-env NAME``, which spares a secret the way through the shell's history."""
    command = from_env_option("Take the text from this environment variable.")(command)
    return click.argument("text", required=False, shell_complete=completing.connections)(command)


def take_connection(
    given: str | None,
    *,
    from_env: str | None = None,
    driver: str | None = None,
    environment: str | None = None,
    tally_file: Path | None = None,
    strict: bool = True,
    variables: Mapping[str, str] | None = None,
) -> Connection:
    """Give what an argument, or a variable, stands for.

    Unless ``strict``, an environment may be given beside a text, as another argument may be a cord's name. With
    ``variables`` what a config file looks up is filled in.

    Raises
    ------
    click.UsageError
        When no source is given, or two.
    FieldError, LocatorError, TallyError
        When it is the name of something that is not there.
    """
    if (given is None) == (from_env is None):
        raise click.UsageError("give one text: as argument, - for standard input, @FILE, or --from-env NAME")
    title, folder = "", Path()
    if from_env is not None:
        title, text = f"${from_env}", _variable(from_env)
    elif given == "-":
        text = _decoded(sys.stdin.buffer.read(_LARGEST_INPUT), "standard input").rstrip("\r\n")
    elif given is not None and given.startswith("@") and len(given) > 1:
        text = _line_of(Path(given[1:]))
    else:
        assert given is not None
        text = given
        if (declared := _declared(given, variables)) is not None:
            return declared
        resolved = None if driver else _named(given, environment, tally_file)
        if resolved is not None:
            where = f" in {resolved.environment}" if resolved.environment else ""
            return Connection(resolved.cord, f"{resolved.name}{where}", resolved.folder, resolved.driver, resolved)
        if not driver and (file := file_named(given)) is not None:
            text = _line_of(file)
            say_note(f"{quoted(given)} is a file: its one line is read")
    if environment is not None and strict:
        raise FieldError("--environment goes with the name of a cord, and this is a connection string")
    return Connection(_core(text, driver), title, folder, driver)


def _declared(given: str, variables: Mapping[str, str] | None) -> Connection | None:
    """The connection that a file declares, ``FILE#NAME``; None where a text is none of the kind."""
    head, mark, name = given.partition("#")
    if not mark or not name or "://" in head or not Path(head).is_file():
        return None
    from ..config import declared_as

    found = declared_as(Path(head), name, variables=variables)
    if found.cord is None:
        raise FieldError(f"{clean(given)}: {found.problem}", path=head)
    folder = Path(head).parent
    if found.reading is not None and found.reading.cord == found.cord:
        return Connection(found.reading.text.unmask(), given, folder, found.reading.target)
    return Connection(found.cord, given, folder)


def connections_in(given: str) -> list[str]:
    """The connections that a config file declares, as FILE#NAME; none where a text names no such file."""
    if "#" in given or (path := file_named(given, must=False)) is None:
        return []
    from ..config import declared_in
    from ..syntax import format_of

    if format_of(path) is None or path.name == "tally.toml":
        return []
    return [f"{given}#{one.title}" for one in declared_in(path)]


def _named(text: str, environment: str | None, tally_file: Path | None) -> Resolved | None:
    """The cord of that name; None where a text is no name of one."""
    if (
        bool(text)
        and _STRING_MARKS.isdisjoint(text)
        and not Path(text).suffix
        and text[0] != "."
        and text.isprintable()
    ):
        if file_named(text, must=False) is not None:
            return None
        return _resolve(text, environment, tally_file)
    match = _IN_ENVIRONMENT.fullmatch(text)
    if match is None:
        return None
    if match[0][len(match[1])] == ":":
        from ..tally import find_tally, load

        with suppress(TallyError):
            if match[1] in load(tally_file or find_tally()).names():
                raise FieldError(f"an environment stands behind an @: {match[1]}@{match[2]}")
        return None
    if environment not in {None, match[2]}:
        raise FieldError(f"the environment is given twice: {quoted(match[2])}, and {quoted(environment or '')}")
    return _resolve(match[1], match[2], tally_file)


def _resolve(name: str, environment: str | None, tally_file: Path | None) -> Resolved:
    from ..tally import find_tally, load

    try:
        place = tally_file or find_tally()
    except TallyError as error:
        raise TallyError(f"{quoted(name)} is no connection string, and no cord or file either: {error}") from None
    tally = load(place)
    if tally_file is None and place.parent != Path().resolve() and name in tally.names():
        say_note(f"{name} is a cord of {clean(str(place))}")
    return tally.resolve(name, environment=environment_of(tally, environment))


def environment_of(tally: Tally, name: str | None) -> str | None:
    """Give the environment that is meant, a beginning being enough; one that is not there is left to the tally."""
    found = None if name is None else find_name("environment", name, tally.environments)
    if found in {None, name}:
        return name
    say_note(f"{found} is taken for {quoted(name)}")
    return found


def file_named(text: str, *, must: bool = True) -> Path | None:
    """The file of that name; None where a text is none, or names a database."""
    if not text or len(text) > 4096 or "://" in text or not _NO_FILE.isdisjoint(text) or not text.isprintable():
        return None
    slip = _SLIP_OF_SCHEME.match(text)
    if slip is not None and any(prefix.startswith(f"{slip[1].lower()}:") for prefix in load_index()["prefixes"]):
        return None
    path = Path(text)
    suffix = path.suffix.lower() or (path.name if path.name.startswith(".") else "")
    if suffix in DATABASE_FILES:
        return None
    if path.is_file():
        return path
    drive = ":" in text[2:] or text.endswith(":")
    if not must or drive:
        return None
    told = _TEXT_FILES.fullmatch(suffix) or "/" in text or text[0] == "."
    if not told and not (suffix and _nearest(path)):
        return None
    raise FieldError(missing_file(path), path=path)


def _nearest(path: Path) -> Path | None:
    try:
        names = [one.name for one in path.parent.iterdir()] if path.parent.is_dir() else []
    except OSError:
        return None
    nearest = find_nearest(path.name, names, most=1)
    return path.parent / nearest[0] if nearest else None


def missing_file(path: Path) -> str:
    """Say that there is no such file or folder, and name the nearest one beside it."""
    nearest = _nearest(path)
    hint = "" if nearest is None else f"; did you mean {clean(str(nearest))}?"
    return f"there is no file {quoted(str(path))}{hint}"


def _line_of(path: Path) -> str:
    """The connection string in a file."""
    try:
        with open_to_read(path) as stream:
            text = _decoded(stream.read(_LARGEST_INPUT), "the file").strip("\r\n")
    except FileNotFoundError:
        raise FieldError(missing_file(path), path=path) from None
    count = sum(1 for line in text.splitlines() if line.strip())
    if count > 1 and not _is_read(text, None):
        name = clean(str(path))
        raise FieldError(f"{name} has {count:,} lines, and is no connection string: cordtally vet {name}")
    return text


def _variable(name: str) -> str:
    value = os.environ.get(name)
    if value is None:
        nearest = find_nearest(name, os.environ, most=1)
        hint = f"; did you mean {nearest[0]}?" if nearest else ""
        raise LocatorError(f"the environment variable {quoted(name)} is not set{hint}", nearest=nearest)
    return value


def _decoded(source: bytes, what: str) -> str:
    """Give the characters of a file: UTF-8, or UTF-16 with its mark (as PowerShell writes it)."""
    try:
        return source.decode(encoding_of(source) or "utf-8-sig")
    except UnicodeDecodeError as error:
        message = (
            f"{what} is not UTF-8 text: the byte {source[error.start]:#04x} at {error.start:,} begins no character"
        )
        raise FieldError(message) from None


def _core(text: str, driver: str | None) -> str:
    """A text without what came along when it was copied, which is said."""
    from ..exchange.mistakes import find_surroundings

    for number, mistake in enumerate(find_surroundings(text)):
        if number == 0 and _is_read(text, driver):
            break
        if _is_read(mistake.right, driver):
            say_note(f"read without what came along: {mistake.problem.removesuffix(' came along')}")
            return mistake.right
    return text


def _is_read(text: str, driver: str | None) -> bool:
    try:
        read(text, driver=driver)
    except AmbiguousText:
        return True
    except CordTallyError:
        return False
    return True


def first_target(engine: str) -> str:
    """The driver to write for where none is named: the engine's first one."""
    return next(str(i) for i, d in load_index()["drivers"].items() if engine in d["engines"])
