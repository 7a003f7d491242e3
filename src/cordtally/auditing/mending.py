"""Makes the edits of findings, each proved before it counts: its finding is gone, none is new, and nothing else means
anything else.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Collection, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from ..errors import CordTallyError
from ..exchange import Reading
from ..model import MaskedText
from ..sweeping.judging import Surroundings
from ..sweeping.texts import Text
from ..syntax import Source
from ..syntax.source import Splice
from ..vetting import Finding, RuleId
from .files import Mendable, vet_in
from .proving import holds, means_the_same, written_in
from .spots import Asked
from .texts import vet_text

_MOST = 100  # edits of one text or file: each is proved by vetting the whole again


@dataclass(frozen=True, slots=True)
class Mended:
    """A text that was mended: as it was and as it is, each showing itself masked, and what was mended."""

    before: MaskedText
    after: MaskedText
    findings: tuple[Finding, ...]
    path: Path | None = None
    line: int | None = None


@dataclass(frozen=True, slots=True)
class MendedFile:
    """A file that was mended: its new bytes, and its texts that changed."""

    path: Path
    source: Source
    data: bytes
    texts: tuple[Mended, ...]

    def apply(self) -> None:
        """Write the file.

        Raises
        ------
        FieldError
            When the file has changed since it was read.
        OSError
            When it cannot be written.
        """
        self.source.replace(self.data)


def mend_text(text: str, *, driver: str | None = None, environment: str | None = None) -> Mended | None:
    """Make the edits that the findings of a text offer; None where none can be made.

    Raises
    ------
    AmbiguousText, TextError
        As `vet_text`.
    """

    def vet(given: str) -> tuple[Sequence[Finding], Reading | None]:
        return vet_text(given, driver=driver, environment=environment)

    first, reading = vet(text)
    now, done = text, list[Finding]()
    found, was = first, reading
    for _ in range(_MOST):
        step = next(_proved(now, found, was, vet), None)
        if step is None:
            break
        one, now, found, was = step
        done.append(one)
    if not done:
        return None
    return Mended(_masked(text, first, reading), _masked(now, found, was), tuple(done))


_Step = tuple[Finding, str, Sequence[Finding], Reading | None]


def _proved(
    text: str,
    found: Sequence[Finding],
    was: Reading | None,
    vet: Callable[[str], tuple[Sequence[Finding], Reading | None]],
) -> Iterator[_Step]:
    """The edits that hold what they promise, each with what comes of it."""
    for one in found:
        if one.edit is None:
            continue
        made = one.edit.applied(text)
        try:
            after, reading = vet(made)
        except CordTallyError:
            continue
        if reading is not None and holds(one, found, was, after, reading):
            yield one, made, after, reading


def _masked(text: str, found: Sequence[Finding], reading: Reading | None) -> MaskedText:
    if reading is not None:
        return MaskedText(text, str(reading.text))
    shown = next((one.shown.text for one in found if one.shown is not None), "***")
    return MaskedText(text, shown)


def mend_file(
    path: Path,
    *,
    driver: str | None = None,
    environment: str | None = None,
    only: Collection[tuple[RuleId, int | None]] | None = None,
) -> MendedFile | None:
    """Make the edits that the findings of a file offer, in place; None where none can be made.

    With ``only`` those of these rules and lines: others are accepted, or not new.

    Every other byte of the file stays as it is. An edit whose characters would have to be written otherwise in the
    string that they stand in is left to a person.

    Raises
    ------
    FieldError
        When the file is no text.
    OSError
        When it cannot be read.
    """
    source = Source.load(path)
    asked, around = Asked(driver=driver, environment=environment), Surroundings(path)

    def vet(characters: str) -> tuple[list[Finding], list[Mendable]]:
        made = vet_in(Text(characters.encode("utf-8", "surrogatepass"), characters), around, path, asked)
        return made.findings, made.mendable

    def wanted(one: Finding) -> bool:
        return one.edit is not None and (only is None or (one.rule, one.line) in only)

    now = source.text
    found, mendable = vet(now)
    texts = list[Mended]()
    for _ in range(_MOST):
        step = next(_proved_in(now, found, _narrowed(mendable, wanted), vet, (driver, environment)), None)
        if step is None:
            break
        mended, now, found, mendable = step
        texts.append(mended)
    if not texts:
        return None
    return MendedFile(path, source, source.spliced([Splice(0, len(source.text), now)]), tuple(texts))


def _narrowed(mendable: Iterable[Mendable], wanted: Callable[[Finding], bool]) -> list[Mendable]:
    return [replace(one, findings=tuple(filter(wanted, one.findings))) for one in mendable]


def _proved_in(
    text: str,
    found: list[Finding],
    mendable: list[Mendable],
    vet: Callable[[str], tuple[list[Finding], list[Mendable]]],
    asked: tuple[str | None, str | None],
) -> Iterator[tuple[Mended, str, list[Finding], list[Mendable]]]:
    old = Counter(each.rule for each in found)
    for each in mendable:
        for one in each.findings:
            edit = None if one.edit is None else written_in(text, each.start, each.end, each.text, one.edit)
            if edit is None or one.edit is None:
                continue
            wanted = one.edit.applied(each.text)
            right = _right(wanted, each, asked)
            if right is None:
                continue
            made = edit.applied(text)
            after, then = vet(made)
            new = Counter(other.rule for other in after)
            stands = any(other.text == wanted and other.start == each.start for other in then)
            if new[one.rule] < old[one.rule] and (not new - old or each.reading is None) and stands:
                shown = _masked(each.text, [one], each.reading), MaskedText(wanted, str(right.text))
                yield Mended(*shown, (one,), each.path, one.line), made, after, then


def _right(text: str, each: Mendable, asked: tuple[str | None, str | None]) -> Reading | None:
    """The reading of a mended text, where it means nothing else than it should."""
    try:
        reading = vet_text(text, driver=asked[0] or each.driver, environment=asked[1])[1]
    except CordTallyError:
        return None
    return reading if reading is not None and means_the_same(each.reading, reading) else None
