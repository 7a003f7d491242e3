"""The sheet that a cord is written on: fields for the grammar, each with the bookings of the ledger that depend on it.

A booking is made once, with its source words, when a part is taken up; its field, a loss and a refusal by the grammar
point at it. What happened to a part is known from its values, never guessed from a line's text.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import NamedTuple

from ..catalog import Option
from ..model import ByteSize, Cord, Duration, Secret, clear
from ..model.suspicion import safe_name
from ..notation import Field, Rendered
from ..text import as_shown, as_text
from .codecs import word_of
from .ledger import Ledger, LedgerLine, Outcome
from .targets import Target, load_target


class Origin(NamedTuple):
    """How a part stands in the source: under which name, None where it has a place of its own, and as which word.

    ``pinned`` names the driver whose default this is, where the source states nothing.
    """

    name: str | None
    word: str
    pinned: str | None = None

    @property
    def shown(self) -> str:
        """The part as the ledger quotes it."""
        return self.word if self.name is None else f"{self.name}={self.word}"


class Booking:
    """A line of the ledger while its part is being written."""

    __slots__ = ("outcome", "part", "reason", "source", "target")

    def __init__(
        self, part: str, source: str | None, target: str | None, outcome: Outcome, reason: str | None = None
    ) -> None:
        self.part, self.source, self.target, self.outcome, self.reason = part, source, target, outcome, reason

    def refuse(self, reason: str) -> None:
        """Turn it into a loss: the grammar has no way to write the part."""
        self.target, self.outcome, self.reason = None, Outcome.DROPPED, reason

    def line(self) -> LedgerLine:
        """Give the line that it has become."""
        return LedgerLine(self.part, self.source, self.target, self.outcome, self.reason)


class Sheet:
    """The fields to render and the bookings so far; ``origins`` tell how the parts stand in the source."""

    def __init__(self, cord: Cord, target: Target, origins: Mapping[str, Origin] | None = None) -> None:
        self.cord, self.target, self.driver, self.origins = cord, target, target.driver, origins or {}
        self.typed = target.facts.grammar == "arguments"  # values keep their types, instead of becoming words
        self.bookings: list[Booking] = []
        self.scheme_word: str | None = None
        self._entries: list[tuple[Field, tuple[Booking, ...]]] = []
        self._inner: list[tuple[Field, Booking]] = []

    @property
    def fields(self) -> list[Field]:
        """The fields that were put so far."""
        return [field for field, _ in self._entries]

    def option_for(self, canonical: str) -> Option | None:
        """Find the driver's option for a canonical name, if this notation takes it."""
        return self.target.by_canonical.get(canonical)

    def inner_target(self) -> Target | None:
        """The target whose options this driver passes on, if there is one."""
        nested = self.driver.nested
        return None if nested is None else load_target(nested[1])

    def put(
        self, part: str, said: Origin | str, field: Field, *, value: object = None, loss: str | None = None
    ) -> bool:
        """Add a field with its booking; a value with a character that the driver cannot take is dropped.

        ``said`` is how the part is called where no text states it, ``value`` what it means, where that is a quantity.
        False where the field was dropped.
        """
        # first: C drivers end a text at a NUL, and what follows would be cut off without a word
        if self.driver.refuses and isinstance(field.value, str | Secret) and self._is_refused(field.value):
            self.lose(part, said, f"{self.driver.title} cannot be given a NUL character")
            return False
        origin = self._origin(part, said)
        word = field.value if type(field.value) is str else as_shown(field.value)
        name = field.name
        if name is not None:
            name = self.target.spelled(name) or name
            # the catalog's own names may be shown; any other may hold what a misread text put there
            name = name if name in self.driver.options else safe_name(name)
        target = word if name is None else f"{name}={word}"
        outcome = Outcome.APPROXIMATED if loss else _outcome(origin, name, word, isinstance(value, Duration | ByteSize))
        self.put_under([field], self.book(part, origin, target, outcome, loss))
        return True

    def put_under(self, fields: Iterable[Field], *bookings: Booking) -> None:
        """Add fields that one booking stands for, or several."""
        for field in fields:
            if field.name == "(scheme)":  # no field of its own: it chooses among the prefixes
                self.scheme_word = as_text(field.value)
            else:
                spelling = self.target.spelled(field.name)
                named = field if spelling == field.name else field._replace(name=spelling)
                self._entries.append((named, bookings))

    def book(
        self, part: str, said: Origin | str | None, target: str | None, outcome: Outcome, reason: str | None = None
    ) -> Booking:
        """Make the booking of a part; one whose value is a pinned default counts as added."""
        origin = None if said is None else self._origin(part, said)
        # a pinned default was stated by nobody, so there is no source to name beside it
        source = None if origin is None else origin.shown
        if origin is not None and origin.pinned is not None and target is not None:
            why = f"pinned: the default of {origin.pinned}"
            reason = f"{why}; {reason}" if outcome.is_loss else why
            source, outcome = (source, outcome) if outcome.is_loss else (None, Outcome.ADDED)
        booking = Booking(part, source, target, outcome, reason)
        self.bookings.append(booking)
        return booking

    def lose(self, part: str, said: Origin | str, reason: str) -> None:
        """Book a part that has no place in the target."""
        self.book(part, said, None, Outcome.DROPPED, reason)

    def note(self, part: str, said: Origin | str | None, target: str | None, outcome: Outcome, reason: str) -> None:
        """Book a line that no single field stands for."""
        self.book(part, said, target, outcome, reason)

    def _is_refused(self, word: str | Secret) -> bool:
        return not set(self.driver.refuses).isdisjoint(word if type(word) is str else clear(word))

    def _origin(self, part: str, said: Origin | str) -> Origin:
        found = self.origins.get(part)
        if found is not None:
            return found
        return said if isinstance(said, Origin) else Origin(None, said)

    def role(self, role: str, value: object) -> bool:
        """Put a part in its position, or under the driver's option for it; False where the target has neither."""
        said = Origin(None, as_shown(value))
        part = "authentication.realm" if role == "realm" else role
        if role in self.target.dialect.positions:
            self.put(part, said, Field(role, None, value))
            return True
        option = self.option_for(role)
        if option is None:
            return False
        if option.refuses and not set(option.refuses).isdisjoint(as_text(value)):
            self.lose(part, said, f"{self.driver.title} takes none of {option.refuses} in {option.name}")
            return True
        if option.type == "int" and self.typed:
            if not (isinstance(value, str) and value.isascii() and value.isdigit() and len(value) < 10):
                self.lose(part, said, f"{option.name} takes a number")
                return True
            value = int(value)
        self.put(part, said, Field("option", option.name, value))
        return True

    def put_inner(self, part: str, said: Origin | str, name: str, word: str | Secret, *, loss: str | None) -> None:
        """Add an option to the text that stands inside the driver's nesting option."""
        assert self.driver.nested is not None
        outer = self.driver.nested[0]
        if self._is_refused(word):
            self.lose(part, said, f"{self.driver.title} cannot be given a NUL character")
            return
        outcome = Outcome.APPROXIMATED if loss else Outcome.RENAMED
        reason = loss or f"passed on through {outer}"
        booking = self.book(part, said, f"{outer}: {safe_name(name)}={word}", outcome, reason)
        self._inner.append((Field("option", name, word), booking))

    def close_inner(self) -> None:
        """Render what was gathered for the nesting option, and add that option."""
        nested = self.driver.nested
        if not self._inner or nested is None:
            return
        target = load_target(nested[1])
        rendered = target.grammar.render([field for field, _ in self._inner], target.dialect, "")
        # by identity: equal fields may stand twice, and grammars give back the very fields that they were given
        refused = {id(field): reason for field, reason in rendered.refused}
        for field, booking in self._inner:
            if id(field) in refused:
                booking.refuse(refused[id(field)])
        opened = self.book(nested[0], None, f"{nested[0]}=…", Outcome.ADDED, "holds what is passed on")
        self.put_under([Field("option", nested[0], _whole(rendered))], opened, *(b for _, b in self._inner))

    def put_carried(self, option: str, text: str | Secret, inside: Iterable[LedgerLine]) -> None:
        """Put a whole text into an option, with the lines of its own ledger."""
        carried = self.put_whole((), inside)
        if clear(text):
            reason = "holds the parts that are not written beside it"
            booking = self.book(option, None, f"{option}=…", Outcome.ADDED, reason)
            self.put_under([Field("option", option, text)], booking, *carried)

    def put_whole(self, fields: Iterable[Field], inside: Iterable[LedgerLine]) -> list[Booking]:
        """Add fields that hold a whole text, with the lines of its own ledger; give their bookings."""
        carried = [Booking(*line) for line in inside]
        self.bookings += carried
        self.put_under(fields, *carried)
        return carried

    def render(self, prefix: str) -> Rendered:
        """Write the text; what the grammar cannot hold becomes a loss in the bookings that depend on it."""
        if self.target.needy:
            self._drop_lone()
        fields = [self._as_word(field) for field in self.fields]
        rendered = self.target.grammar.render(fields, self.target.dialect, prefix)
        if rendered.refused:
            bookings = {id(field): entry[1] for field, entry in zip(fields, self._entries)}
            for field, reason in rendered.refused:
                for booking in bookings[id(field)]:
                    booking.refuse(reason)
        return rendered

    def _drop_lone(self) -> None:
        """Drop options that lack what they need beside them: the driver would refuse the whole text."""
        present = {field.name for field in self.fields}
        present |= {"(scheme)"} if self.scheme_word is not None else set()
        for field, bookings in list(self._entries):
            if field.name is not None and self.target.needy.get(field.name, field.name) not in present:
                self._entries.remove((field, bookings))
                for booking in bookings:
                    booking.refuse(f"{self.driver.title} takes it only with {self.target.shown_need(field.name)}")

    def ledger(self) -> Ledger:
        """Give the ledger of all bookings, in the order in which they were made."""
        return Ledger(tuple([booking.line() for booking in self.bookings]))

    def _as_word(self, field: Field) -> Field:
        """Turn a typed value into a word where the notation holds text only."""
        if self.typed or isinstance(field.value, str | Secret) or field.role == "port":
            return field
        return field._replace(value=word_of(field.value, self.driver))


def _whole(rendered: Rendered) -> str | Secret:
    """A rendered text as the value of an option: a secret where one of its pieces is."""
    return Secret(rendered.text) if any(piece.secret for piece in rendered.pieces) else rendered.text


def _outcome(origin: Origin, name: str | None, word: str, quantity: bool) -> Outcome:
    """What became of a part: its word is the same or not, and so is its name where both sides have one."""
    if origin.word == word:
        return Outcome.RENAMED if None not in {origin.name, name} and origin.name != name else Outcome.KEPT
    return Outcome.RESCALED if quantity else Outcome.REWORDED
