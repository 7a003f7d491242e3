"""Vets the files of a project together: names that do not meet, one name for two databases, misplaced files."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field, replace
from pathlib import Path

from ..sweeping.crossing import Slip, cross
from ..sweeping.hits import Hit
from ..sweeping.judging import SECRETS
from ..sweeping.places import kind_of_place, public_folder
from ..sweeping.versions import tracked_in
from ..syntax import format_of
from ..vetting import Finding, RuleId
from ..vetting.findings import finding
from .files import Led

_VARIABLES = frozenset({"variables", "r-variables"})
_SETTING = re.compile(r"(?i)url|uri|dsn|database|conn|db|sqlalchemy")  # names of settings that lead somewhere
_NAME = re.compile(r"^\s*(?:export\s+)?([A-Za-z_]\w*)\s*=", re.MULTILINE)


@dataclass(slots=True)
class Gathered:
    """What the files of a tree told of the project: secrets and look-ups, texts with their names, folders shown."""

    hits: list[Hit] = field(default_factory=list)
    led: list[Led] = field(default_factory=list)
    shown: list[tuple[Path, str]] = field(default_factory=list)
    samples: list[Path] = field(default_factory=list)


def vet_project(root: Path, gathered: Gathered) -> Iterator[Finding]:
    """Vet what the files of a tree tell together."""
    yield from _other_databases(gathered.led)
    used = _used(gathered.hits)
    if used:
        yield from (_of_slip(slip) for slip in cross(root, used) if slip.nearest and _is_slip(slip))
        yield from _samples(root, gathered.samples, used)
    yield from _variables_files(root, gathered)


def _used(hits: Iterable[Hit]) -> dict[str, tuple[str, int]]:
    used: dict[str, tuple[str, int]] = {}
    for hit in hits:
        if hit.kind == "reference" and hit.name is not None and kind_of_place(hit.path) == "source":
            used.setdefault(hit.name, (hit.path.as_posix(), hit.line))
    return used


def _other_databases(led: Iterable[Led]) -> Iterator[Finding]:
    """One name in one folder that leads to two places."""
    seen: dict[tuple[str, Path, str | None], Led] = {}
    for one in sorted(led, key=lambda each: (each.path.as_posix(), each.line)):
        if kind_of_place(one.path) != "source" or _SETTING.search(one.name) is None or "<" in one.target[1]:
            continue
        first = seen.setdefault((one.name, one.path.parent, one.environment), one)
        if first.path != one.path and first.target != one.target:
            there = f"{first.path.as_posix()}:{first.line}"
            message = f"{one.name} leads to {_said(one)} here, and to {_said(first)} in {there}"
            made = finding(RuleId.OTHER_DATABASE, message, "let one file say it, or give the two their own names")
            yield replace(made, source=str(one.path), line=one.line, column=one.column)


def _said(one: Led) -> str:
    _, hosts, database = one.target
    return f"{hosts}/{database}" if database != "None" else hosts


def _is_slip(slip: Slip) -> bool:
    """Whether two names are so near that one was meant: the same but for case and underscores, or one letter apart."""
    one, other = slip.name.casefold().replace("_", ""), (slip.nearest or "").casefold().replace("_", "")
    if one == other:
        return True
    if abs(len(one) - len(other)) > 1 or min(len(one), len(other)) < 6 or one[-1:].isdigit() or other[-1:].isdigit():
        return False
    start = next((n for n, (a, b) in enumerate(zip(one, other)) if a != b), min(len(one), len(other)))
    return (
        one[start + 1 :] == other[start + 1 :] or one[start:] == other[start + 1 :] or one[start + 1 :] == other[start:]
    )


def _of_slip(slip: Slip) -> Finding:
    told = "is looked up, and no file gives it" if slip.kind == "not given" else "is given, and nothing looks it up"
    made = finding(RuleId.NAMES_DO_NOT_MEET, f"{slip.name} {told}", f"did you mean {slip.nearest}?")
    return replace(made, source=slip.path, line=slip.line, column=1)


def _samples(root: Path, samples: Iterable[Path], used: dict[str, tuple[str, int]]) -> Iterator[Finding]:
    """The look-ups of the programs below a sample's folder that the sample does not name."""
    for sample in samples:
        try:
            names = set(_NAME.findall((root / sample).read_text("utf-8", "replace")))
        except OSError:
            continue
        for name, (path, line) in used.items():
            below = sample.parent == Path() or sample.parent in Path(path).parents
            if below and name not in names:
                message = f"{name} is missing, which {path}:{line} looks up"
                made = finding(RuleId.SAMPLE_LACKS_NAME, message, f"add a line: {name}=")
                yield replace(made, source=str(sample), line=1, column=1)


def _variables_files(root: Path, gathered: Gathered) -> Iterator[Finding]:
    """Variables files with secrets that version control keeps, or that a web server shows."""
    firsts: dict[Path, Hit] = {}
    for hit in gathered.hits:
        if hit.rule in SECRETS and format_of(hit.path) in _VARIABLES and kind_of_place(hit.path) == "source":
            firsts.setdefault(hit.path, hit)
    if not firsts:
        return
    tracked = tracked_in(root, firsts) if root.is_dir() else set[Path]()
    folders = {Path(folder.lstrip("/")).name for _, folder in gathered.shown} - {""}
    for path, hit in firsts.items():
        if path in tracked:
            hint = "take it out of version control (git rm --cached), ignore it, and change its secrets"
            made = finding(RuleId.VARIABLES_FILE_TRACKED, "version control keeps this file, with a secret in it", hint)
            yield replace(made, source=str(path), line=hit.line, column=hit.column)
        folder = public_folder(path) or next((part for part in path.parts[:-1] if part in folders), None)
        if folder is not None:
            hint = "move it out of the folder, and change its secrets if the server ran with it"
            message = f"a web server shows what is below {folder}/"
            made = finding(RuleId.VARIABLES_FILE_SHOWN, message, hint)
            yield replace(made, source=str(path), line=hit.line, column=hit.column)
