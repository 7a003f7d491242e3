"""The variables of a process that set fields of a cord: ``CORD_TIDES_HOST`` wins over what the files say.

A variable holds what its field holds: a password's is a locator. An empty one counts as one that is not set. A cord's
part of the name is its own in capitals, all but letters and digits being ``_``.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping

from ..catalog import find_nearest, load_canonical
from ..composing import parse_locator
from ..errors import FieldError, TallyError
from .shape import CORD

_LIST = re.compile(r"\s*,\s*")
_OPTION = "OPTION_"


def prefix_of(cord: str) -> str:
    """How the variables of a cord begin."""
    return f"CORD_{re.sub(r'[^A-Za-z0-9]', '_', cord).upper()}_"


def _fields() -> dict[str, str]:
    """The fields by the end of their variables' names."""
    fields = {name.upper(): name for name in CORD if name != "options"}
    return fields | {f"{_OPTION}{name.upper()}": f"options.{name}" for name in load_canonical()}


def find_clash(cords: Iterable[str]) -> tuple[str, str, str] | None:
    """Two cords and a variable that would set a field of both."""
    fields, seen = _fields(), dict[str, str]()
    by_prefix = sorted((prefix_of(cord), cord) for cord in cords)
    for prefix, cord in by_prefix:
        if prefix in seen:
            return seen[prefix], cord, f"{prefix}HOST"
        for shorter, other in seen.items():
            if prefix.startswith(shorter):
                within = prefix.removeprefix(shorter)
                for name in fields:
                    if name.startswith(within) and name.removeprefix(within) in fields:
                        return other, cord, shorter + name
        seen = {known: one for known, one in seen.items() if prefix.startswith(known)}  # others sort before it
        seen[prefix] = cord
    return None


def read_variables(
    cord: str, cords: Iterable[str], environ: Mapping[str, str]
) -> tuple[dict[str, object], dict[str, str]]:
    """Give the fields that variables set for a cord, and the variable of each, options dotted.

    Raises
    ------
    TallyError
        When a variable begins like this cord's and names no field.
    """
    prefix = prefix_of(cord)
    ours = sorted(name for name, value in environ.items() if name.startswith(prefix) and value)
    if not ours:
        return {}, {}
    longer = tuple(p for other in cords if (p := prefix_of(other)) != prefix and p.startswith(prefix))
    fields, found, origin = _fields(), dict[str, object](), dict[str, str]()
    for name in ours:
        end = name.removeprefix(prefix)
        field = fields.get(end)
        if field is None:
            if name.startswith(longer):
                continue
            nearest = [f"{prefix}{near}" for near in find_nearest(end, fields, most=1)]
            hint = f"; did you mean {nearest[0]}?" if nearest else f"; they are {prefix}HOST and the like"
            message = f"the variable {name} sets no field of the cord {cord}{hint}"
            raise TallyError(message, nearest=tuple(nearest))
        if field == "password":
            _check_locator(name, environ[name])
        origin[field] = name
        if field.startswith("options."):
            options = found.setdefault("options", {})
            assert isinstance(options, dict)
            options[field.partition(".")[2]] = environ[name]
        else:
            found[field] = _LIST.split(environ[name].strip()) if field == "hosts" else environ[name]
    return found, origin


def _check_locator(variable: str, text: str) -> None:
    try:
        parse_locator(text)
    except FieldError as error:
        message = f"variable {variable}: it says where the password is kept, as the field does: {error}"
        raise TallyError(message) from None
