"""Secrets that ever stood in a repository: which commit brought each, which took it away, and who wrote them.

Taking a secret out of a file takes it out of no clone: what is listed here has to be changed at its server.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path

from ..errors import FieldError
from ..results import Result
from .files import hits_in
from .hits import Hit
from .judging import SECRETS, Surroundings
from .texts import text_of
from .versions import Change, Commit, changes, contents, names_at, top_of

_LARGEST = 8 << 20  # bytes of a content that is searched


@dataclass(frozen=True, slots=True, kw_only=True)
class Past:
    """One secret of a history: the hit where it was seen first, the commits that brought it and took it away.

    ``stands`` says whether it still does: ``here``, in the commit that is checked out, ``elsewhere``, in another
    branch, or ``nowhere``; then ``went`` is the commit that took it away. ``paths`` are all files that it stood in.
    """

    hit: Hit
    came: Commit
    went: Commit | None
    stands: str
    paths: tuple[str, ...]

    def to_dict(self) -> dict[str, object]:
        """Give it as plain values."""
        return {
            **self.hit.to_dict(),
            "came": self.came._asdict(),
            "went": None if self.went is None else self.went._asdict(),
            "stands": self.stands,
            "paths": list(self.paths),
        }


@dataclass(slots=True, repr=False)
class History(Result):
    """The secrets of a repository's history, the oldest first."""

    _rows = "secrets"
    root: Path
    secrets: list[Past] = field(default_factory=list)
    commits: int = 0
    contents: int = 0
    too_large: int = 0

    def _summary(self) -> str:
        return f"{len(self.secrets)} secrets in {self.commits} commits of {self.root}"

    def to_dict(self) -> dict[str, object]:
        """Give ``cordtally/history/1``."""
        return {
            "schema": "cordtally/history/1",
            "root": self.root.as_posix(),
            "commits": self.commits,
            "contents": self.contents,
            "too_large": self.too_large,
            "secrets": [past.to_dict() for past in self.secrets],
        }


def sweep_history(
    path: str | Path,
    *revisions: str,
    resume: str | Path | None = None,
    progress: Callable[[int], None] | None = None,
) -> History:
    """Search every content that the commits of a repository brought, each one once.

    Parameters
    ----------
    path : str or Path
        A folder of the working tree.
    revisions : str
        Which commits, as git names them: ``v1.0..main``; those of all branches and tags, if none are given.
    resume : str or Path, optional
        A file that keeps the names of contents without a secret, so that a search that was broken off, or is done
        again after new commits, need not search them again. It holds nothing else.
    progress : callable, optional
        Called with the number of contents searched so far.

    Raises
    ------
    FieldError
        Where the folder is in no repository, a revision is none, or git is not installed.
    OSError
        Where ``resume`` cannot be read or written.
    """
    if bad := next((one for one in revisions if one.startswith("-")), None):
        raise FieldError(f"{bad!r} is no revision")
    top = top_of(Path(path))
    result, clean = History(top), _Clean(resume)
    done = list(_done(top, revisions, result))
    paths: dict[str, Path] = {}
    for change in done:
        if change.came is not None:
            paths.setdefault(change.came, Path(change.path))
    hits: dict[str, list[Hit]] = {}
    salt = os.urandom(32)
    with clean:
        for name, data in contents(top, [one for one in paths if one not in clean], _LARGEST):
            result.contents += 1
            result.too_large += data is None
            text = None if data is None else text_of(data)
            found = [] if text is None else hits_in(text, Surroundings(paths[name], salt=salt))
            hits[name] = [hit for hit in found if hit.rule in SECRETS and hit.accepted is None]
            if not hits[name] and data is not None:
                clean.add(name)
            if progress is not None:
                progress(result.contents)
    here = {hit.mark for name in names_at(top) for hit in hits.get(name, [])}
    result.secrets = list(_pasts(done, hits, here))
    return result


def _done(top: Path, revisions: tuple[str, ...], result: History) -> Iterator[Change]:
    commits = set[str]()
    for change in changes(top, *revisions):
        commits.add(change.commit.name)
        yield change
    result.commits = len(commits)


def _pasts(done: list[Change], hits: dict[str, list[Hit]], here: set[bytes]) -> Iterator[Past]:
    """Follow each secret through the commits: the places where it stands at a time, and when the last one went."""
    first: dict[bytes, tuple[Hit, Commit]] = {}
    places: dict[bytes, dict[str, None]] = {}
    standing: dict[bytes, set[str]] = {}
    went: dict[bytes, Commit] = {}
    for change in done:
        before = {hit.mark for hit in hits.get(change.went or "", [])}
        now = {hit.mark: hit for hit in hits.get(change.came or "", [])}
        for mark, hit in now.items():
            first.setdefault(mark, (hit, change.commit))
            places.setdefault(mark, {})[change.path] = None
            standing.setdefault(mark, set()).add(change.path)
            went.pop(mark, None)
        for mark in before - now.keys():
            standing.setdefault(mark, set()).discard(change.path)
            if not standing[mark]:
                went[mark] = change.commit
    for mark, (hit, commit) in first.items():
        gone = None if mark in here else went.get(mark)
        stands = "here" if mark in here else "elsewhere" if gone is None else "nowhere"
        yield Past(hit=hit, came=commit, went=gone, stands=stands, paths=tuple(places[mark]))


class _Clean:
    """The names of contents without a secret, kept in a file from one search to the next."""

    def __init__(self, place: str | Path | None) -> None:
        self.place = None if place is None else Path(place)
        self.names = set[str]()
        if self.place is not None and self.place.exists():
            self.names = set(self.place.read_text("ascii").split())

    def __enter__(self) -> _Clean:
        self.stream = None if self.place is None else self.place.open("a", encoding="ascii")
        return self

    def __exit__(self, *_: object) -> None:
        if self.stream is not None:
            self.stream.close()

    def __contains__(self, name: str) -> bool:
        return name in self.names

    def add(self, name: str) -> None:
        if self.stream is not None:
            self.stream.write(f"{name}\n")
