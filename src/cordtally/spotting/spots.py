"""What was spotted in a file: a place and a shape, what it is called and what it is given to."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class Spot:
    """One place in a file: a ``cord``, the secret value of a name (``pair``), or a look-up (``reference``).

    ``text`` is what stands there, with ``${name}`` for what is put in when the program runs; it may hold a secret.
    ``names`` lead to it; a pair's ``name`` says what it is the value of; ``engine`` is what the place alone tells,
    ``driver`` that of the call.
    ``call`` is what it is an argument of, at ``place`` among all that is ``given``; ``beside`` is what else tells of
    it: what stands before it in its line, or is said beside it of the engine. What is ``told`` is one by its place.
    ``how`` it was spotted: in ``a string``, ``an argument``, ``a comment``, ``a line``, or as ``base64``.
    """

    kind: str
    start: int
    end: int
    text: str
    name: str | None = None
    names: tuple[str, ...] = ()
    engine: str | None = None
    driver: str | None = None
    given: tuple[str, ...] = ()
    place: int = 0
    call: str = ""
    beside: tuple[str, ...] = ()
    comment: bool = False
    told: bool = False
    how: str = "a string"
