"""Searches single files: sifts their bytes, and has judged what is spotted in the few that tell.

What a candidate looks like is left to ``cordtally.spotting``, what it means to ``judging``, the rules' words to
``cordtally.vetting``.
"""

from __future__ import annotations

import os
import re
import stat
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TYPE_CHECKING, BinaryIO, NamedTuple

from ..journal import note
from ..spotting import Spot, Stretch, blocks, sift, spot_file
from ..syntax import format_of, language_facts
from ..vetting.accepting import SIGN
from .accepts import accepted_beside
from .engines import engine_said
from .hits import Hit
from .judging import OF_OTHERS, Surroundings, judge
from .places import kind_of_place, roots_shown
from .texts import Text, text_of

if TYPE_CHECKING:
    from .declared import Stated

LARGEST_FILE = 1 << 30
LARGEST_WHOLE = 8 << 20  # bytes of a file that is held as a whole; a larger one is searched block by block
_PROBE = 8192
_NO_DATABASE = frozenset(["redis"])  # nobody calls it "the database"
_DATABASE = re.compile(r"(?:^|[^a-z])(?:db|database)(?![a-z])", re.IGNORECASE)
_SHORT = 4 << 10  # bytes of a program that is looked through for the engine that it says it is for
_NEAR = 2  # lines between a text and a secret that belong together
_OPEN = os.O_RDONLY | getattr(os, "O_NONBLOCK", 0) | getattr(os, "O_BINARY", 0)
_ALL_TOLD = ("pgpass", "pgpass.conf", "userlist.txt")  # ends of names of files in which each line is a secret


class Job(NamedTuple):
    """A file to search: where it is, its path in the tree, and whether version control ignores it."""

    place: str
    path: str
    ignored: bool = False


@dataclass(slots=True)
class Found:
    """What the search of some files came to."""

    hits: list[Hit] = field(default_factory=list)
    files: int = 0
    binary: int = 0
    too_large: list[Path] = field(default_factory=list)
    unreadable: list[Path] = field(default_factory=list)
    shown: list[tuple[Path, str]] = field(default_factory=list)


def search(jobs: list[Job]) -> Found:
    """Search some files, one after the other; what is run in a worker."""
    found = Found()
    for job in jobs:
        _search_file(job, found)
    return found


def _search_file(job: Job, found: Found) -> None:
    """Search one file. Most have nothing to tell: for them no more is done than must be."""
    opened = open_job(job, found, blocks_too=True)
    if opened is not None:
        text, stretches, around = opened
        found.hits += hits_in(text, around, stretches)


def open_job(
    job: Job, found: Found, *, blocks_too: bool = False, always: Callable[[str], bool] | None = None
) -> tuple[Text, list[Stretch] | None, Surroundings] | None:
    """Read one file, and sift it; None where it has nothing to tell, or is counted in ``found`` as what it is.

    One that is too large to be held is searched block by block, with ``blocks_too``, and else passed over as too
    large. A name for which ``always`` is true is given whatever it has to tell.
    """
    try:
        descriptor = os.open(job.place, _OPEN)
        try:
            status = os.fstat(descriptor)
            if not stat.S_ISREG(status.st_mode):
                found.unreadable.append(Path(job.path))
                return None
            if status.st_size > LARGEST_FILE:
                found.too_large.append(Path(job.path))
                return None
            data = _read(descriptor, min(status.st_size, LARGEST_WHOLE) + 1)
            if len(data) > LARGEST_WHOLE:
                if not blocks_too:
                    found.too_large.append(Path(job.path))
                    return None
                with os.fdopen(os.dup(descriptor), "rb", buffering=0) as stream:
                    _search_blocks(job, stream, data, found)
                return None
        finally:
            os.close(descriptor)
    except OSError:
        note("sweeping", "%s: cannot be read", job.path)
        found.unreadable.append(Path(job.path))
        return None
    name = job.path.rpartition("/")[2]
    if roots := roots_shown(name, data):
        found.shown += [(Path(job.path), root) for root in roots]
    plain = b"\0" not in data[:_PROBE] and data[:1] not in {b"\xef", b"\xff", b"\xfe"}
    stretches = sift(data) if plain else None
    wanted = name.casefold().endswith(_ALL_TOLD) or (always is not None and always(name))
    if stretches == [] and not wanted:
        found.files += 1
        return None
    text = text_of(data)
    if text is None:
        found.binary += 1
        return None
    found.files += 1
    return text, stretches if text.data is data else None, _surroundings(job, status)


def _read(descriptor: int, size: int) -> bytes:
    """Read as much of a file as there is, or as is asked for."""
    data = os.read(descriptor, size)
    if len(data) >= size - 1 or not data:  # all that it had when it was opened
        return data
    pieces, left = [data], size - len(data)
    while left > 0 and (piece := os.read(descriptor, left)):
        pieces.append(piece)
        left -= len(piece)
    return b"".join(pieces) if len(pieces) > 1 else data


def _surroundings(job: Job, status: os.stat_result | None = None) -> Surroundings:
    path = Path(job.path)
    held = job.ignored or format_of(path) == "passwords"
    open_to_others = held and status is not None and os.name == "posix" and bool(status.st_mode & 0o044)
    return Surroundings(path, ignored=job.ignored, readable_by_others=open_to_others)


def judged_in(
    text: Text, around: Surroundings, stretches: list[Stretch] | None = None
) -> tuple[list[tuple[Spot, Hit | None]], Surroundings]:
    """Search one text, whose bytes are sifted first, unless that was done; give what was spotted with what it comes to,
    if anything, and what the file tells of itself.
    """
    if around.path.name.casefold().endswith(_ALL_TOLD):
        stretches = [Stretch(0, len(text.data))]
    elif stretches is None:
        stretches = sift(text.data)
    if not stretches:
        return [], around
    format_name = format_of(around.path)
    spots = spot_file(text.characters, around.path, format_name, text.spans(stretches))
    stated: list[Stated] = []
    by_layout = True
    unknown = [spot for spot in spots if spot.engine is None and spot.kind != "reference"]
    if format_name is not None and unknown:
        from ..config.layouts import has_layout
        from .declared import stated_in

        # in a program that is no framework's, what stands beside a string tells as much
        by_layout = language_facts(format_name).get("kind") != "code" or has_layout(around.path.name)
        stated, loaded = stated_in(text.characters, around.path, format_name, by_layout=by_layout)
        around = replace(around, engine=loaded)
    if around.engine is None and unknown and (by_layout or len(text.data) < _SHORT):
        around = replace(around, engine=engine_said(text.characters))
    found = list[tuple[Spot, Hit | None]]()
    for spot in spots:
        beside = next((one for one in stated if one.start <= spot.start < one.end), None)
        found.append((spot, judge(spot, around, text.place(spot.start, spot.end), beside)))
    return found, around


def hits_in(text: Text, around: Surroundings, stretches: list[Stretch] | None = None) -> list[Hit]:
    """Search one text for hits, those that are accepted beside their lines among them."""
    found, around = judged_in(text, around, stretches)
    if not found and SIGN.encode() not in text.data:
        return []
    return accepted_beside(
        _with_engines([hit for _, hit in found if hit is not None], around), text.characters, around.path
    )


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
        for spot in spot_file(text.characters, Path(job.path), None, text.spans(sift(data))):
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
