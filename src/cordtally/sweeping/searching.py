"""Sweeps a source tree: walks it, sifts the bytes of its files, and has judged what is spotted in the few that tell.

What a candidate looks like is left to ``cordtally.spotting``, what it means to ``judging``, the rules' words to
``cordtally.vetting``.
"""

from __future__ import annotations

import os
import re
import stat
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import FIRST_COMPLETED, Executor, Future, ProcessPoolExecutor, wait
from contextlib import ExitStack
from dataclasses import dataclass, field, replace
from itertools import islice
from pathlib import Path
from typing import BinaryIO

from ..errors import FieldError
from ..journal import note
from ..spotting import blocks, sift, spot_file
from ..syntax import format_of, walk
from ..tally import FILE_NAME, load
from ..vetting import Severity
from .accepts import Accepts, accepted_beside
from .declared import Stated, stated_in
from .engines import engine_said
from .hits import Hit, Sweep
from .judging import OF_OTHERS, SECRETS, Surroundings, judge
from .places import kind_of_place, roots_shown
from .texts import Text, text_of
from .versions import changed_lines

LARGEST_FILE = 1 << 30
_WHOLE = 8 << 20  # bytes of a file that is held as a whole; a larger one is searched block by block
_PROBE = 8192
_BATCH = 64  # files that are handed to a worker at once
_ENOUGH = 400  # files from which on workers pay
_NO_DATABASE = frozenset(["redis"])  # nobody calls it "the database"
_DATABASE = re.compile(r"(?:^|[^a-z])(?:db|database)(?![a-z])", re.IGNORECASE)
_NEAR = 2  # lines between a text and a secret that belong together
_SECRET_FORMATS = frozenset(["variables", "r-variables", "passwords", "option-file"])


@dataclass(slots=True)
class Found:
    """What the search of some files came to."""

    hits: list[Hit] = field(default_factory=list)
    files: int = 0
    binary: int = 0
    too_large: list[Path] = field(default_factory=list)
    unreadable: list[Path] = field(default_factory=list)
    shown: list[tuple[Path, str]] = field(default_factory=list)


def sweep(
    path: str | Path,
    *more: str | Path,
    progress: Callable[[int], None] | None = None,
    workers: int | None = None,
    executor: Executor | None = None,
    changed_since: str | None = None,
) -> Sweep:
    """Search a file or a tree, or several of them, for connection strings, secrets and look-ups.

    Parameters
    ----------
    path : str or Path
        A file, or a folder whose ``.gitignore`` files are honoured; version-control folders are never entered, and
        links are not followed. Variables and password files that are ignored are searched, too.
    more : str or Path
        Further ones. Places of hits begin at the tree where there is one, and at the current folder where there are
        several.
    progress : callable, optional
        Called with the number of files read so far.
    workers : int, optional
        How many processes search; as many as there are processors where a tree has many files, if not given.
    executor : concurrent.futures.Executor, optional
        Searches instead of processes of this one's: it sees the same files, under the same paths.
    changed_since : str, optional
        A revision of git's: only lines are told of that are new since then, and files that are not tracked yet. The
        one path is a folder of the working tree.

    Returns
    -------
    Sweep
        The hits by file and place, and which files were passed over.

    Raises
    ------
    FileNotFoundError
        When there is nothing at a path.
    TallyError
        When the tally of the tree cannot be used.
    FieldError
        Where ``changed_since`` is no revision, there is no one folder of a repository, or git is not installed.
    """
    roots = [Path(path), *map(Path, more)]
    for root in roots:
        if not root.exists():
            raise FileNotFoundError(f"{root} does not exist")
    result = Sweep(Path() if more else roots[0])
    new = None if changed_since is None else _changed(roots, changed_since)
    jobs = _jobs(roots, result, several=bool(more)) if new is None else _jobs_changed(roots[0], new)
    shown = list[tuple[Path, str]]()
    for found in _searched(jobs, workers, executor):
        result.files += found.files
        result.binary += found.binary
        result.hits += found.hits
        result.too_large += found.too_large
        result.unreadable += found.unreadable
        shown += found.shown
        if progress is not None:
            progress(result.files)
    hits = _in_sight(result.hits, shown)
    if new is not None:
        hits = [hit for hit in hits if _is_new(hit, new.get(hit.path.as_posix()))]
    if len(roots) == 1 and _has_accepts(tally := roots[0] / FILE_NAME):
        accepts = Accepts(load(tally).accepts, Path(FILE_NAME))
        hits = [*accepts.applied(hits), *(accepts.unused() if new is None else ())]
    hits.sort(key=lambda hit: (hit.path.as_posix(), hit.line, hit.column))
    result.hits = [hit for hit in hits if hit.accepted is None]
    result.accepted = [hit for hit in hits if hit.accepted is not None]
    return result


def _has_accepts(tally: Path) -> bool:
    """Whether a tally accepts anything; one of another kind, or that is broken, is none of a sweep's business."""
    try:
        return b"[accepts." in tally.read_bytes()
    except OSError:
        return False


def _changed(roots: list[Path], revision: str) -> dict[str, list[range] | None]:
    if len(roots) != 1 or not roots[0].is_dir():
        raise FieldError("what has changed is asked of one folder of a repository")
    return changed_lines(roots[0], revision)


def _jobs_changed(root: Path, names: Iterable[str]) -> Iterator[Job]:
    for name in sorted(names):
        if (root / name).is_file() and not (root / name).is_symlink():
            yield Job(root / name, Path(name))


def _is_new(hit: Hit, lines: list[range] | None) -> bool:
    return lines is None or any(hit.line < one.stop and one.start <= hit.end_line for one in lines)


@dataclass(frozen=True, slots=True)
class Job:
    """A file to search: where it is, its path in the tree, and whether version control ignores it."""

    place: Path
    path: Path
    ignored: bool = False


def _jobs(roots: Iterable[Path], result: Sweep, *, several: bool) -> Iterator[Job]:
    for root in roots:
        if not root.is_dir():
            yield Job(root, root if several or not root.is_absolute() else Path(root.name))
            continue
        left_out = list[Path]()
        for place in walk(root, result.unreadable.append, left_out.append):
            for other in left_out:
                if format_of(other) in _SECRET_FORMATS:
                    yield Job(other, other if several else other.relative_to(root), ignored=True)
            left_out.clear()
            yield Job(place, place if several else place.relative_to(root))
        for other in left_out:
            if format_of(other) in _SECRET_FORMATS:
                yield Job(other, other if several else other.relative_to(root), ignored=True)


def _searched(jobs: Iterator[Job], workers: int | None, executor: Executor | None) -> Iterator[Found]:
    """Search in this process where there is little to do, and in others where there is much."""
    if executor is None:
        count = workers or os.cpu_count() or 1
        first = list(islice(jobs, _ENOUGH if workers is None else 1))
        if count == 1 or len(first) < (_ENOUGH if workers is None else 1):
            for job in first:
                yield search([job])
            for job in jobs:
                yield search([job])
            return
        with ExitStack() as stack:
            pool = stack.enter_context(ProcessPoolExecutor(count))
            yield from _spread(_chain(first, jobs), pool, 2 * count)
        return
    yield from _spread(jobs, executor, 64)


def _chain(first: list[Job], others: Iterator[Job]) -> Iterator[Job]:
    yield from first
    yield from others


def _spread(jobs: Iterator[Job], executor: Executor, most: int) -> Iterator[Found]:
    """Hand batches out, no more of them at once than are needed: memory does not grow with the tree."""
    waiting = set[Future[Found]]()
    try:
        while batch := list(islice(jobs, _BATCH)):
            waiting.add(executor.submit(search, batch))
            if len(waiting) >= most:
                done, waiting = wait(waiting, return_when=FIRST_COMPLETED)
                yield from (one.result() for one in done)
        for one in waiting:
            yield one.result()
    finally:
        for one in waiting:
            one.cancel()


def search(jobs: list[Job]) -> Found:
    """Search some files, one after the other; what is run in a worker."""
    found = Found()
    for job in jobs:
        _search_file(job, found)
    return found


def _search_file(job: Job, found: Found) -> None:
    try:
        descriptor = os.open(job.place, os.O_RDONLY | getattr(os, "O_NONBLOCK", 0) | getattr(os, "O_BINARY", 0))
        with os.fdopen(descriptor, "rb", buffering=0) as stream:
            status = os.fstat(descriptor)
            if not stat.S_ISREG(status.st_mode):
                found.unreadable.append(job.path)
                return
            if status.st_size > LARGEST_FILE:
                found.too_large.append(job.path)
                return
            data = _read(stream, min(status.st_size + 1, _WHOLE + 1))
            if len(data) > _WHOLE:
                _search_blocks(job, stream, data, found)
                return
    except OSError:
        note("sweeping", "%s: cannot be read", job.path)
        found.unreadable.append(job.path)
        return
    text = text_of(data)
    if text is None:
        found.binary += 1
        return
    found.files += 1
    found.shown += [(job.path, root) for root in roots_shown(job.path.name, data)]
    around = _surroundings(job, status)
    found.hits += hits_in(text, around)


def _read(stream: BinaryIO, size: int) -> bytes:
    pieces, left = [], size
    while left > 0 and (piece := stream.read(left)):
        pieces.append(piece)
        left -= len(piece)
    return b"".join(pieces)


def _surroundings(job: Job, status: os.stat_result | None = None) -> Surroundings:
    held = job.ignored or format_of(job.path) == "passwords"
    open_to_others = held and status is not None and os.name == "posix" and bool(status.st_mode & 0o044)
    return Surroundings(job.path, ignored=job.ignored, readable_by_others=open_to_others)


def hits_in(text: Text, around: Surroundings) -> list[Hit]:
    """Search one text, whose bytes are sifted first."""
    stretches = sift(text.data) if not _is_all_told(around.path) else [(0, len(text.data))]
    if not stretches:
        return []
    format_name = format_of(around.path)
    spans = text.spans(stretches)
    spots = spot_file(text.characters, around.path, format_name, spans)
    stated = list[Stated]()
    if format_name is not None and any(spot.engine is None and spot.kind != "reference" for spot in spots):
        stated, loaded = stated_in(text.characters, around.path, format_name)
        around = replace(around, engine=loaded)
    if around.engine is None and spots:
        around = replace(around, engine=engine_said(text.characters))
    found = list[Hit]()
    for spot in spots:
        beside = next((one for one in stated if one.start <= spot.start < one.end), None)
        hit = judge(spot, around, text.place(spot.start, spot.end), beside)
        if hit is not None:
            found.append(hit)
    return accepted_beside(_with_engines(found, around), text.characters, around.path)


def _with_engines(hits: list[Hit], around: Surroundings) -> list[Hit]:
    """Give secrets the engine of a text in the same line, or of all texts where a file has those of one alone."""
    texts = [hit for hit in hits if hit.kind == "cord" and hit.engine is not None]
    engines = {hit.engine for hit in hits if hit.engine is not None}
    only = next(iter(engines)) if len(engines) == 1 else None
    if not texts or kind_of_place(around.path) == "test":
        return hits
    made = list[Hit]()
    for hit in hits:
        named = hit.name or ""
        if hit.kind == "pair" and hit.engine is None and not OF_OTHERS.search(named):
            near = sorted((abs(one.line - hit.line), one.engine) for one in texts)[0]
            engine = near[1] if near[0] <= _NEAR else only
            if engine not in _NO_DATABASE or _DATABASE.search(named) is None:
                hit = replace(hit, engine=engine)  # noqa: PLW2901
        made.append(hit)
    return made


def sweep_text(text: str, path: Path) -> list[Hit]:
    """Search one text, as it would stand in a file of that path."""
    return hits_in(Text(text.encode("utf-8", "replace"), text), Surroundings(path))


def _is_all_told(path: Path) -> bool:
    """Whether a file's name tells that each line is a secret: password files, user lists of poolers."""
    return format_of(path) == "passwords" or path.name.casefold() == "userlist.txt"


def _search_blocks(job: Job, stream: BinaryIO, first: bytes, found: Found) -> None:
    """Search a file that is too large to be held: block by block, by its lines."""
    if b"\0" in first[:_PROBE]:
        found.binary += 1
        return
    found.files += 1
    around = _surroundings(job)
    lines, columns = 0, 0  # before the block: whole lines, and characters of the line that it begins in
    for data, kept in blocks(stream, first):
        text = Text(data, data.decode("utf-8", "replace"))
        inner = len(data[:kept].decode("utf-8", "replace"))
        for spot in spot_file(text.characters, job.path, None, text.spans(sift(data))):
            if spot.start >= inner:  # the next block has it whole
                continue
            line, column, end_line, end_column = text.place(spot.start, spot.end)
            place = (
                line + lines,
                column + columns * (line == 1),
                end_line + lines,
                end_column + columns * (end_line == 1),
            )
            if (hit := judge(spot, around, place)) is not None:
                found.hits.append(hit)
        ends = text.characters.count("\n", 0, inner)
        columns = inner - text.characters.rfind("\n", 0, inner) - 1 if ends else columns + inner
        lines += ends


def _in_sight(hits: list[Hit], shown: list[tuple[Path, str]]) -> list[Hit]:
    """Hits of secrets below a folder that a server's configuration in the tree shows are errors."""
    folders = frozenset(part for _, root in shown for part in [root.lstrip("/")] if part)
    if not folders:
        return hits
    made = list[Hit]()
    for hit in hits:
        folder = _shown_above(hit.path, folders) if hit.rule in SECRETS else None
        if folder is not None and hit.severity is not Severity.ERROR:
            hit = replace(hit, severity=Severity.ERROR, reason=f"a secret below {folder}/, which a web server shows")  # noqa: PLW2901
        made.append(hit)
    return made


def _shown_above(path: Path, folders: frozenset[str]) -> str | None:
    """The folder above a file that is the end of one that is shown: what stands before it is another machine's."""
    for depth in range(len(path.parts) - 1, 0, -1):
        here = path.parts[:depth]
        for folder in folders:
            parts = Path(folder).parts
            if here[-len(parts) :] == parts[-len(here) :] and parts[-1] == here[-1]:
                return "/".join(here)
    return None
