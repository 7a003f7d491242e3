"""A string of a program, replaced by the language's own look-up of a secret, with the import that this needs.

How each language looks a variable up so that an unset one fails clearly, how it reads a file, and where a look-up may
not stand, is data: ``look_up`` and ``look_up_file`` in ``catalog/languages``.
"""

from __future__ import annotations

import os
import re
from pathlib import Path
from typing import Any, NamedTuple

from ..errors import FieldError
from ..syntax import Splice, Tree, language_facts
from ..syntax.languages import lookup_patterns
from ..syntax.literals import Literal, Program
from .stores import Keeper

_OR = re.compile(r"\)?\s*(?:\|\||\?\?|\?:|//|or)\s*[@brfu]?[\"'`]?")
_PLAIN_PATH = re.compile(r"[\w./-]+", re.ASCII)  # characters that stand for themselves in any string, and in a URL


def rewritable(program: Program, literal: Literal, span: tuple[int, int], keeper: Keeper) -> None:
    """Refuse a string that is more, or less, than the span of the secret.

    Raises
    ------
    FieldError
        Where it cannot be replaced, saying why.
    """
    if len(literal.pieces) != 1 or "${" in literal.text:
        raise FieldError("the string is put together, or a part of it is filled in: move the secret out by hand")
    if (literal.position(0), literal.position(len(literal.text), ends=True)) != span:
        raise FieldError("the secret is a part of a longer string: move it out by hand")
    facts = _facts(program, keeper)
    if facts.get("ascii") and keeper.key == "env" and not literal.text.isascii():
        hint = "move it into a file, with --into file:/FOLDER"
        raise FieldError(f"in the C locale its reader takes letters that are not ASCII for others: {hint}")
    kinds = frozenset(facts.get("constant", ()))
    if (held := program.held_by(literal, kinds)) is not None:
        said = held[0].replace("_", " ")
        raise FieldError(f"it stands in a {said}, where {program.language} takes a constant alone: move it out by hand")


class Default(NamedTuple):
    """What a secret is the default of: the variable, where its look-up stands, and whether that holds the default.

    In a ``shell`` the default is a part of a word, and no string of its own.
    """

    variable: str
    start: int
    end: int
    within: bool
    shell: bool


def default_at(program: Program, place: int) -> Default | None:
    """Give the look-up whose default begins at a place, in its own brackets or behind a sign."""
    text, shell = program.text, bool(language_facts(program.language).get("commands"))
    line, end = text.rfind("\n", 0, place) + 1, text.find("\n", place)
    for pattern in lookup_patterns(program.language):
        for match in pattern.finditer(text, line, len(text) if end < 0 else end):
            groups = match.groupdict()
            name = groups.get("name") or groups.get("indexed") or groups.get("braced")
            held = "plain" if groups.get("plain") is not None else "default"
            if name and groups.get(held) is not None and match.start(held) <= place < match.end(held):
                return Default(name, *match.span(), within=True, shell=shell)
            if name and match.end() <= place and _OR.fullmatch(text, match.end(), place):
                return Default(name, *match.span(), within=False, shell=shell)
    return None


def look_up_splices(
    tree: Tree, program: Program, literal: Literal, name: str, keeper: Keeper, *, default: Default | None
) -> list[Splice]:
    """Give the edits that put a secret's look-up in place of a string, or of a look-up that it is the default of.

    Raises
    ------
    FieldError
        Where the language's look-ups are not known here, a name that it needs means something else in the file, or a
        constant is needed as one.
    """
    facts, text = _facts(program, keeper), tree.source.text
    start, end = literal.start, literal.end
    written = _in_file(facts, tree, name, keeper) if keeper.key == "file" else str(facts["env"]).format(name=name)
    if keeper.key == "env" and default is not None and default.variable == name:
        looked = text[default.start : default.end]
        own = re.fullmatch(facts["own"]["when"], looked, re.DOTALL) if default.within and "own" in facts else None
        if own is not None:
            start, end = default.start, default.end
            written = str(facts["own"]["put"]).format(name=name, call=own["call"])
            facts.pop("imports", None)  # that look-up is another one's
        elif default.within and re.fullmatch(facts.get("replaces", "(?!)"), looked, re.DOTALL):
            start, end = default.start, default.end
            if default.shell and text[start] != text[end - 1]:  # within a word, which has its own quotes
                written = written.strip('"')
        elif not default.within and "fails" in facts:
            written = str(facts["fails"]).format(name=name)
    splices = [Splice(start, end, written), *_eased(program, literal, facts)]
    if "imports" not in facts or re.search(facts["imported"], text):
        return splices
    if re.search(facts["taken"], text):
        raise FieldError(f"the file has something else of the name that {facts['imports']!r} brings: edit it by hand")
    match = re.match(facts["import_after"], text)
    at = 0 if match is None else match.end()
    return [*splices, Splice(at, at, f"{facts['imports']}{tree.source.newline}")]


def _in_file(facts: dict[str, Any], tree: Tree, name: str, keeper: Keeper) -> str:
    """A path from the file's own folder on, whatever the working folder is; from the root where it is of no project."""
    place = keeper.place / name
    if keeper.inside and "beside" not in facts:
        raise FieldError(
            f"a program in {tree.language} does not know where its source stood: give a folder that is the same "
            "wherever it runs, --into file:/run/secrets"
        )
    path = Path(os.path.relpath(place, tree.source.path.parent) if keeper.inside else place).as_posix()
    if not _PLAIN_PATH.fullmatch(path):
        raise FieldError(f"the path {path} has characters that are written differently from language to language")
    return str(facts["beside" if keeper.inside else "fixed"]).format(path=path, name=name)


def _eased(program: Program, literal: Literal, facts: dict[str, Any]) -> list[Splice]:
    """What makes a constant a variable, where its value is not known before the program runs."""
    eased = facts.get("eased", {})
    held = program.held_by(literal, frozenset(eased))
    if held is None:
        return []
    old, new = eased[held[0]]
    head = program.text[held[1] : literal.start]
    match = re.search(rf"\b{old}", head)
    if match is None:
        return []
    name = re.escape(literal.names[-1]) if literal.names else "x"
    line = program.text[program.text.rfind("\n", 0, held[1]) + 1 : held[1]]
    others = re.search(
        rf"\bcase\s+[\w.]*\b{name}\b|\[[^\]\n]*\b{name}\b|\bconst\b[^;=\n]*=[^;\n]*\b{name}\b", program.text
    )
    if "(" in head or "," in head or others is not None or (program.language == "go" and line.strip(" \t") != line):
        raise FieldError("it is a constant, which is needed as one, or stands among others: move it out by hand")
    return [Splice(held[1] + match.start(), held[1] + match.end(), new)]


def _facts(program: Program, keeper: Keeper) -> dict[str, Any]:
    """What a language does to read from a store; of a module and of another file where they differ."""
    known, language = language_facts(program.language), program.language
    facts = known.get("look_up")
    if facts is None:
        raise FieldError(f"how a {language} file looks a variable up is not known here: edit it by hand")
    if keeper.key == "env":
        return dict(facts)
    shared = {key: value for key, value in facts.items() if key not in {"env", "imports", "imported", "taken"}}
    own = known.get("look_up_file")
    if own is None:
        raise FieldError(f"how a {language} file reads a secret from a file is not known here: use --into env:")
    module = own.get("module")
    if module is not None and re.search(module["tells"], program.text):
        own = module
    return {**shared, **own}
