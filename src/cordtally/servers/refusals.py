"""Refusals: what a server or its driver refused, as a cause of the catalog that its code leads to."""

from __future__ import annotations

from typing import Any

from ..catalog.causes import Cause, cause_by_words, cause_of
from ..deadline import Deadline
from ..model import Cord


class Refusal(Exception):
    """A server, or its driver, refused; ``cause`` and ``hint`` are our own words, and quote nothing that it said.

    ``code`` is the server's own number for it, where it gives one: an SQLSTATE, or MySQL's error; ``known`` is the
    cause of the catalog; of ``credentials`` are refusals that lie with user and password.
    """

    def __init__(self, cause: str, hint: str, *, code: str | None = None, known: Cause | None = None) -> None:
        super().__init__(cause)
        self.cause, self.hint, self.code, self.known = cause, hint, code, known

    @property
    def database(self) -> bool:
        """Whether the log-in itself held, and the database did not."""
        return self.known is not None and self.known.rung == "database"

    @property
    def credentials(self) -> bool:
        """Whether it is user and password that the server does not accept."""
        return self.known is not None and self.known.credentials


def refusal_of(*codes: str, engine: str, code: str | None = None, said: str | None = None, **holes: object) -> Refusal:
    """Make the refusal that codes lead to: the first one that leads anywhere.

    Parameters
    ----------
    codes : str
        As the catalog's causes have them, like ``sqlstate:28P01``; the most telling one first.
    engine : str
        The engine, for what to do on it.
    code : str, optional
        The server's own number.
    said : str, optional
        The server's own message: only held against the words that the catalog knows for these codes.
    holes : object
        What fills the holes of the cause's title.
    """
    known = cause_by_words(codes, said) if said is not None else None
    known = known or cause_of(*codes)
    if known.id == "not-known" and "name" not in holes and code is not None:
        holes = {**holes, "name": code}
    return Refusal(known.sentence(engine=engine, **holes), known.advice(engine, **holes), code=code, known=known)


def holes_of(cord: Cord | None) -> dict[str, Any]:
    """What fills the holes of a title, as a cord has it."""
    if cord is None:
        return {}
    place = ", ".join(map(str, cord.hosts)) or None
    return {"user": cord.user_name, "database": cord.database, "place": place}


def no_answer(deadline: Deadline, engine: str, rung: str = "answer", **holes: Any) -> Refusal:  # noqa: ANN401
    """Make the refusal of a server that takes the connection and is silent."""
    return refusal_of(f"timeout:{rung}", engine=engine, limit=f"{deadline.seconds:g} s", **holes)
