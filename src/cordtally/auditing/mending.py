"""Makes the edits of findings, each proved before it counts: its finding is gone, none is new, and nothing else means
anything else.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from ..errors import CordTallyError
from ..exchange import Reading
from ..model import Cord, MaskedText, clear
from ..sweeping.judging import Surroundings
from ..sweeping.texts import Text
from ..syntax import Source
from ..syntax.source import Splice
from ..vetting import Edit, Finding
from .files import Asked, Mendable, vet_in
from .texts import vet_text

_MOST = 100  # edits of one text or file: each is proved by vetting the whole again
_PARTS = ("engine", "hosts", "database", "user", "password", "authentication", "discovery")
_MOST_PARTS = 2  # of what a text means, one edit may change: a separator that was missing parts one value in two
# what stands for itself in a string of any language or format, or is told by reading the file again
_PLAIN = frozenset("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_.:/=;,&%@ -?")


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
        if reading is None or not _removes(one, found, after, unread=was is None):
            continue
        if was is None or _changed(was.cord, reading.cord) <= _MOST_PARTS:
            yield one, made, after, reading


def _removes(one: Finding, before: Sequence[Finding], after: Sequence[Finding], *, unread: bool) -> bool:
    """Whether a finding is gone, and none is new; what was hidden behind a text that nobody reads was there before."""
    if unread:
        return one.rule not in {each.rule for each in after}
    old, new = Counter(each.rule for each in before), Counter(each.rule for each in after)
    return new[one.rule] < old[one.rule] and not new - old


def _changed(one: Cord, other: Cord) -> int:
    """How many parts of what two texts mean are not the same."""
    changed: int = sum(getattr(one, part) != getattr(other, part) for part in _PARTS) + (one.tls != other.tls)
    names = {*dict(one.options), *dict(other.options)}
    changed += sum(dict(one.options).get(name) != dict(other.options).get(name) for name in names)
    # an option that nobody knew comes to mean something, or goes
    return changed + max(0, sum(pair not in one.native for pair in other.native))


def _masked(text: str, found: Sequence[Finding], reading: Reading | None) -> MaskedText:
    if reading is not None:
        return MaskedText(text, str(reading.text))
    shown = next((one.shown.text for one in found if one.shown is not None), "***")
    return MaskedText(text, shown)


def mend_file(path: Path, *, driver: str | None = None, environment: str | None = None) -> MendedFile | None:
    """Make the edits that the findings of a file offer, in place; None where none can be made.

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

    now = source.text
    found, mendable = vet(now)
    texts = list[Mended]()
    for _ in range(_MOST):
        step = next(_proved_in(now, found, mendable, vet, (driver, environment)), None)
        if step is None:
            break
        mended, now, found, mendable = step
        texts.append(mended)
    if not texts:
        return None
    return MendedFile(path, source, source.spliced([Splice(0, len(source.text), now)]), tuple(texts))


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
            edit = None if one.edit is None else _written(text, each, one.edit)
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
    if reading is None or each.reading is None:
        return reading
    return reading if _changed(each.reading.cord, reading.cord) <= _MOST_PARTS else None


def _written(text: str, each: Mendable, edit: Edit) -> Edit | None:
    """The edit where the text stands in the file; None where it is written otherwise there."""
    raw = text[each.start : each.end]
    start, end = each.offset(raw, edit.start), each.offset(raw, edit.end)
    new = clear(edit.text)
    if raw[start:end] != each.text[edit.start : edit.end] or not set(new) <= _PLAIN:
        return None
    return Edit(each.start + start, each.start + end, new)
