"""A string of a program, replaced by the language's own look-up of a variable, with the import that this needs.

How each language looks a variable up so that an unset one fails clearly, and where a look-up may not stand, is data:
``look_up`` in ``catalog/languages``.
"""

from __future__ import annotations

import re
from typing import Any

from ..errors import FieldError
from ..syntax import Splice, Tree, language_facts
from ..syntax.literals import Literal, Program


def rewritable(program: Program, literal: Literal, start: int, end: int) -> None:
    """Refuse a string that is more, or less, than the secret.

    Raises
    ------
    FieldError
        Where it cannot be replaced, saying why.
    """
    if len(literal.pieces) != 1 or "${" in literal.text:
        raise FieldError("the string is put together, or a part of it is filled in: move the secret out by hand")
    if (literal.position(0), literal.position(len(literal.text), ends=True)) != (start, end):
        raise FieldError("the secret is a part of a longer string: move it out by hand")
    facts = _facts(program.language)
    if facts.get("ascii") and not literal.text.isascii():
        raise FieldError("in the C locale its reader takes letters that are not ASCII for others: move it out by hand")
    kinds = frozenset(facts.get("constant", ()))
    if (held := program.held_by(literal, kinds)) is not None:
        said = held[0].replace("_", " ")
        raise FieldError(f"it stands in a {said}, where {program.language} takes a constant alone: move it out by hand")


def look_up_splices(tree: Tree, program: Program, literal: Literal, name: str) -> list[Splice]:
    """Give the edits that put the look-up of a variable in place of a string.

    Raises
    ------
    FieldError
        Where the language's look-ups are not known here, a name that it needs means something else in the file, or a
        constant is needed as one.
    """
    facts, text = _facts(tree.language), tree.source.text
    splices = [Splice(literal.start, literal.end, str(facts["env"]).format(name=name))]
    splices += _eased(program, literal, facts)
    if "imports" not in facts or re.search(facts["imported"], text):
        return splices
    if re.search(facts["taken"], text):
        raise FieldError(f"the file has something else of the name that {facts['imports']!r} brings: edit it by hand")
    match = re.match(facts["import_after"], text)
    at = 0 if match is None else match.end()
    return [*splices, Splice(at, at, f"{facts['imports']}{tree.source.newline}")]


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


def _facts(language: str) -> dict[str, Any]:
    facts = language_facts(language).get("look_up")
    if facts is None:
        raise FieldError(f"how a {language} file looks a variable up is not known here: edit it by hand")
    return dict(facts)
