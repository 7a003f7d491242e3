"""``envfile:PATH#NAME``: a variable of a variables file, by the rules of whoever else reads it.

``envfile:PATH?rules=systemd#NAME`` says whose: ``symfony``, ``systemd``, ``container`` (Docker's ``--env-file``) or
``r`` (``.Renviron``); without it what the common loaders agree on. A file is edited so that every other byte stays.
"""

from __future__ import annotations

import os
import re
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import NamedTuple

from ..catalog import find_nearest
from ..errors import FieldError, LocatorError, quoted
from ..lines import DIALECTS, Dialect, encode_value, read_lines
from ..syntax import write_whole
from ..text import decoded
from .files import described
from .locking import locked
from .stores import LARGEST_SECRET, Described, Surroundings

_REST = re.compile(r"(?P<path>[^#?]+)(?:\?rules=(?P<rules>[\w-]+))?(?:#(?P<name>\w*))?")
_RULES = {
    "": "variables",
    "symfony": "symfony-variables",
    "systemd": "systemd-variables",
    "container": "container-variables",
    "r": "r-variables",
}


class _Place(NamedTuple):
    path: Path
    dialect: Dialect
    name: str


class VariablesFiles:
    """Secrets in variables files, several in one."""

    scheme = "envfile"
    writable = True
    expires = False

    def get(self, rest: str, around: Surroundings) -> str:
        """Give the value that a reader gives a name; of equal names the one that it takes."""
        return self.get_together([rest], around)[0]

    def get_together(self, rests: Sequence[str], around: Surroundings) -> list[str]:
        """Give the values of several names; each file is read once."""
        places = [self._place(rest, around) for rest in rests]
        texts = {path: _text(path) for path in dict.fromkeys(place.path for place in places)}
        return [_value(texts[place.path], place) for place in places]

    def put(self, rest: str, secret: str, around: Surroundings) -> None:
        """Put a value in place of the name's, or add a line; what is written is read back first."""
        self.put_together({rest: secret}, around)

    def put_together(self, secrets: Mapping[str, str], around: Surroundings) -> None:
        """Put values in place of several names; each file is written once."""
        places = {self._place(rest, around, named=True): secret for rest, secret in secrets.items()}
        for path in dict.fromkeys(place.path for place in places):
            with locked(path):
                text = _text(path, missing="")
                for place, secret in places.items():
                    if place.path == path:
                        text = _with_value(text, place, secret)
                _write(path, text)

    def drop(self, rest: str, around: Surroundings) -> None:
        """Take the lines of a name out."""
        place = self._place(rest, around, named=True)
        with locked(place.path):
            text = _text(place.path)
            lines = _lines_of(text, place)
            if not lines:
                raise LocatorError(f"envfile: {quoted(place.path)} has no {place.name}")
            for start, end in reversed(lines):
                text = text[:start] + text[end:]
            _write(place.path, text)

    def names(self, rest: str, around: Surroundings) -> list[str]:
        """List the names of a file, each with its path."""
        place = self._place(rest, around)
        return [f"{rest.partition('#')[0]}#{name}" for name in _values(_text(place.path), place.dialect)]

    def describe(self, rest: str, around: Surroundings) -> Described:
        """Tell of the file that has the name."""
        self.get(rest, around)
        found = described(self.scheme, self._place(rest, around).path)
        return found._replace(where=f"{found.where}, {self._place(rest, around).name}")

    def _place(self, rest: str, around: Surroundings, *, named: bool = False) -> _Place:
        match = _REST.fullmatch(rest)
        rules = "" if match is None else match["rules"] or ""
        if match is None or rules not in _RULES or (named and not match["name"]):
            known = ", ".join(one for one in _RULES if one)
            raise LocatorError(f"envfile: wants PATH#NAME, or PATH?rules=RULES#NAME with one of {known}")
        path = (around.folder / Path(match["path"]).expanduser()).resolve()
        return _Place(path, DIALECTS[_RULES[rules]], match["name"] or "")


def _value(text: str, place: _Place) -> str:
    values = _values(text, place.dialect)
    if (value := values.get(place.name)) is not None:
        return value
    if place.name in values:
        raise LocatorError(
            f"envfile: {place.name} in {quoted(place.path)} is filled in when the file is read: it is no secret"
        )
    nearest = find_nearest(place.name, values, most=1)
    hint = f"; it has {nearest[0]}" if nearest else ""
    raise LocatorError(f"envfile: {quoted(place.path)} has no {place.name or 'name behind a #'}{hint}", nearest=nearest)


def _with_value(text: str, place: _Place, secret: str) -> str:
    try:
        return with_variable(text, place.name, secret, place.dialect)
    except FieldError as error:
        raise LocatorError(f"envfile: {quoted(place.path)} cannot hold this secret: {error}") from None


def _values(text: str, dialect: Dialect) -> dict[str, str | None]:
    """The values by name; None for one that is put together when the file is read."""
    made: dict[str, str | None] = {}
    for one in read_lines(text, dialect):
        if one.pair and (dialect.wins == "last" or one.name not in made):
            made[one.name] = one.value
    return made


def _lines_of(text: str, place: _Place) -> list[tuple[int, int]]:
    """The lines that give a name a value, their ends included."""
    found = [one for one in read_lines(text, place.dialect) if one.pair and one.name == place.name]
    return [(text.rfind("\n", 0, one.start) + 1, _end(text, max(one.end, one.last))) for one in found]


def _end(text: str, place: int) -> int:
    end = text.find("\n", place)
    return len(text) if end < 0 else end + 1


def with_variable(text: str, name: str, secret: str, dialect: Dialect) -> str:
    """Give a variables file with a value in place of the one that counts, or in a line of its own at the end.

    Raises
    ------
    FieldError
        Where the dialect cannot hold the value, or the file would not be read with it and all others as before.
    """
    written = encode_value(secret, "plain", dialect)
    found = [one for one in read_lines(text, dialect) if one.pair and one.name == name]
    if found:
        one = found[-1 if dialect.wins == "last" else 0]
        made = text[: one.first] + written + text[one.last :]
    else:
        newline = "\r\n" if "\r\n" in text else "\n"
        head = "" if not text or text.endswith("\n") else newline
        made = f"{text}{head}{name}={written}{newline}"
    if _values(made, dialect) != _values(text, dialect) | {name: secret}:
        raise FieldError("the file would not be read with it: edit it by hand")
    return made


def _text(path: Path, *, missing: str | None = None) -> str:
    try:
        data = path.read_bytes()
    except FileNotFoundError:
        if missing is not None:
            return missing
        raise LocatorError(f"envfile: there is no file {quoted(path)}", path=path) from None
    except OSError as error:
        raise LocatorError(f"envfile: {quoted(path)} cannot be read ({os.strerror(error.errno or 0)})") from None
    text = decoded(data) if len(data) < 16 * LARGEST_SECRET else None
    if text is None or text.encode("utf-8", "surrogateescape") != data:
        raise LocatorError(f"envfile: {quoted(path)} is no variables file in UTF-8, or a very large one", path=path)
    return text


def _write(path: Path, text: str) -> None:
    try:
        path.parent.mkdir(0o700, parents=True, exist_ok=True)
        write_whole(path, text.encode("utf-8", "surrogateescape"), 0o600)
    except (OSError, FieldError) as error:
        why = os.strerror(error.errno or 0) if isinstance(error, OSError) else str(error)
        raise LocatorError(f"envfile: {quoted(path)} cannot be written ({why})", path=path) from None
