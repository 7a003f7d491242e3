"""Causes: why a dial breaks, by the codes of drivers, protocols and the operating system."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from functools import cache
from typing import Any

from ..errors import UnknownName
from .loading import load_engine, load_raw
from .nearest import find_nearest
from .word_facts import Cause as CauseFacts
from .word_facts import Saying

_USUAL = {
    "place": "…", "limit": "the limit", "level": "it", "user": "…", "database": "…",
    "peer": "another protocol", "engine": "the one that was dialled", "port": "another one", "name": "…",
}  # fmt: skip


class Cause(CauseFacts):
    """A cause, with what can be said of it."""

    def sentence(self, **holes: object) -> str:
        """Give the title as a sentence; holes that are not filled get general words."""
        return _filled(self.title, holes)

    def advice(self, engine: str | None = None, **holes: object) -> str:
        """Give the first thing to do, with what there is to do on an engine."""
        own = self.on.get(engine or "")
        told = _filled(self.do, {**holes, "engine": engine})
        return f"{told}; {own}" if own else told


def _filled(text: str, holes: Mapping[str, object]) -> str:
    told = {name: str(value) for name, value in holes.items() if value not in {None, ""}}
    if "engine" in told:
        engine = load_engine(told["engine"])
        usual = engine.default_port or next(iter(engine.native_ports), _USUAL["port"])
        told["port"] = told.get("port") or str(usual)
        told["engine"] = engine.title
    return text.format_map({**_USUAL, **told}).replace(" (…)", "")


@cache
def load_causes() -> Mapping[str, Cause]:
    """Load all causes, by their ids, in the order of the rungs."""
    return {cause_id: _made(cause_id, entry) for cause_id, entry in load_raw("causes").items()}


def _made(cause_id: str, entry: Mapping[str, Any]) -> Cause:
    words = tuple(Saying(**row) for row in entry.get("words", ()))
    return Cause(**{**entry, "id": cause_id, "words": words})


def load_cause(cause_id: str) -> Cause:
    """Load one cause.

    Raises
    ------
    UnknownName
        When there is no such cause.
    """
    causes = load_causes()
    if cause_id not in causes:
        hint = "cordtally dial --causes lists them"
        raise UnknownName("cause", cause_id, nearest=find_nearest(cause_id, causes), hint=hint)
    return causes[cause_id]


@cache
def _by_code() -> Mapping[str, Cause]:
    return {code: cause for cause in load_causes().values() for code in cause.codes}


def cause_of(*codes: str) -> Cause:
    """Give the cause that the first of some codes leads to that leads anywhere; a family's ``*`` comes last."""
    known = _by_code()
    families = [f"{code.partition(':')[0]}:*" for code in codes]
    return next((known[code] for code in (*codes, *families) if code in known), known["*"])


def cause_by_words(codes: Sequence[str], said: str) -> Cause | None:
    """Give the cause that a server's own message leads to: the whole of it, among those known for the codes."""
    for cause in load_causes().values():
        for saying in cause.words:
            if saying.of in codes and _pattern(saying.says).fullmatch(said.strip()):
                return cause
    return None


@cache
def _pattern(says: str) -> re.Pattern[str]:
    return re.compile(re.escape(says).replace(r"\*", ".*"), re.DOTALL)
