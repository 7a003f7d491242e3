"""What a program's environment does to a file: look-ups that are filled in, and variables that win over it."""

from __future__ import annotations

import re
import sys
from collections.abc import Mapping
from functools import cache
from pathlib import Path

from ..lines import DIALECTS, read_lines
from ..model.placeholders import variable_in
from ..syntax import Node, format_of, open_tree
from .layouts import Layout
from .matching import Found


def fill_in(node: Node, layout: Layout, variables: Mapping[str, str] | None) -> tuple[str | None, str | None]:
    """Give what a slot comes to, and the variable that it comes from; None for what is not known.

    Without variables only the defaults of look-ups are known.
    """
    if node.variable is not None:
        return (variables or {}).get(node.variable, node.value), node.variable
    value = node.value
    known = bool(layout.files)  # where a file is nobody's, whatever looks like a variable may be one
    if value is None or (known and not (layout.fills_in and layout.fills_in in value)):
        return value, None
    for pattern in patterns_of(layout):
        match = pattern.search(value)
        if match is not None:
            return _filled(value, pattern, variables or {}), match["name"]
    variable = variable_in(value)
    return (value, None) if variable is None else (None, variable)


def read_variables(path: Path) -> dict[str, str]:
    """Read the variables that a program will have, NAME=VALUE a line; ``-`` is standard input.

    Raises
    ------
    FieldError
        When it is no text.
    OSError
        When it cannot be read.
    """
    if str(path) == "-":
        lines = read_lines(sys.stdin.read(), DIALECTS["container-variables"])
        return {line.name: line.value for line in lines if line.value is not None}
    tree = open_tree(path, format_of(path) or "variables")
    return {".".join(slot.path): slot.node.value for slot in tree.slots() if slot.node.value is not None}


@cache
def patterns_of(layout: Layout) -> tuple[re.Pattern[str], ...]:
    """The expressions for what a layout fills in."""
    return tuple(re.compile(one) for one in layout.references)


def _filled(value: str, pattern: re.Pattern[str], variables: Mapping[str, str]) -> str | None:
    """A value with all its references replaced, by their defaults where they have some; None where one is not known."""
    missing = False

    def told(match: re.Match[str]) -> str:
        nonlocal missing
        found = variables.get(match["name"], match.groupdict().get("default"))
        missing = missing or found is None
        return found or ""

    made = pattern.sub(told, value)
    return None if missing else made


def filled_in(
    found: Found, values: Mapping[str, str], variables: Mapping[str, str] | None
) -> dict[str, tuple[str, str]]:
    """Give the variables that count instead of what the file states, by role, with their values."""
    made: dict[str, tuple[str, str]] = {}
    for role, names in found.places.variables.items():
        for template in names:
            name = template.format(NAME=re.sub(r"\W", "_", found.name).upper(), name=found.name)
            if variables is None or name not in variables:
                continue
            if not (found.places.yields and values.get(role)):
                made[role] = (name, variables[name])
            break
    return made
