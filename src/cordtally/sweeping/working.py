"""Which files of a tree are looked at, and how they are handed out: to this process, or in batches to others."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import FIRST_COMPLETED, Executor, Future, wait
from contextlib import ExitStack
from itertools import chain, islice
from pathlib import Path
from typing import TypeVar

from ..syntax import format_of, walk_names
from .files import Job

_BATCH = 64  # files that are handed to a worker at once
_FEW = 8  # files that are worked at between two calls of progress, where no worker is
_ENOUGH = 400  # files from which on workers pay
_SECRET_FORMATS = frozenset(["variables", "r-variables", "passwords", "option-file"])
Done = TypeVar("Done")


def jobs_in(roots: Iterable[Path], unreadable: list[Path], *, several: bool) -> Iterator[Job]:
    """Give the files of trees, without those that version control ignores, except for those that may hold secrets."""
    for root in roots:
        if not root.is_dir():
            yield Job(str(root), str(root) if several or not root.is_absolute() else root.name)
            continue
        for place, parts, ignored in walk_names(str(root), unreadable.append):
            if not ignored or format_of(Path(place)) in _SECRET_FORMATS:
                yield Job(place, place if several else "/".join(parts), ignored)


def jobs_changed(root: Path, names: Iterable[str]) -> Iterator[Job]:
    """Give the files that have changed."""
    for name in sorted(names):
        if (root / name).is_file() and not (root / name).is_symlink():
            yield Job(str(root / name), name)


def work_over(
    jobs: Iterator[Job], work: Callable[[list[Job]], Done], workers: int | None, executor: Executor | None
) -> Iterator[Done]:
    """Work in this process where there is little to do, and in others where there is much."""
    if executor is None:
        count = workers or os.cpu_count() or 1
        first = list(islice(jobs, _ENOUGH if workers is None else 1))
        if count == 1 or len(first) < (_ENOUGH if workers is None else 1):
            everything = chain(first, jobs)
            while batch := list(islice(everything, _FEW)):
                yield work(batch)
            return
        from concurrent.futures import ProcessPoolExecutor  # which loads multiprocessing

        with ExitStack() as stack:
            pool = stack.enter_context(ProcessPoolExecutor(count))
            yield from _spread(chain(first, jobs), work, pool, 2 * count)
        return
    yield from _spread(jobs, work, executor, 64)


def _spread(jobs: Iterator[Job], work: Callable[[list[Job]], Done], executor: Executor, most: int) -> Iterator[Done]:
    """Hand batches out, no more of them at once than are needed: memory does not grow with the tree."""
    waiting = set[Future[Done]]()
    try:
        while batch := list(islice(jobs, _BATCH)):
            waiting.add(executor.submit(work, batch))
            if len(waiting) >= most:
                done, waiting = wait(waiting, return_when=FIRST_COMPLETED)
                yield from (one.result() for one in done)
        for one in waiting:
            yield one.result()
    finally:
        for one in waiting:
            one.cancel()
