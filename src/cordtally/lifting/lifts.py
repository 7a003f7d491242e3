"""Plans the move of secrets into variables, shows it, carries it out, and proves it.

Each secret is the whole of a string in a program: the string becomes a look-up, the value stands in a variables file
that version control ignores, its name in the example beside it. What cannot be moved safely is refused with the reason.
"""

from __future__ import annotations

import difflib
import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import NamedTuple

from ..config import Declared, declared_in
from ..config.layouts import reference_of
from ..errors import CordTallyError, FieldError
from ..lines import DIALECTS, encode_value, read_lines
from ..model import MASK
from ..sweeping import SECRETS, Hit, is_tracked, public_folder, sweep, sweep_text
from ..syntax import Node, Slot, Source, Splice, Tree, format_of, language_facts, parse_text, write_whole
from ..syntax.ignoring import parse_rules
from ..syntax.literals import Literal, Program
from .programs import look_up_splices, rewritable
from .undoing import keep

_VARIABLES = DIALECTS["variables"]
_IN_BROWSERS = frozenset(["javascript", "typescript"])
_KEEPERS = frozenset(["variables", "r-variables", "passwords"])
_NAME = re.compile(r"[A-Z][A-Z0-9_]*")
_WORDS = re.compile(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+|\d+")


class Moved(NamedTuple):
    """A secret that moves: where it stands, and the variable that it is kept in."""

    path: Path
    line: int
    name: str


class Refused(NamedTuple):
    """A secret that stays, and why."""

    path: Path
    line: int
    reason: str


@dataclass(slots=True)
class Lift:
    """The edits of all files, from what was read to what will be written; nothing is written before `apply`."""

    folder: Path
    kept_in: Path = Path(".env")
    tracked: bool = False
    before: dict[Path, bytes | None] = field(default_factory=dict, repr=False)
    after: dict[Path, bytes] = field(default_factory=dict, repr=False)
    moved: list[Moved] = field(default_factory=list)
    refused: list[Refused] = field(default_factory=list)
    values: dict[str, str] = field(default_factory=dict, repr=False)
    hidden: set[str] = field(default_factory=set, repr=False)

    def shown(self, path: Path) -> str:
        """Give a path as it is shown: from the project's folder on."""
        return (path.relative_to(self.folder) if path.is_relative_to(self.folder) else path).as_posix()

    def to_dict(self) -> dict[str, object]:
        """Give ``cordtally/lift/1``, without a secret."""
        return {
            "schema": "cordtally/lift/1",
            "folder": str(self.folder),
            "variables_file": str(self.kept_in),
            "tracked": self.tracked,
            "variables": list(self.values),
            "moved": [{"path": self.shown(one.path), "line": one.line, "name": one.name} for one in self.moved],
            "refused": [{"path": self.shown(one.path), "line": one.line, "reason": one.reason} for one in self.refused],
            "files": [self.shown(path) for path in self.after],
            "diff": self.diff(),
        }

    def diff(self) -> list[str]:
        """Give all edits as one unified diff, in which the secrets are masked."""
        lines = list[str]()
        for path, data in self.after.items():
            old, new = ((one or b"").decode("utf-8", "replace") for one in (self.before[path], data))
            names = ("/dev/null" if self.before[path] is None else f"a/{self.shown(path)}", f"b/{self.shown(path)}")
            found = difflib.unified_diff(old.splitlines(), new.splitlines(), *names, lineterm="")
            lines += [self._masked(line) for line in found]
        return lines

    def _masked(self, line: str) -> str:
        for written in sorted(self.hidden, key=len, reverse=True):
            line = line.replace(written, MASK)
        return line

    def hide(self, *forms: str) -> None:
        """Remember how a secret is written, so that no line of the difference shows it."""
        self.hidden |= {part for form in forms for part in form.splitlines() if part.strip("\"'` ")}

    def apply(self) -> Path:
        """Write all files, and give the undo file.

        Raises
        ------
        FieldError
            Where a file was edited meanwhile: nothing is written then.
        OSError
            When a file cannot be written; those before it are put back.
        """
        for path, data in self.before.items():
            if (path.read_bytes() if path.exists() else None) != data:
                raise FieldError(f"{path} has changed meanwhile: nothing was written", path=path)
        kept, written = keep(self.before, self.after), list[Path]()
        try:
            for path, data in self.after.items():
                write_whole(path, data, 0o600 if format_of(path) == "variables" and b"=" in data else 0o644)
                written.append(path)
        except OSError:
            for path in written:
                if (old := self.before[path]) is None:
                    path.unlink()
                else:
                    write_whole(path, old)
            kept.unlink()
            raise
        return kept


def lift(
    path: str | Path, *, line: int | None = None, name: str | None = None, variables: str | Path | None = None
) -> Lift:
    """Plan how secrets move from programs into variables of the environment.

    Parameters
    ----------
    path : str or Path
        A file, or a folder: all secrets in it.
    line : int, optional
        Of a file, the secrets of this line alone.
    name : str, optional
        The variable, where there is one secret; otherwise it is made of what the secret is called there.
    variables : str or Path, optional
        The variables file; ``.env`` in the folder of the project, if not given.

    Returns
    -------
    Lift
        What moves, what is refused and why, and the edits.

    Raises
    ------
    FileNotFoundError
        When there is nothing at the path.
    FieldError
        Where a name is none of a variable, or is given for several secrets.
    """
    place = Path(path).resolve()
    found = sweep(place)
    folder = place if place.is_dir() else _project(place.parent)
    hits: dict[Path, list[Hit]] = {}
    for hit in found.hits:
        if hit.rule in SECRETS and (line is None or hit.line == line):
            hits.setdefault(place / hit.path if place.is_dir() else place, []).append(hit)
    if name is not None and (not _NAME.fullmatch(name) or sum(map(len, hits.values())) > 1):
        raise FieldError(f"{name!r} is no name of one variable: capitals, digits and underscores, for one secret")
    plan = Lift(folder)
    for file, of_file in hits.items():
        _plan_file(plan, file, of_file, name)
    if plan.moved:
        where = plan.kept_in = Path(variables).resolve() if variables is not None else folder / ".env"
        plan.tracked = is_tracked(where)
        if (shown := public_folder(_below(folder, where))) is not None:
            raise FieldError(f"{where} stands below {shown}/, which a web server shows: keep the variables elsewhere")
        _plan_variables(plan, where)
        _prove(plan, where)
    return plan


def _project(folder: Path) -> Path:
    """The folder of the project: where version control or a variables file is, or else the file's own."""
    for one in (folder, *folder.parents):
        if (one / ".git").exists() or (one / ".env").exists():
            return one
    return folder


def _plan_file(plan: Lift, file: Path, hits: list[Hit], name: str | None) -> None:
    language = format_of(file)
    try:
        if language in _KEEPERS:
            raise FieldError("a variables or password file is where secrets are kept: see that git ignores it")
        if language is None or language_facts(language).get("kind") != "code":
            _plan_data(plan, file, hits, name)
            return
        source = Source.load(file)
        tree = Tree(source, language, parse_text("", language))
        program = Program(source.text, language)
    except (CordTallyError, OSError) as error:
        plan.refused += [Refused(file, hit.line, str(error).partition("\n")[0]) for hit in hits]
        return
    splices: dict[tuple[int, int], Splice] = {}
    for hit in hits:
        try:
            start, end = (
                _position(source.text, hit.line, hit.column),
                _position(source.text, hit.end_line, hit.end_column),
            )
            literal = _literal_at(program, start)
            rewritable(program, literal, start, end)
            _refuse_browsers(plan, file, language)
            encode_value(literal.text, "plain", _VARIABLES)  # or else the variables file cannot hold it
            variable = name or _name_of(hit, literal)
            if plan.values.setdefault(variable, literal.text) != literal.text:
                variable = _free(plan.values, variable, literal.text)
                plan.values[variable] = literal.text
            plan.hide(literal.text, literal.pieces[0].raw)
            for splice in look_up_splices(tree, program, literal, variable):
                splices[splice.start, splice.end] = splice
        except FieldError as error:
            plan.refused.append(Refused(file, hit.line, str(error).partition("\n")[0]))
            continue
        plan.moved.append(Moved(file, hit.line, variable))
    if splices:
        plan.before[file], plan.after[file] = source.data, source.spliced(splices.values())


def _plan_data(plan: Lift, file: Path, hits: list[Hit], name: str | None) -> None:
    """Put references of the file's own framework in place of values."""
    edits, tree = list[tuple[Node, str]](), None
    declared = declared_in(file)
    for hit in hits:
        found = next(((one, slot) for one in declared for slot in one.slots.values() if _is_at(one, slot, hit)), None)
        try:
            one, slot = _known_place(found)
            tree = one.tree
            value = slot.node.value or ""
            encode_value(value, "plain", _VARIABLES)
            variable = name or _name_of(hit, Literal(0, 0, (), tuple(part for part in slot.path if not part.isdigit())))
            reference = reference_of(one.layout, variable)
            if plan.values.setdefault(variable, value) != value:
                variable = _free(plan.values, variable, value)
                plan.values[variable] = value
            plan.hide(value, one.tree.source.text[slot.node.start : slot.node.end].strip("\"'"))
            edits.append((slot.node, reference))
        except FieldError as error:
            plan.refused.append(Refused(file, hit.line, str(error).partition("\n")[0]))
            continue
        plan.moved.append(Moved(file, hit.line, variable))
    if edits and tree is not None:
        plan.before[file], plan.after[file] = tree.source.data, tree.edited(edits)


def _refuse_browsers(plan: Lift, file: Path, language: str) -> None:
    if language in _IN_BROWSERS and public_folder(_below(plan.folder, file)) is not None:
        raise FieldError("it runs in a browser, where whoever looks has whatever it has: ask a server for it")


def _below(folder: Path, path: Path) -> Path:
    """A path from the project's folder on, its name included: what stands above is no part of the project."""
    return Path(folder.name) / path.relative_to(folder) if path.is_relative_to(folder) else path


def _known_place(found: tuple[Declared, Slot] | None) -> tuple[Declared, Slot]:
    if found is None:
        raise FieldError("it stands in no connection of a framework that is known here: move it out by hand")
    return found


def _is_at(declared: Declared, slot: Slot, hit: Hit) -> bool:
    """Whether a slot is the whole of what was found."""
    place = declared.tree.source.place
    return place(slot.node.start)[0] == hit.line and place(slot.node.start) <= (hit.line, hit.column) < place(
        slot.node.end
    )


def _position(text: str, line: int, column: int) -> int:
    at = 0
    for _ in range(line - 1):
        at = text.index("\n", at) + 1
    return at + column - 1


def _literal_at(program: Program, place: int) -> Literal:
    for literal in program.literals(place, place + 1):
        if literal.comment:
            raise FieldError("it stands in a comment: delete it")
        if literal.start <= place < literal.end:
            return literal
    raise FieldError("it is not the whole of a string: move it out by hand")


def _name_of(hit: Hit, literal: Literal) -> str:
    """A name of a variable: what the secret is called there, in capitals."""
    called = hit.name if hit.kind == "pair" and hit.name and literal.names else None
    called = called or (literal.names[-1] if literal.names else "")
    if _NAME.fullmatch(called) and ("_" in called or called.startswith("PG")):
        return called  # a variable's already
    words = _WORDS.findall(called)
    if len(words) < 2:
        words = [hit.engine or "database", *(words or ["url" if hit.kind == "cord" else "password"])]
    made = "_".join(words).upper()
    return made if _NAME.fullmatch(made) else f"DATABASE_{made}"


def _free(values: Mapping[str, str], name: str, value: str) -> str:
    number = 2
    while values.get(f"{name}_{number}", value) != value:
        number += 1
    return f"{name}_{number}"


def _plan_variables(plan: Lift, where: Path) -> None:
    """Add the values to the variables file, the names to its example, and the file to what git ignores.

    Raises
    ------
    FieldError
        Where a name has another value there already, or the file cannot hold a value.
    """
    old = where.read_bytes() if where.exists() else None
    text = (old or b"").decode("utf-8")
    there = {one.name: one.value for one in read_lines(text, _VARIABLES) if one.pair}
    added = list[str]()
    for name, value in plan.values.items():
        if name in there and there[name] != value:
            raise FieldError(
                f"{where} has another value for {name}: give this one a name of its own, with --into env:NAME",
                path=where,
            )
        if name not in there:
            written = encode_value(value, "plain", _VARIABLES)
            plan.hide(written, written[1:-1] if written[:1] in {"'", '"'} else written)
            added.append(f"{name}={written}\n")
    if added:
        plan.before[where], plan.after[where] = old, _appended(text, added).encode()
    example = where.with_name(f"{where.name}.example")
    shown = example.read_text("utf-8") if example.exists() else ""
    known = {one.name for one in read_lines(shown, _VARIABLES)}
    if names := [f"{name}=\n" for name in plan.values if name not in known]:
        plan.before[example] = example.read_bytes() if example.exists() else None
        plan.after[example] = _appended(shown, names).encode()
    ignoring = where.with_name(".gitignore")
    rules = ignoring.read_text("utf-8") if ignoring.exists() else ""
    if not parse_rules(rules).verdict((where.name,), folder=False):
        plan.before[ignoring] = ignoring.read_bytes() if ignoring.exists() else None
        plan.after[ignoring] = _appended(rules, [f"/{where.name}\n"]).encode()


def _appended(text: str, lines: Iterable[str]) -> str:
    return text + ("" if not text or text.endswith("\n") else "\n") + "".join(lines)


def _prove(plan: Lift, where: Path) -> None:
    """Read what would be written: each moved secret is found no more, and its variable has just that value.

    Raises
    ------
    FieldError
        Where that is not so.
    """
    there = {
        one.name: one.value for one in read_lines(plan.after.get(where, b"").decode("utf-8"), _VARIABLES) if one.pair
    }
    kept = {one.name: one.value for one in read_lines((plan.before.get(where) or b"").decode("utf-8"), _VARIABLES)}
    for name, value in plan.values.items():
        if where in plan.after and there.get(name, kept.get(name)) != value:
            raise FieldError(f"{where} would not be read with the value of {name}: nothing is moved", path=where)
    for file in {one.path for one in plan.moved}:
        moved = [one for one in plan.moved if one.path == file]
        counts = [_secrets_in(data or b"", file) for data in (plan.before[file], plan.after[file])]
        if counts[1] > counts[0] - len(moved):
            raise FieldError(f"{file} would still be found to hold a secret: nothing is moved", path=file)
        old, new = ((data or b"").decode("utf-8") for data in (plan.before[file], plan.after[file]))
        if any(old.count(plan.values[one.name]) == new.count(plan.values[one.name]) > 0 for one in moved):
            raise FieldError(f"{file} would still hold a secret: nothing is moved", path=file)


def _secrets_in(data: bytes, file: Path) -> int:
    return sum(hit.rule in SECRETS for hit in sweep_text(data.decode("utf-8-sig"), file))
