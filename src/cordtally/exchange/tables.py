"""Tables of states: which option words mean which TLS level or log-in method, and which words to write for one.

The tables are catalog facts (``tls`` and ``authentication`` of a driver); this module only looks things up in them.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from typing import NamedTuple

from ..catalog import State
from ..model import TlsLevel


class Choice(NamedTuple):
    """The row to write for a wanted meaning, and whether it says exactly that."""

    state: State | None
    meaning: str
    exact: bool


def match_state(states: Sequence[State], words: Mapping[str, str], present: Collection[str]) -> State | None:
    """Find the first row whose words all stand there and whose conditions on other options hold."""
    for state in states:
        for name, word in state.set:
            if words.get(name) != word:
                break
        else:
            if _allows(state, present):
                return state
    return None


def _allows(state: State, present: Collection[str]) -> bool:
    for name in state.given:
        if name not in present:
            return False
    return not any(name in present for name in state.absent) if state.absent else True


def choose_tls(
    states: Sequence[State], default: str | None, level: TlsLevel, present: Collection[str], *, at_once: bool = False
) -> Choice | None:
    """Choose the words for a level, or for the next stronger one; for a weaker one only where nothing else is left.

    ``present`` names the options (certificate files) that will be written anyway. A row that says ``at_once``, too, is
    preferred where that is wanted. None where nothing fits.
    """
    if at_once:
        for state in states:
            if state.at_once and state.meaning == level.value and _allows(state, present):
                return Choice(state, level.value, exact=True)
    stronger = [c for c in TlsLevel if level <= c]
    for candidate in stronger + [c for c in reversed(TlsLevel) if c < level]:
        for state in states:
            if state.meaning == candidate.value and not state.read_only and _allows(state, present):
                return Choice(state, candidate.value, candidate is level)
        if default == candidate.value and match_state(states, {}, present) is None:
            return Choice(None, candidate.value, candidate is level)
    return None


def choose_exactly(states: Sequence[State], meaning: str) -> State | None:
    """Choose the row to write for a meaning that has no stronger neighbour."""
    return next((s for s in states if s.meaning == meaning and not s.read_only), None)
