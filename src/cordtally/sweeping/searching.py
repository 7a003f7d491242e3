"""Sweeps a source tree: walks it, hands its files out to be searched, and puts together what comes back."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import FIRST_COMPLETED, Executor, Future, ProcessPoolExecutor, wait
from contextlib import ExitStack
from dataclasses import replace
from itertools import islice
from pathlib import Path

from ..errors import FieldError
from ..syntax import format_of, walk_names
from ..vetting import Severity
from .accepts import Accepts
from .files import Found, Job, search
from .hits import Hit, Sweep
from .judging import SECRETS
from .versions import changed_lines

_TALLY = "tally.toml"  # tally.FILE_NAME; a sweep without accepts needs nothing else of what that would load
_BATCH = 64  # files that are handed to a worker at once
_ENOUGH = 400  # files from which on workers pay
_SECRET_FORMATS = frozenset(["variables", "r-variables", "passwords", "option-file"])


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
    if len(roots) == 1 and _has_accepts(tally := roots[0] / _TALLY):
        from ..tally import load

        accepts = Accepts(load(tally).accepts, Path(_TALLY))
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
            yield Job(str(root / name), name)


def _is_new(hit: Hit, lines: list[range] | None) -> bool:
    return lines is None or any(hit.line < one.stop and one.start <= hit.end_line for one in lines)


def _jobs(roots: Iterable[Path], result: Sweep, *, several: bool) -> Iterator[Job]:
    for root in roots:
        if not root.is_dir():
            yield Job(str(root), str(root) if several or not root.is_absolute() else root.name)
            continue
        for place, parts, ignored in walk_names(str(root), result.unreadable.append):
            if not ignored or format_of(Path(place)) in _SECRET_FORMATS:
                yield Job(place, place if several else "/".join(parts), ignored)


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
