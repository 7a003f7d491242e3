"""Writes a minimal program that opens a cord's connection: connect, ask, close. Programs are data, by language."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Mapping
from functools import cache
from pathlib import Path
from typing import Any

from ..catalog import load_driver
from ..errors import FieldError
from ..exchange import Ledger, write
from ..model import Cord
from ..syntax.scalars import encode
from .baring import bared
from .emitting import Emission, variable_of
from .filling import argument_lines

FOLDER = Path(__file__).parents[1] / "catalog" / "programs"
_PLACE = re.compile(r"^(?P<indent>[ ]*)\{arguments\}$|\{(?P<name>text|user|variable)\}", re.MULTILINE)


@cache
def load_programs() -> Mapping[str, Mapping[str, Any]]:
    """Load the programs of all languages, by language."""
    found = (tomllib.loads(path.read_text("utf-8")) for path in sorted(FOLDER.glob("*.toml")))
    return {facts["id"]: facts for facts in found}


def emit_program(cord: Cord, language: str, *, called: str = "tides", pooled: bool = False) -> Emission:
    """Write a program that connects, asks one thing and closes; its secret comes from the environment.

    Parameters
    ----------
    cord : Cord
        What is to be opened.
    language : str
        A language of `load_programs`.
    called : str
        What the cord is called: its secret's variable is named after it.
    pooled : bool
        Whether the connection comes from a pool.

    Raises
    ------
    FieldError
        When there is no program for the engine in that language.
    """
    facts = load_programs()[language]
    program = next((one for one in facts["programs"] if cord.engine in one["engines"]), None)
    if program is None:
        engines = ", ".join(engine for one in facts["programs"] for engine in one["engines"])
        raise FieldError(f"programs in {facts['title']} are written for {engines}, and not for {cord.engine}")
    template = str(program["pooled" if pooled and "pooled" in program else "template"])
    beside = "{user}" in template
    bare, hidden = bared(cord)
    writing = write(bare.copy_with(user=None) if beside else bare, str(program["driver"]))
    variable = variable_of(cord, called)
    values = {"variable": variable, "user": encode(bare.user_name, facts["style"])}
    if writing.arguments is None:
        values["text"] = encode(writing.text.unmask(), facts["style"])
    lines = argument_lines(writing.arguments, language) if writing.arguments is not None else []

    def filled(match: re.Match[str]) -> str:
        return values[match["name"]] if match["name"] else "\n".join(match["indent"] + line for line in lines)

    text = _PLACE.sub(filled, template.lstrip("\n"))
    driver = load_driver(str(program["driver"]).partition("/")[0])
    packages = [f"{manager}: {one}" for manager, one in driver.packages.items()]
    packages += program.get("pooled_packages", []) if pooled else []
    return Emission(
        title=facts["title"],
        id=language,
        text=text,
        file=facts["file"],
        packages=tuple(packages),
        secret=f"the variable {variable}",
        ledger=Ledger((*hidden, *writing.ledger.losses)),
        remark=None if program.get("checked", True) else "this program is written from documentation: it was not run",
    )
