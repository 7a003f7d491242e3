"""Fills the template of a block: each value is written for the format, and a line without its value is left out."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from typing import Any

from ..lines import DIALECTS, encode_value
from ..syntax.languages import load_language
from ..syntax.scalars import encode

_PLACE = re.compile(r"\{(\w+)\}")
_ROLES = {"text", "engine_in", "host", "port", "database", "user", "secret", "arguments"}


class Raw(str):
    """An expression of the format, which is written as it is."""

    __slots__ = ()


def template_roles(template: str) -> frozenset[str]:
    """The roles that have a place in a template."""
    return frozenset(_PLACE.findall(template)) & _ROLES


def fill_template(facts: Mapping[str, Any], values: Mapping[str, str], named: Mapping[str, str]) -> str:
    """Write a block.

    Parameters
    ----------
    facts : mapping
        The ``emit`` table of a layout: its template and the style in which values are written.
    values : mapping
        By role; what is `Raw` is written as it is.
    named : mapping
        What the block is called, its environment, the variable of its secret: written as they are.

    Raises
    ------
    FieldError
        When the format cannot hold a value.
    """
    given = dict(values)
    if "password" in given:
        given["secret"] = given.pop("password")
    made, closes = list[str](), False
    for line in str(facts["template"]).lstrip("\n").splitlines(keepends=True):
        roles = [role for role in _PLACE.findall(line) if role in _ROLES]
        if closes:  # of braces in which nothing would stand
            closes = False
            continue
        if any(not given.get(role) for role in roles):
            if "arguments" in roles and made[-1].rstrip().endswith("{"):
                made.pop()
                closes = True
            continue
        if "arguments" in roles:
            indent = line[: len(line) - len(line.lstrip())]
            made += [f"{indent}{one}\n" for one in given["arguments"].splitlines()]
            continue
        made.append(_PLACE.sub(lambda match: _written(match, facts["style"], given, named), line))
    return "".join(made)


def _written(match: re.Match[str], style: str, given: Mapping[str, str], named: Mapping[str, str]) -> str:
    value = given.get(match[1])
    if value is None:
        return named.get(match[1], match[0])
    if isinstance(value, Raw):
        return value
    return encode_value(value, "plain", DIALECTS[style]) if style in DIALECTS else encode(value, style)


def argument_lines(arguments: Mapping[str, Any], language: str) -> list[str]:
    """Write the arguments of a driver as a language does, one a line."""
    entry = str(load_language(language)["named"]["entry"])
    return [entry.format(name=name, value=_literal(value, language)) for name, value in arguments.items()]


def _literal(value: object, language: str) -> str:
    named = load_language(language)["named"]
    if isinstance(value, str):
        return encode(value, language)
    if isinstance(value, Mapping):
        pairs = [named["pair"].format(name=name, value=_literal(one, language)) for name, one in value.items()]
        return str(named["map"]).replace("{pairs}", ", ".join(pairs))
    if value is None or isinstance(value, bool):
        return str(named[{None: "none", True: "true", False: "false"}[value]])
    return repr(value)


def leaves(arguments: Mapping[str, Any], above: tuple[str, ...] = ()) -> Iterator[tuple[tuple[str, ...], object]]:
    """Give arguments by their keys, those within others below these."""
    for key, value in arguments.items():
        if isinstance(value, Mapping):
            yield from leaves(value, (*above, key))
        else:
            yield (*above, key), value
