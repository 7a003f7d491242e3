"""Loads a tally: reads its file and the one beside it, and checks all that can be said before a cord is resolved."""

from __future__ import annotations

import re
from dataclasses import replace
from pathlib import Path

from ..catalog import find_nearest, load_driver, load_index
from ..composing import parse_locator
from ..errors import CordTallyError, TallyError
from ..journal import note
from .declared import check_declared
from .files import FILE_NAME, TallyFile, find_tally, local_path, read_file
from .shape import ABOUT, CORD, LOCAL, NAMED, VERSION, VET
from .tally import Accept, Fields, Ruling, Tally
from .texts import read_text
from .variables import find_clash

_NAME = re.compile(r"[A-Za-z][A-Za-z0-9_-]*")


def load(path: str | Path | None = None) -> Tally:
    """Load a tally: the given file, or the nearest ``tally.toml`` upwards; and ``tally.local.toml`` beside it.

    Raises
    ------
    TallyError
        When the file is missing, is no TOML, or holds what a tally must not hold, a bare password above all.
    """
    place = find_tally() if path is None else Path(path)
    if place.is_dir():
        place = place / FILE_NAME
    beside = local_path(place)
    tally = assemble(read_file(place), read_file(beside) if beside.is_file() else None)
    note("tally", "loaded %s: cords %s", place, ", ".join(tally.cords) or "none")
    return tally


def assemble(file: TallyFile, local: TallyFile | None) -> Tally:
    """Make a tally of its files, and check all that can be said before a cord is resolved.

    Raises
    ------
    TallyError
        When a file holds what a tally must not hold.
    """
    files = [file] if local is None else [file, local]
    for one in files:
        _check_file(one, tuple(ABOUT) if one is file else LOCAL)
    check_declared(files)
    cords = dict[str, Fields]()
    for one in files:
        for name, fields in _tables(one, "cords").items():
            cords[name] = {**cords.get(name, {}), **fields}
    environments = dict[str, dict[str, Fields]]()
    for one in files:
        for environment, overlays in _tables(one, "environments").items():
            one.check_keys(f"environments.{environment}", overlays, cords, "cord")
            environments.setdefault(environment, {}).update(overlays)  # type: ignore[arg-type]
    clash = find_clash(cords)
    if clash is not None:
        message = f"the variable {clash[2]} would set a field of {clash[0]} and of {clash[1]}: rename one of them"
        raise file.problem("cords", clash[1], message)
    accepts = {name: _accept(file, name, fields) for name, fields in _tables(file, "accepts").items()}
    rulings = {name: _ruling(file, name, fields) for name, fields in _tables(file, "vet").items()}
    file = replace(file, path=file.path.resolve())
    rotations = _tables(file, "rotations")
    file.check_keys("rotations", rotations, cords, "cord")
    return Tally(file, local, cords, environments, _tables(file, "services"), accepts, rotations, rulings)


def _tables(file: TallyFile, kind: str) -> dict[str, Fields]:
    found = file.raw.get(kind, {})
    return found if isinstance(found, dict) else {}


def _check_file(file: TallyFile, known: tuple[str, ...]) -> None:
    """Check all that can be said of a file without another one."""
    if file.raw.get("tally") != VERSION:
        raise TallyError(
            f"{file.path}:1:1: the first line must be: tally = {VERSION} (the version of this file's format)",
            path=file.path,
            line=1,
        )
    if known is LOCAL and (stray := next((key for key in file.raw if key in ABOUT and key not in LOCAL), None)):
        raise file.problem("", stray, f"[{stray}] belongs into the tally itself: this file is one machine's alone")
    file.check_keys("", file.raw, known, "table")
    if "defaults" in file.raw:
        _check_cord(file, "defaults", file.table("defaults", file.raw["defaults"]))
    for kind in NAMED:
        for name, fields in file.table(kind, file.raw.get(kind, {})).items():
            where = f"{kind}.{name}"
            table = file.table(where, fields)
            if kind != "environments":
                if _NAME.fullmatch(name) is None:
                    raise file.problem(kind, name, f"{name!r} is no name: letters, digits, - and _, a letter first")
                _check_table(file, kind, where, table)
                continue
            for cord, overlay in table.items():
                _check_cord(file, f"{where}.{cord}", file.table(f"{where}.{cord}", overlay))


def _check_table(file: TallyFile, kind: str, where: str, fields: Fields) -> None:
    if kind == "cords":
        _check_cord(file, where, fields)
        return
    file.check_keys(where, fields, NAMED[kind])


def _check_cord(file: TallyFile, layer: str, fields: Fields) -> None:
    file.check_keys(layer, fields, CORD)
    driver = fields.get("driver")
    if driver is not None and str(driver).partition("/")[0] not in load_index()["drivers"]:
        try:
            load_driver(str(driver).partition("/")[0])
        except CordTallyError as error:
            raise file.problem(layer, "driver", str(error), nearest=error.nearest) from None
    password, text = fields.get("password"), fields.get("text")
    if password is not None:
        try:
            parse_locator(str(password))
        except CordTallyError as error:
            raise file.problem(layer, "password", f"password: a tally holds no secrets: {error}") from None
    if text is not None:
        try:
            read_text(str(text), None if driver is None else str(driver), may_hold_secret=False)
        except CordTallyError as error:
            raise file.problem(layer, "text", f"text: {error}") from None


def _accept(file: TallyFile, name: str, fields: Fields) -> Accept:
    layer = f"accepts.{name}"
    for key in ("path", "reason"):
        if not isinstance(fields.get(key), str) or not str(fields[key]).strip():
            first = next(iter(fields), "")
            raise file.problem(layer, first, f"needs a {key}: what may stay, stays for a reason")
    return Accept(str(fields["path"]), str(fields.get("rule", "")), str(fields["reason"]), file.line(layer, ""))


def _ruling(file: TallyFile, name: str, fields: Fields) -> Ruling:
    from ..vetting.ids import RuleId  # few tallies have such a table

    layer = f"vet.{name}"
    known = {rule.value for rule in RuleId}
    if name not in known:
        nearest = find_nearest(name, known)
        hint = f"did you mean {nearest[0]}?" if nearest else "cordtally vet --rules lists them"
        raise file.problem("vet", name, f"there is no rule {name!r}: {hint}", nearest=nearest)
    for key in ("severity", "because"):
        if not isinstance(fields.get(key), str) or not str(fields[key]).strip():
            raise file.problem(layer, next(iter(fields), ""), f"needs a {key}: a rule is changed for a reason")
    words = VET["severity"].words
    if fields["severity"] not in words:
        nearest = find_nearest(str(fields["severity"]), words)
        message = f"severity is one of {', '.join(words)}, not {fields['severity']!r}"
        raise file.problem(layer, "severity", message, nearest=nearest)
    return Ruling(str(fields["severity"]), str(fields["because"]), str(fields.get("path", "")), file.line(layer, ""))
