"""Plans the move of secrets out of a tree, and proves it.

Each secret is the whole of a string in a program, or of a value in a framework's file: a look-up comes in its place,
the value goes into a store that version control ignores. What cannot be moved safely is refused with the reason.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from pathlib import Path

from ..config import declared_in
from ..errors import CordTallyError, FieldError, TallyError
from ..sweeping import SECRETS, Hit, public_folder, sweep, sweep_text
from ..syntax import Slot, Source, Splice, Tree, format_of, language_facts, parse_text
from ..syntax.literals import Literal, Piece, Program
from ..tally import find_tally
from .layouts import Reference, edited, place_of, reference_to, same_connections
from .plans import Lift, Moved, Refused
from .programs import default_at, look_up_splices, rewritable
from .stores import Elsewhere, Files, Keeper, Variables, below, refuse_sight

_IN_BROWSERS = frozenset(["javascript", "typescript"])
_KEEPERS = frozenset(["variables", "r-variables", "passwords"])
_NAME = re.compile(r"[A-Z][A-Z0-9_]*")
_WORDS = re.compile(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+|\d+")


def lift(
    path: str | Path,
    *,
    line: int | None = None,
    name: str | None = None,
    variables: str | Path | None = None,
    files: str | Path | None = None,
    store: str | None = None,
) -> Lift:
    """Plan how secrets move out of programs and config files.

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
    files : str or Path, optional
        A folder in which each secret gets a file of its own, instead of a variable. One of the project is found from
        the programs' own folders, another by its path.
    store : str, optional
        Another store: ``chest:``, ``keychain:SERVICE``, ``remote:NAME/PATH`` or ``envfile:PATH``. A variable is looked
        up then, which ``cordtally with --secret`` brings.

    Returns
    -------
    Lift
        What moves, what is refused and why, and the edits.

    Raises
    ------
    FileNotFoundError
        When there is nothing at the path.
    FieldError
        Where a name is none of a variable, or is given for several secrets; a secret of that name is kept already; or
        the store stands where a web server shows it.
    """
    place = Path(path).resolve()
    found = sweep(place)
    folder = project_of(place)
    hits: dict[Path, list[Hit]] = {}
    beside: dict[Path, list[Hit]] = {}
    for hit in (*found.hits, *found.accepted):
        file = place / hit.path if place.is_dir() else place
        beside.setdefault(file, []).append(hit)
        if hit.rule in SECRETS and hit.accepted is None and (line is None or hit.line == line):
            hits.setdefault(file, []).append(hit)
    if name is not None and (not _NAME.fullmatch(name) or sum(map(len, hits.values())) > 1):
        raise FieldError(f"{name!r} is no name of one variable: capitals, digits and underscores, for one secret")
    if sum(one is not None for one in (variables, files, store)) > 1:
        raise FieldError("secrets go into variables, into files or into another store: into one of them")
    keeper: Keeper
    if store is not None:
        keeper = Elsewhere(store, _tally_folder(folder))
    elif files is not None:
        keeper = Files(Path(files).resolve(), folder)
    else:
        keeper = Variables(Path(variables or folder / ".env").resolve(), folder)
    plan = Lift(folder, keeper.place, in_files=files is not None)
    if store is None:
        refuse_sight(plan, keeper)
    planner = _Planner(plan, keeper, name)
    for file, of_file in hits.items():
        planner.file(file, of_file)
        if file in plan.after:
            plan.hide_found(Source.load(file).text, beside[file])
    if plan.moved:
        keeper.plan(plan)
        _prove(plan)
    return plan


def _tally_folder(folder: Path) -> Path:
    """The folder of the nearest tally, which is where a store's paths start; the project's own without one."""
    try:
        return find_tally(folder).parent
    except TallyError:
        return folder


def project_of(path: Path) -> Path:
    """Give the folder of a file's project: where version control or a variables file is, or else the file's own.

    A folder is its own project.
    """
    if path.is_dir():
        return path
    folder = path.resolve().parent
    for one in (folder, *folder.parents):
        if (one / ".git").exists() or (one / ".env").exists():
            return one
    return folder


class _Planner:
    """Plans file by file what moves into a store, all under one name if one is given."""

    def __init__(self, plan: Lift, keeper: Keeper, name: str | None) -> None:
        self.plan, self.keeper, self.name = plan, keeper, name

    def file(self, file: Path, hits: list[Hit]) -> None:
        """Plan what moves out of one file."""
        language, moved, values = format_of(file), len(self.plan.moved), dict(self.plan.values)
        try:
            if language in _KEEPERS:
                raise FieldError("a variables or password file is where secrets are kept: see that git ignores it")
            if language is None or language_facts(language).get("kind") != "code":
                self._data(file, hits)
            else:
                self._program(file, language, hits)
        except (CordTallyError, OSError) as error:
            self.plan.values = values
            del self.plan.moved[moved:]
            self.plan.refused += [Refused(file, hit.line, _said(error)) for hit in hits]

    def _program(self, file: Path, language: str, hits: list[Hit]) -> None:
        source = Source.load(file)
        tree, program = Tree(source, language, parse_text("", language)), Program(source.text, language)
        splices: dict[tuple[int, int], Splice] = {}
        for hit in hits:
            try:
                start = _position(source.text, hit.line, hit.column)
                end = _position(source.text, hit.end_line, hit.end_column)
                default = default_at(program, start)
                if default is not None and default.within and default.shell:
                    literal = Literal(start, end, (Piece(start, source.text[start:end], source.text[start:end]),))
                else:
                    literal = _literal_at(program, start)
                    rewritable(program, literal, (start, end), self.keeper)
                _refuse_browsers(self.plan, file, language)
                self.keeper.refuse(literal.text)
                kept = self._kept_as(literal.text, default.variable if default else None, _name_of(hit, literal))
                made = look_up_splices(tree, program, literal, kept, self.keeper, default=default)
            except FieldError as error:
                self.plan.refused.append(Refused(file, hit.line, _said(error)))
                continue
            self.plan.values[kept] = literal.text
            self.plan.hide(literal.text, literal.pieces[0].raw)
            splices |= {(one.start, one.end): one for one in made}
            self.plan.moved.append(Moved(file, hit.line, kept))
        if splices:
            self.plan.edit(file, source.spliced(splices.values()))

    def _data(self, file: Path, hits: list[Hit]) -> None:
        """Put references of the file's own framework in place of values."""
        made, tree = list[tuple[Slot, Reference]](), None
        declared = declared_in(file)
        for hit in hits:
            try:
                place = place_of(file, hit, declared)
                value = place.slot.node.value or ""
                self.keeper.refuse(value)
                called = Literal(0, 0, (), tuple(part for part in place.slot.path if not part.isdigit()))
                kept = self._kept_as(value, None, _name_of(hit, called))
                reference = reference_to(place, kept, self.keeper)
            except FieldError as error:
                self.plan.refused.append(Refused(file, hit.line, _said(error)))
                continue
            tree, node = place.tree, place.slot.node
            self.plan.values[kept] = value
            self.plan.hide(value, tree.source.text[node.start : node.end].strip("\"'"))
            made.append((place.slot, reference))
            self.plan.moved.append(Moved(file, hit.line, kept))
        if made and tree is not None:
            self.plan.edit(file, edited(tree, made))

    def _kept_as(self, value: str, looked_up: str | None, made: str) -> str:
        """The name of a secret: the one that is given, that of the variable which is looked up already, or one that is
        made of what it is called.

        Raises
        ------
        FieldError
            Where another secret has the name of a variable that is looked up.
        """
        if self.name is None and looked_up is not None:
            kept = self.keeper.named(looked_up)
            if self.plan.values.get(kept, value) != value:
                raise FieldError(
                    f"another secret is the default of {looked_up}: lift this one alone, with --into env:NAME"
                )
            return kept
        return _free(self.plan.values, self.keeper.named(self.name or made), value)


def _said(error: Exception) -> str:
    return str(error).partition("\n")[0]


def _refuse_browsers(plan: Lift, file: Path, language: str) -> None:
    if language in _IN_BROWSERS and public_folder(below(plan.folder, file)) is not None:
        raise FieldError("it runs in a browser, where whoever looks has whatever it has: ask a server for it")


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
    """The name, with a number behind it where another secret has it."""
    number, free = 2, name
    while values.get(free, value) != value:
        free, number = f"{name}_{number}", number + 1
    return free


def _prove(plan: Lift) -> None:
    """Read what would be written: no moved secret is found any more, and the connections are those of before.

    Raises
    ------
    FieldError
        Where that is not so.
    """
    for file in {one.path for one in plan.moved}:
        moved = [one for one in plan.moved if one.path == file]
        before, after = plan.before[file] or b"", plan.after[file] or b""
        if _secrets_in(after, file) > _secrets_in(before, file) - len(moved):
            raise FieldError(f"{file} would still be found to hold a secret: nothing is moved", path=file)
        old, new = before.decode("utf-8", "replace"), after.decode("utf-8", "replace")
        if any(old.count(plan.values[one.name]) == new.count(plan.values[one.name]) > 0 for one in moved):
            raise FieldError(f"{file} would still hold a secret: nothing is moved", path=file)
        if not plan.in_files and not same_connections(file, before, after, plan.values):
            raise FieldError(f"{file} would not declare the same connections: nothing is moved", path=file)


def _secrets_in(data: bytes, file: Path) -> int:
    return sum(hit.rule in SECRETS for hit in sweep_text(data.decode("utf-8-sig", "replace"), file))
