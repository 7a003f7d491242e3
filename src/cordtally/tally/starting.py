"""Starts a tally from what is there: connections in config files, in variables of the process, or given as texts.

No secret stands in the file: each is put into a store, and where none is named the file says which variable is to
hold it.
"""

from __future__ import annotations

import re
import shlex
import tomllib
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path

from ..catalog import load_engine
from ..composing import spread
from ..config import Declared, declared_below, declared_in
from ..errors import CordTallyError, TallyError
from ..exchange import Reading, read
from ..model import DIRECT, Cord, Locator, Secret
from ..model.placeholders import is_placeholder, variable_in
from ..syntax import Source
from ..syntax.ignoring import parse_rules
from ..syntax.toml_edits import literal
from .editing import TallyEdit
from .files import FILE_NAME, TallyFile, local_path
from .keeping import place_in
from .loading import assemble
from .shape import CORD, VERSION

_WORD = re.compile(r"[A-Za-z][A-Za-z0-9_-]*")
_LIBPQ = ("PGHOST", "PGPORT", "PGDATABASE", "PGUSER", "PGPASSWORD", "PGSERVICE", "PGSSLMODE", "PGSSLROOTCERT")


@dataclass(frozen=True, slots=True)
class Candidate:
    """A connection that was found: where, what it is called there, and which variable brings its password, if any."""

    cord: Cord
    origin: str
    called: str
    environment: str | None = None
    driver: str | None = None
    variable: str | None = None


@dataclass(slots=True)
class Start:
    """The tally that would be made: its edit, the secrets that nobody keeps yet, and what was not taken, in words."""

    edit: TallyEdit
    path: Path
    names: list[str] = field(default_factory=list)
    kept: dict[str, Locator] = field(default_factory=dict)
    to_bring: dict[str, Locator] = field(default_factory=dict)
    remarks: list[str] = field(default_factory=list)

    @property
    def text(self) -> str:
        """The tally's text."""
        return self.edit.texts[self.path]


def candidates_below(folder: Path) -> Iterator[Candidate]:
    """Give the connections that config files below a folder declare."""
    for path, every in declared_below(folder):
        yield from _declared(every, path.relative_to(folder).as_posix())


def candidates_in(path: Path) -> Iterator[Candidate]:
    """Give the connections that one file declares: of a framework, or of services, aliases and options.

    Raises
    ------
    FieldError
        When it cannot be read.
    """
    yield from _declared(declared_in(path), path.name)


def candidates_of(environ: Mapping[str, str]) -> Iterator[Candidate]:
    """Give the connections that variables hold: a whole text, or libpq's own variables."""
    for name, value in sorted(environ.items()):
        if "://" in value and not name.startswith("CORD"):
            try:
                yield candidate_of(read(value), f"the variable {name}", name)
            except CordTallyError:
                continue
    own = {name: environ[name] for name in _LIBPQ if environ.get(name)}
    if own.keys() - {"PGPASSWORD", "PGSSLMODE", "PGUSER", "PGSSLROOTCERT"}:
        text = "\n".join(f"{name}={shlex.quote(value)}" for name, value in own.items())
        found = candidate_of(read(text, driver="libpq/environment"), "the variables of libpq", "PGDATABASE")
        yield found if "PGPASSWORD" not in own else Candidate(found.cord, found.origin, found.called, None, "libpq",
                                                              "PGPASSWORD")  # fmt: skip


def candidate_of(reading: Reading, origin: str, called: str) -> Candidate:
    """Give the connection of a text."""
    return Candidate(reading.cord, origin, called, None, reading.driver)


def start_tally(
    folder: Path, candidates: Iterable[Candidate], where: Callable[[str], str | None] = lambda _: None
) -> Start:
    """Plan a tally of connections.

    Parameters
    ----------
    folder : Path
        Where it will lie.
    candidates : iterable of Candidate
        What was found; one that leads to the same place as an earlier one is left out.
    where : callable
        Says of a cord which store keeps its password, as `place_in` takes it; None where nobody keeps it yet.

    Raises
    ------
    TallyError
        When there is a tally already, or nothing was found.
    FieldError
        When a store is none.
    """
    path = folder.resolve() / FILE_NAME
    if path.exists() or path.is_symlink():
        raise TallyError(f"{path}: is there already: cordtally tally add puts cords into it", path=path)
    start = Start(TallyEdit({path: None}, {path: ""}), path)
    blocks, bases = [f"tally = {VERSION}\n"], dict[tuple[str, str], tuple[str, dict[str, object]]]()
    overlays, places = list[str](), dict[object, str]()
    for one in candidates:
        fields, rest = spread(one.cord)
        options = fields.get("options", {})
        assert isinstance(options, dict)
        secret = [option for option, value in options.items() if isinstance(value, Secret)]
        fields["options"] = {option: value for option, value in options.items() if option not in secret}
        fields = {field: value for field, value in fields.items() if value != {}}
        _note_rest(start, one, rest, secret)
        key = (one.origin, one.called)
        base = bases.get(key)
        if one.environment is not None and base is not None:
            changed = {
                name: value for name, value in fields.items() if name != "password" and base[1].get(name) != value
            }
            if changed:
                overlays.append(_block(f"environments.{one.environment}.{base[0]}", changed, None))
            continue
        place = (one.cord.engine, one.cord.hosts, one.cord.database, one.cord.user)
        if place in places:
            start.remarks.append(f"{one.origin}: {one.called} is {places[place]} again")
            continue
        name = _name(one, start.names)
        places[place] = name
        start.names.append(name)
        bases[key] = (name, fields)
        if one.driver is not None:
            fields["driver"] = one.driver
        _keep(start, one, name, fields, where(name) if _has_secret(one) else None)
        blocks.append(_block(f"cords.{name}", fields, f"{one.origin}: {one.called}" if one.called else one.origin))
    if not start.names:
        raise TallyError("no connection was found: give a text, a file or a folder, or add one: cordtally compose")
    start.edit.texts[path] = "\n".join([*blocks, *overlays])
    made = assemble(TallyFile(path, start.text, tomllib.loads(start.text)), None)
    for name in made.names():
        made.resolve(name, environ={})
    start.edit.secrets = {made.based(locator): secret for locator, secret in start.edit.secrets.items()}
    _ignore(start, folder.resolve())
    return start


def _declared(every: Iterable[Declared], origin: str) -> Iterator[Candidate]:
    for one in every:
        if one.cord is not None:
            driver = None if one.reading is None else one.reading.driver
            variable = one.from_variables.get("password")
            yield Candidate(one.cord, origin, one.name, one.environment, driver, variable)


def _name(one: Candidate, taken: list[str]) -> str:
    """A name for a cord: its database's, or what it is called there, or its engine's; with a number if it is taken."""
    database = str(one.cord.database or "")
    file = load_engine(one.cord.engine).embedded
    for given in (Path(database).stem if file else database, one.called.lower()):
        slug = re.sub(r"[^A-Za-z0-9_-]+", "-", given).strip("-_")
        if _WORD.fullmatch(slug) and slug not in taken:
            return slug
    return next(name for n in range(2, 10**6) if (name := f"{one.cord.engine}-{n}") not in taken)


def _has_secret(one: Candidate) -> bool:
    password = one.cord.password
    return isinstance(password, Secret) and bool(password) and not is_placeholder(password.unmask())


def _keep(start: Start, one: Candidate, name: str, fields: dict[str, object], store: str | None) -> None:
    """Say in the fields where the password is kept."""
    password = fields.pop("password", None)
    if one.variable is not None:
        fields["password"] = f"env:{one.variable}"
    elif isinstance(password, Locator):
        fields["password"] = str(password)
    elif isinstance(password, Secret):
        variable = variable_in(password.unmask())
        locator = Locator("env", variable) if variable else place_in(store or "env:", name)
        fields["password"] = str(locator)
        if store is not None and locator.scheme != "env":
            start.kept[name] = locator
            start.edit.secrets[locator] = password
        else:
            start.to_bring[name] = locator


def _note_rest(start: Start, one: Candidate, rest: Cord, secret: list[str]) -> None:
    lost = secret + [name.partition("/")[2] for name, _ in rest.native] + [name for name, _ in rest.options]
    lost += ["key_password"] if rest.tls.key_password is not None else []
    held = {
        "hosts": rest.hosts != (),
        "user": rest.user is not None,
        "database": rest.database is not None,
        "realm": rest.authentication.realm is not None,
        "what is looked up": rest.discovery != DIRECT,
        **{name: getattr(rest.tls, name) is not None for name in ("ca", "certificate", "key")},
    }
    lost += [kind for kind, has in held.items() if has]
    if lost:
        start.remarks.append(f"{one.origin}: {one.called}: not taken: {', '.join(lost)}")


def _block(table: str, fields: Mapping[str, object], comment: str | None) -> str:
    order = list(CORD)
    lines = [f"# {comment}"] if comment and comment.isprintable() else []
    lines.append(f"[{table}]")
    lines += [f"{name} = {literal(fields[name])}" for name in sorted(fields, key=order.index)]
    return "\n".join(lines) + "\n"


def _ignore(start: Start, folder: Path) -> None:
    """Have git ignore what is one machine's alone, and what keeps secrets in clear."""
    wanted = [local_path(start.path).name]
    for locator in start.kept.values():
        rest = locator.rest.partition("#")[0].partition("?")[0]
        if locator.scheme == "envfile":
            wanted.append(rest)
        elif locator.scheme == "file":
            wanted.append(f"{Path(rest).parent.as_posix()}/")
        elif locator.scheme == "chest":
            wanted += [".tally.chest.lock", "tally.chest.previous"]
    path = folder / ".gitignore"
    source = Source.load(path) if path.is_file() else None
    text = "" if source is None else source.text
    rules = parse_rules(text)
    for name in dict.fromkeys(wanted):
        inside = not Path(name).is_absolute() and ".." not in Path(name).parts
        if inside and not rules.verdict(tuple(Path(name).parts), folder=name.endswith("/")):
            text += ("" if not text or text.endswith("\n") else "\n") + f"/{name}\n"
    start.edit.sources[path], start.edit.texts[path] = source, text
