"""Vets a file or a tree: walks it, hands its files out, and puts together what comes back with what the tally rules."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from concurrent.futures import Executor
from dataclasses import dataclass, field, replace
from functools import partial
from pathlib import Path

from ..config.layouts import has_layout
from ..errors import CordTallyError, FieldError
from ..results import Result
from ..sweeping.files import LARGEST_WHOLE, Found, Job, open_job
from ..sweeping.places import kind_of_place
from ..sweeping.searching import changed_in, is_new
from ..sweeping.working import jobs_changed, jobs_in, work_over
from ..syntax import format_of
from ..tally import FILE_NAME, Tally, load
from ..vetting import Finding, Findings, RuleId, Severity
from ..vetting.findings import finding
from .accepting import Rulings, accepted_in
from .files import is_real_secret, vet_in
from .projects import Gathered, vet_project
from .spots import Asked
from .tallies import vet_tally

_HEAD = 400


@dataclass(slots=True, repr=False)
class Vetted(Result):
    """What vetting a file or a tree came to: findings by file and place, accepted ones apart, what was passed over."""

    _rows = "findings"
    root: Path
    findings: Findings = field(default_factory=Findings)
    accepted: Findings = field(default_factory=Findings)
    files: int = 0
    binary: int = 0
    too_large: list[Path] = field(default_factory=list)
    unreadable: list[Path] = field(default_factory=list)

    def _summary(self) -> str:
        files = f"{self.files:,} file{'' if self.files == 1 else 's'}"
        return f"{self.findings._summary()} in {files} of {self.root}"

    def to_dict(self) -> dict[str, object]:
        """Give ``cordtally/findings/1``, with what else there is to tell of a tree."""
        return {
            **self.findings.to_dict(),
            "accepted": [one.to_dict() for one in self.accepted],
            "files": self.files,
            "not_read": [path.as_posix() for path in [*self.too_large, *self.unreadable]],
        }


@dataclass(slots=True)
class _Part:
    """What some files came to, as a worker gives it back."""

    found: Found = field(default_factory=Found)
    findings: list[Finding] = field(default_factory=list)
    gathered: Gathered = field(default_factory=Gathered)


def vet_tree(
    path: str | Path,
    *,
    driver: str | None = None,
    environment: str | None = None,
    changed_since: str | None = None,
    workers: int | None = None,
    executor: Executor | None = None,
    progress: Callable[[int], None] | None = None,
) -> Vetted:
    """Vet a file as a whole, or a tree.

    In a tree ``.gitignore`` files are honoured, and of tests, documents, samples and comments only secrets are told
    that lead to hosts which look real.

    Parameters
    ----------
    path : str or Path
        A file, a tally, or a folder.
    driver : str, optional
        The driver that texts are for, where they do not tell.
    environment : str, optional
        The environment that is meant; else the names of files and settings tell of production.
    changed_since : str, optional
        A revision of git's: only findings in lines are told that are new since then, and none of the whole project.
    workers, executor, progress
        As `sweep`.

    Raises
    ------
    FieldError
        When a file that is named is no text, or there is no such revision.
    TallyError
        When a tally that is named cannot be used.
    OSError
        When a file that is named cannot be read.
    """
    root = Path(path)
    if not root.exists():
        raise FileNotFoundError(f"{root} does not exist")
    result, whole = Vetted(root), not root.is_dir()
    asked = Asked(driver=driver, environment=environment, everything=whole)
    new = None if changed_since is None else changed_in([root], changed_since)
    jobs = jobs_in([root], result.unreadable, several=whole) if new is None else jobs_changed(root, new)
    gathered, found = Gathered(), list[Finding]()
    for part in work_over(jobs, partial(_vet_jobs, asked=asked), workers, executor):
        result.files += part.found.files
        result.binary += part.found.binary
        result.too_large += part.found.too_large
        result.unreadable += part.found.unreadable
        found += part.findings
        for name in ("hits", "led", "samples"):
            getattr(gathered, name).extend(getattr(part.gathered, name))
        gathered.shown += part.found.shown
        if progress is not None:
            progress(result.files)
    if new is not None:
        found = [one for one in found if is_new(one.line or 1, one.end_line or one.line or 1, _lines(new, one))]
    elif not whole:
        found += vet_project(root, gathered)
    if whole and not result.files:
        large = f"it is larger than {LARGEST_WHOLE >> 20} MiB; a sweep reads it in pieces: cordtally sweep"
        why = large if result.too_large else "it is no text"
        raise FieldError(f"{root} is not vetted: {why}", path=root)
    found = _ruled(found, root, whole=whole, complete=new is None)
    found.sort(key=lambda one: (one.source or "", one.line or 0, one.column or 0, -one.severity.rank))
    result.findings = Findings(one for one in found if one.accepted is None)
    result.accepted = Findings(one for one in found if one.accepted is not None)
    return result


def _lines(new: dict[str, list[range] | None], one: Finding) -> list[range] | None:
    return new.get(Path((one.source or "").partition(": ")[0]).as_posix(), [])


def _ruled(found: list[Finding], root: Path, *, whole: bool, complete: bool) -> list[Finding]:
    """Apply what the tally rules: the one at a tree's top, or the nearest one above a file."""
    tally = _tally_above(root) if whole else _load(root / FILE_NAME)
    if tally is None or not (tally.rulings or tally.accepts):
        return found
    rulings = Rulings(tally, Path() if whole else root)
    return [*rulings.applied(found), *(rulings.unused() if complete and not whole else ())]


def _tally_above(path: Path) -> Tally | None:
    folder = path.resolve().parent
    return next((made for one in (folder, *folder.parents) if (made := _load(one / FILE_NAME)) is not None), None)


def _load(path: Path) -> Tally | None:
    """Load a tally; one that cannot be used rules nothing, and is told of where it is vetted."""
    try:
        return load(path) if path.is_file() else None
    except CordTallyError:
        return None


def _vet_jobs(jobs: list[Job], *, asked: Asked) -> _Part:
    """Vet some files, one after the other; what is run in a worker."""
    part = _Part()
    for job in jobs:
        _vet_job(job, asked, part)
    return part


def _vet_job(job: Job, asked: Asked, part: _Part) -> None:
    opened = open_job(job, part.found, always=_always if not asked.everything else _whatever)
    if opened is None:
        return
    text, stretches, around = opened
    path = around.path
    if format_of(path) == "variables" and kind_of_place(path) == "sample":
        part.gathered.samples.append(path)
    head = text.characters[:_HEAD].splitlines()
    if path.suffix == ".toml" and any(line.replace(" ", "").startswith("tally=") for line in head):
        part.findings += accepted_in(_of_tally(Path(job.place), path, asked), text.characters, path)
        return
    made = vet_in(text, around, Path(job.place), asked, stretches)
    findings = made.findings
    if not asked.everything and kind_of_place(path) != "source":
        findings = [one for one in findings if is_real_secret(one)]
    if not asked.everything:  # an edit may hold a secret, which no process hands to another
        findings = [one if one.edit is None else replace(one, edit=None) for one in findings]
    part.findings += accepted_in(findings, text.characters, path)
    part.gathered.hits += made.hits
    part.gathered.led += made.led


def _always(name: str) -> bool:
    """Whether a file is looked at whatever stands in it: by its name it declares connections."""
    return name == FILE_NAME or has_layout(name)


def _whatever(_: str) -> bool:
    return True


def _of_tally(place: Path, shown: Path, asked: Asked) -> Iterable[Finding]:
    if asked.everything:
        return list(vet_tally(load(place), shown, asked.environment))
    try:
        return list(vet_tally(load(place), shown, asked.environment))
    except CordTallyError as error:
        line, told = error.line or 1, str(error).partition("\n")[0].removeprefix(f"{place}:")
        at = re.match(rf"{line}:(\d+): ?", told)
        message, column = (told[at.end() :], int(at[1])) if at else (told.strip(), 1)
        made = finding(RuleId.CANNOT_BE_READ, message, "see: cordtally show", severity=Severity.ERROR)
        return [replace(made, source=str(shown), line=line, column=column)]
