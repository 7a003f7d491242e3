"""Sweeps a source tree for connection strings and credentials: any text file, honouring .gitignore.

What a candidate looks like is left to ``cordtally.spotting``, the rules' words to ``cordtally.vetting``.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from ..errors import AmbiguousText, TextError
from ..exchange import Reading, read
from ..journal import note
from ..model import MASK
from ..results import Result
from ..spotting import Candidate, spot, telling_lines
from ..syntax import walk
from ..text import decoded, doubtful_spans, encoding_of, mask_spans
from ..vetting import RULES, RuleId, Severity

if TYPE_CHECKING:
    pass

LARGEST_FILE = 4 << 20
_LONGEST_LINE = 20_000
_PROBE = 8192
_CODE_ENDINGS = """
    py pyi js jsx mjs ts tsx java kt scala groovy go rs c h cc cpp hpp cs fs vb rb php pl pm r swift m lua dart ex exs
    erl hs clj sql
"""
_CODE = frozenset(f".{ending}" for ending in _CODE_ENDINGS.split())


@dataclass(frozen=True, slots=True, kw_only=True)
class Hit:
    """One thing that a sweep found; ``line`` and ``column`` count from 1; ``masked`` may be shown, the rest not."""

    path: Path
    line: int
    column: int
    end_column: int
    rule: RuleId
    engine: str | None
    driver: str | None
    masked: str

    @property
    def severity(self) -> Severity:
        """How much it matters."""
        return RULES[self.rule].severity

    def to_dict(self) -> dict[str, object]:
        """Give the hit as plain values."""
        return {
            "path": self.path.as_posix(),
            "line": self.line,
            "column": self.column,
            "end_column": self.end_column,
            "rule": self.rule.value,
            "severity": self.severity.value,
            "engine": self.engine,
            "driver": self.driver,
            "masked": self.masked,
        }


@dataclass(slots=True, repr=False)
class Sweep(Result):
    """The result of a sweep: hits by place, and what was passed over."""

    _rows = "hits"
    root: Path
    hits: list[Hit]
    files: int = 0
    binary: int = 0
    too_large: int = 0
    unreadable: int = 0

    def _summary(self) -> str:
        hits, files = len(self.hits), self.files
        return f"{hits} hit{'' if hits == 1 else 's'} in {files} file{'' if files == 1 else 's'} of {self.root}"

    def to_dict(self) -> dict[str, object]:
        """Give ``cordtally/sweep/1``."""
        return {
            "schema": "cordtally/sweep/1",
            "root": self.root.as_posix(),
            "files": self.files,
            "skipped": {"binary": self.binary, "too_large": self.too_large, "unreadable": self.unreadable},
            "hits": [hit.to_dict() for hit in self.hits],
        }


def sweep(path: str | Path, *more: str | Path, progress: Callable[[int], None] | None = None) -> Sweep:
    """Search a file or a tree, or several of them.

    Parameters
    ----------
    path : str or Path
        A file, or a folder whose ``.gitignore`` files are honoured; version-control folders are never entered, and
        links are not followed.
    more : str or Path
        Further ones. Places of hits begin at the tree where there is one, and at the current folder where there are
        several.
    progress : callable, optional
        Called with the number of files read so far.

    Raises
    ------
    FileNotFoundError
        When there is nothing at a path.
    """
    roots = [Path(path), *map(Path, more)]
    for root in roots:
        if not root.exists():
            raise FileNotFoundError(f"{root} does not exist")
    result = Sweep(Path() if more else roots[0], [])

    def unreadable(folder: Path) -> None:
        result.unreadable += 1

    for root in roots:
        for place in [root] if root.is_file() else walk(root, unreadable):
            text = _text_of(place, result)
            if text is None:
                note("sweeping", "%s: not searched", place)
                continue
            result.files += 1
            result.hits.extend(sweep_text(text, place if more or root.is_file() else place.relative_to(root)))
            if progress is not None:
                progress(result.files)
    return result


def sweep_text(text: str, path: Path) -> Iterator[Hit]:
    """Search one text, line by line."""
    code = path.suffix.lower() in _CODE
    for number, line in telling_lines(text):
        for candidate in spot(line[:_LONGEST_LINE], code=code):
            yield _judge(line, number, candidate, path)


_OF_STATE = {"literal": RuleId.CORD_WITH_PASSWORD, "placeholder": RuleId.CORD_WITH_PLACEHOLDER}


def _judge(line: str, number: int, candidate: Candidate, path: Path) -> Hit:
    text = candidate.text(line)
    rule, engine, driver, masked = RuleId.SECRET_PAIR, None, None, f"{candidate.name}={MASK}"
    if candidate.kind == "cord":
        try:
            reading = read(text)
        except AmbiguousText as error:
            readings = list(_readings(text, error.targets))
            secret = [one for one in readings if one.password_state == "literal"]
            rule = RuleId.CORD_WITH_PASSWORD if secret else RuleId.CORD_UNREADABLE
            shown = [str(one.text) for one in secret or readings]
            masked = min(shown, key=len) if shown else mask_spans(text, doubtful_spans(text))
        except TextError:
            masked = mask_spans(text, doubtful_spans(text))
            user = text.partition("://")[2].rpartition("@")[0]
            rule = RuleId.CORD_WITH_PASSWORD if ":" in user else RuleId.CORD_UNREADABLE
        else:
            engine, driver, masked = reading.cord.engine, reading.driver, str(reading.text)
            rule = _OF_STATE.get(reading.password_state, RuleId.CORD)
    return Hit(
        path=path,
        line=number,
        column=candidate.start + 1,
        end_column=candidate.end + 1,
        rule=rule,
        engine=engine,
        driver=driver,
        masked=masked,
    )


def _readings(text: str, targets: Iterable[str]) -> Iterator[Reading]:
    """A text as each driver reads it; one that refuses it does not count."""
    for target in targets:
        with suppress(TextError):
            yield read(text, driver=target)


def _text_of(place: Path, result: Sweep) -> str | None:
    try:
        with place.open("rb") as stream:
            head = stream.read(_PROBE)
            if encoding_of(head) is None:
                result.binary += 1
                return None
            rest = stream.read(LARGEST_FILE + 1)
    except OSError:
        result.unreadable += 1
        return None
    if len(rest) > LARGEST_FILE:
        result.too_large += 1
        return None
    return decoded(head + rest)
