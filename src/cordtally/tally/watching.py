"""Watches the files of a tally: what changes is read and handed over; of a broken edit the one before is kept."""

from __future__ import annotations

import logging
import threading
from collections.abc import AsyncIterator, Callable, Iterable
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from types import TracebackType
from typing import TYPE_CHECKING, Any

from ..errors import CordTallyError, MissingExtra
from .files import local_path
from .loading import load
from .tally import Tally

if TYPE_CHECKING:
    import asyncio

_PAUSE = 100  # milliseconds that must be quiet after a change: editors write a file in several steps


@dataclass(frozen=True, slots=True)
class TallyChange:
    """What an edit came to: the tally as it is now, the cords that were added, dropped or changed; or the problem.

    With a ``problem`` the tally is the one before.
    """

    tally: Tally
    added: tuple[str, ...] = ()
    dropped: tuple[str, ...] = ()
    changed: tuple[str, ...] = ()
    problem: CordTallyError | None = None


class Watching:
    """A tally that is watched by a thread of its own, until it is stopped; ``tally`` is always the last good one."""

    def __init__(self, tally: Tally, callback: Callable[[TallyChange], None]) -> None:
        self._reader, self._callback = _Reader(tally), callback
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name=f"watching {tally.path.name}", daemon=True)
        self._watch = _watchfiles().watch
        self._thread.start()

    @property
    def tally(self) -> Tally:
        """The tally as it was read last without a problem."""
        return self._reader.tally

    def stop(self) -> None:
        """Watch no longer."""
        self._stop.set()
        if threading.current_thread() is not self._thread:
            self._thread.join()

    def __enter__(self) -> Watching:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.stop()

    def _run(self) -> None:
        for _ in self._watch(
            self._reader.folder,
            watch_filter=self._reader.concerns,
            stop_event=self._stop,
            recursive=False,
            step=_PAUSE,
            rust_timeout=500,
            yield_on_timeout=True,  # a change between loading and watching is seen, too
            raise_interrupt=False,
        ):
            change = self._reader.look()
            if change is None:
                continue
            try:
                self._callback(change)
            except Exception:  # of whoever is told: the next change is theirs, too
                logging.getLogger("cordtally.tally").exception("what was told of a change of the tally failed")


async def watch_async(tally: Tally, stop: asyncio.Event | None = None) -> AsyncIterator[TallyChange]:
    """Give what changes, as it changes, until ``stop`` is set or the task is cancelled.

    Raises
    ------
    MissingExtra
        When watchfiles is not installed.
    """
    reader = _Reader(tally)
    async for _ in _watchfiles().awatch(
        reader.folder,
        watch_filter=reader.concerns,
        stop_event=stop,
        recursive=False,
        step=_PAUSE,
        rust_timeout=500,
        yield_on_timeout=True,
    ):
        change = reader.look()
        if change is not None:
            yield change


class _Reader:
    """Reads a tally again where its files are others."""

    def __init__(self, tally: Tally) -> None:
        self.tally, self.folder = tally, tally.folder
        self._names = {tally.path.name, local_path(tally.path).name}
        self._seen = [file.data for file in tally.files]  # what was loaded: an edit since then is a change

    def concerns(self, _: Any, path: str) -> bool:  # noqa: ANN401 -- watchfiles' kind of change
        """Whether a file is one of the tally's."""
        return Path(path).name in self._names

    def look(self) -> TallyChange | None:
        """What is other than before; None where nothing is."""
        now = self._bytes()
        if now == self._seen:
            return None
        self._seen = now
        try:
            made = load(self.tally.path)
        except CordTallyError as error:
            return TallyChange(self.tally, problem=error)
        before, self.tally = self.tally, made
        return _compared(before, made)

    def _bytes(self) -> list[bytes]:
        found = []
        for path in (self.tally.path, local_path(self.tally.path)):
            with suppress(OSError):
                found.append(path.read_bytes())
        return found


def _compared(before: Tally, now: Tally) -> TallyChange:
    names = dict.fromkeys([*before.names(), *now.names()])
    return TallyChange(
        now,
        tuple(name for name in names if name not in before.names()),
        tuple(name for name in names if name not in now.names()),
        tuple(
            name
            for name in names
            if name in before.names() and name in now.names() and _stated(before, name) != _stated(now, name)
        ),
    )


def _stated(tally: Tally, name: str) -> list[object]:
    """All that the files say of a cord, and of what its locators may name."""
    found = list[object]()
    for file in tally.files:
        raw = file.raw
        found += [raw.get("defaults"), _in(raw.get("cords"), name)]
        environments = raw.get("environments")
        found += [_in(_in(environments, one), name) for one in _keys(environments)]
        found += [raw.get(kind) for kind in ("commands", "remotes", "brokers")]
    return [one for one in found if one is not None]


def _keys(table: object) -> Iterable[str]:
    return sorted(table) if isinstance(table, dict) else ()


def _in(table: object, key: str) -> object:
    return table.get(key) if isinstance(table, dict) else None


def _watchfiles() -> Any:  # noqa: ANN401 -- of a package that need not be there
    try:
        import watchfiles
    except ImportError:
        raise MissingExtra("watchfiles", "secrets", "watching a tally") from None
    return watchfiles
