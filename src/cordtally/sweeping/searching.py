"""Sweeps a source tree: walks it, hands its files out to be searched, and puts together what comes back."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Executor
from dataclasses import replace
from pathlib import Path

from ..errors import FieldError
from ..vetting import Severity
from .accepts import Accepts
from .files import search
from .hits import Hit, Sweep
from .judging import SECRETS
from .versions import changed_lines
from .working import jobs_changed, jobs_in, work_over

_TALLY = "tally.toml"  # tally.FILE_NAME; a sweep without accepts needs nothing else of what that would load


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
    new = None if changed_since is None else changed_in(roots, changed_since)
    jobs = jobs_in(roots, result.unreadable, several=bool(more)) if new is None else jobs_changed(roots[0], new)
    shown = list[tuple[Path, str]]()
    for found in work_over(jobs, search, workers, executor):
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
        hits = [hit for hit in hits if is_new(hit.line, hit.end_line, new.get(hit.path.as_posix()))]
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


def changed_in(roots: list[Path], revision: str) -> dict[str, list[range] | None]:
    """Give the new lines of one folder of a repository.

    Raises
    ------
    FieldError
        For anything but one folder, or as `changed_lines`.
    """
    if len(roots) != 1 or not roots[0].is_dir():
        raise FieldError("what has changed is asked of one folder of a repository")
    return changed_lines(roots[0], revision)


def is_new(first: int, last: int, lines: list[range] | None) -> bool:
    """Whether some of these lines are among the new ones; None stands for a file that is new as a whole."""
    return lines is None or any(first < one.stop and one.start <= last for one in lines)


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
