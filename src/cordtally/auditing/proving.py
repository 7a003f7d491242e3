"""Proves edits: what vetting says of a text before and after one, and how it is written where the text stands."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from ..exchange import Reading
from ..model import Cord, clear
from ..vetting import Edit, Finding

_PARTS = ("engine", "hosts", "database", "user", "password", "authentication", "discovery")
_MOST_PARTS = 2  # of what a text means, one edit may change: a separator that was missing parts one value in two
# what stands for itself in a string of any language or format, or is told by reading the file again
_PLAIN = frozenset("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_.:/=;,&%@ -?")
_GAP = 200  # characters between two pieces of a string that are joined


def holds(one: Finding, before: Sequence[Finding], was: Reading | None, after: Sequence[Finding], now: Reading) -> bool:
    """Whether an edit holds what it promises: its finding is gone, none is new, and nothing else means another thing.

    ``was`` is the reading before, None where nobody read the text, and ``now`` the one after.
    """
    return _removes(one, before, after, unread=was is None) and means_the_same(was, now)


def means_the_same(was: Reading | None, now: Reading) -> bool:
    """Whether two texts mean the same but for what one edit may change."""
    return was is None or _changed(was.cord, now.cord) <= _MOST_PARTS


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


def written_at(raw: str, text: str, offset: int) -> int:
    """Give the place in a string as it is written of a place in its text: quotes and signs between are passed."""
    at = 0
    for character in text[:offset]:
        found = raw.find(character, at, at + _GAP)
        at = found + 1 if found >= 0 else at  # the dollar of what is put in, which the language writes otherwise
    return at


def written_in(characters: str, start: int, end: int, text: str, edit: Edit) -> Edit | None:
    """Give the edit of a text as one of the file that it stands in; None where it is written otherwise there."""
    raw = characters[start:end]
    first, last = written_at(raw, text, edit.start), written_at(raw, text, edit.end)
    new = clear(edit.text)
    if raw[first:last] != text[edit.start : edit.end] or not set(new) <= _PLAIN:
        return None
    return Edit(start + first, start + last, new)
