"""The sheet that a cord is written on: fields for the grammar, and a ledger line for each of them."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import NamedTuple

from ..catalog import Option
from ..model import MASK, Cord
from ..model.secret import hides_secret
from ..notation import Field, as_text, plain
from .ledger import LedgerLine, Outcome
from .targets import Loaded, load_target


class _Done(NamedTuple):
    """What an action put on a sheet: fields with the index of their line, and lines."""

    fields: tuple[tuple[Field, int], ...]
    lines: tuple[LedgerLine, ...]
    scheme_word: str | None


_MOST_DONE = 4096
_DONE: dict[tuple[object, ...], _Done] = {}


class Sheet:
    """The fields to render and the ledger lines so far; a field that the grammar refuses finds its line by index."""

    def __init__(self, cord: Cord, loaded: Loaded) -> None:
        self.cord, self.loaded = cord, loaded
        self.fields: list[Field] = []
        self.lines: list[LedgerLine] = []
        self.owner: dict[int, int] = {}
        self.secrets: set[str] = set()
        self.inner: list[Field] = []
        self.inner_secret = False
        self.scheme_word: str | None = None
        self.through: dict[str, list[int]] = {}

    @property
    def typed(self) -> bool:
        """Whether values keep their types, instead of becoming words."""
        return self.loaded.facts.grammar == "arguments"

    def put(self, part: str, source: str, field: Field, *, loss: str | None = None, secret: bool = False) -> bool:
        """Add a field with its ledger line; a value with a character that the driver cannot take is dropped.

        False where it was.
        """
        driver = self.loaded.driver
        if self.loaded.facts.names:
            field = field._replace(name=self.loaded.spelled(field.name))
        text = field.value if isinstance(field.value, str) else None
        if text is not None and not secret and "=" in text and hides_secret(text):
            source, secret = MASK, True
        if text is not None and driver.refuses and not set(driver.refuses).isdisjoint(text):
            self.lose(part, source, f"{driver.title} cannot be given a NUL character")
            return False
        if field.role == "option" and field.name and secret:
            self.secrets.add(field.name)
        shown = MASK if secret else as_text(field.value)
        target = shown if field.name is None else f"{field.name}={shown}"
        outcome = Outcome.APPROXIMATED if loss else compare_sides(source, target)
        self.put_under([field], LedgerLine(part, source, target, outcome, loss))
        return True

    def put_under(self, fields: list[Field], line: LedgerLine) -> None:
        """Add fields that one ledger line stands for."""
        for field in fields:
            if field.name == "(scheme)":
                self.scheme_word = as_text(field.value)
                continue
            self.owner[len(self.fields)] = len(self.lines)
            named = field._replace(name=self.loaded.spelled(field.name)) if self.loaded.facts.names else field
            self.fields.append(named)
        self.lines.append(line)

    def replay(self, key: tuple[object, ...], action: Callable[[], None]) -> None:
        """Do something on the sheet, or put again what it put the last time for the same target and key.

        For what depends on nothing but the target and the key, and puts no secret.
        """
        full = (self.loaded.name, *key)
        made = _DONE.get(full)
        if made is not None:
            base = len(self.lines)
            for field, line in made.fields:
                self.owner[len(self.fields)] = base + line
                self.fields.append(field)
            self.lines += made.lines
            self.scheme_word = made.scheme_word or self.scheme_word
            return
        first_field, first_line = len(self.fields), len(self.lines)
        scheme_word, self.scheme_word = self.scheme_word, None
        action()
        new = range(first_field, len(self.fields))
        lines = tuple(self.lines[first_line:])
        if len(_DONE) > _MOST_DONE:
            _DONE.clear()
        if not any(MASK in (line.source or "") or MASK in (line.target or "") for line in lines):
            placed = tuple((self.fields[i], self.owner[i] - first_line) for i in new)
            _DONE[full] = _Done(placed, lines, self.scheme_word)
        if self.scheme_word is None:
            self.scheme_word = scheme_word

    def lose(self, part: str, source: str, reason: str) -> None:
        """Book a part that has no place in the target."""
        if hides_secret(source):
            source = f"{source.partition('=')[0]}={MASK}"
        self.lines.append(LedgerLine(part, source, None, Outcome.DROPPED, reason))

    def note(self, part: str, source: str | None, target: str | None, outcome: Outcome, reason: str) -> None:
        """Book a line that no single field stands for."""
        self.lines.append(LedgerLine(part, source, target, outcome, reason))

    def put_inner(self, part: str, source: str, name: str, word: str, *, loss: str | None, secret: bool) -> None:
        """Add an option to the text that stands inside the driver's nesting option."""
        driver = self.loaded.driver
        assert driver.nested is not None
        if any(c in word for c in driver.refuses):
            self.lose(part, source, f"{driver.title} cannot be given a NUL character")
            return
        self.inner.append(plain("option", name, word))
        self.through.setdefault(driver.nested[0], []).append(len(self.lines))
        self.inner_secret = self.inner_secret or secret
        target = f"{driver.nested[0]}: {name}={MASK if secret else word}"
        reason = loss or f"passed on through {driver.nested[0]}"
        self.lines.append(LedgerLine(part, source, target, Outcome.APPROXIMATED if loss else Outcome.RENAMED, reason))

    def close_inner(self) -> None:
        """Render what was gathered for the nesting option, and add that option."""
        nested = self.loaded.driver.nested
        if not self.inner or nested is None:
            return
        target = load_target(nested[1])
        rendered = target.grammar.render(self.inner, target.dialect, "", frozenset())
        for field, reason in rendered.refused:
            self.lose(f"native.{target.driver.id}/{field.name}", str(field.name), reason)
        if self.inner_secret:
            self.secrets.add(nested[0])
        line = LedgerLine(nested[0], None, f"{nested[0]}=…", Outcome.ADDED, "holds what is passed on")
        self.put_under([plain("option", nested[0], rendered.text)], line)

    def inner_target(self) -> Loaded | None:
        """The target whose options this driver passes on, if there is one."""
        nested = self.loaded.driver.nested
        return None if nested is None else load_target(nested[1])

    def role(self, role: str, value: object, *, secret: bool = False) -> bool:
        """Put a part in its position, or under the driver's option for it; False where the target has neither."""
        source = MASK if secret else as_text(value)
        part = "authentication.realm" if role == "realm" else role
        if role in self.loaded.dialect.positions:
            self.put(part, source, plain(role, None, value), secret=secret)
            return True
        option = self.option_for(role)
        if option is None:
            return False
        if option.refuses and not set(option.refuses).isdisjoint(as_text(value)):
            self.lose(part, source, f"{self.loaded.driver.title} takes none of {option.refuses} in {option.name}")
            return True
        if option.type == "int" and self.typed:
            if not (isinstance(value, str) and value.isascii() and value.isdigit() and len(value) < 10):
                self.lose(part, source, f"{option.name} takes a number")
                return True
            value = int(value)
        self.put(part, source, plain("option", option.name, value), secret=secret)
        return True

    def option_for(self, canonical: str) -> Option | None:
        """Find the driver's option for a canonical name, if this notation takes it."""
        return self.loaded.by_canonical.get(canonical)


@lru_cache(maxsize=4096)
def compare_sides(source: str, target: str) -> Outcome:
    """Tell from the two sides of a line whether it was kept, renamed, rescaled or reworded."""
    if source == target:
        return Outcome.KEPT
    source_name, source_eq, source_value = source.rpartition("=") if "=" in source else ("", "", source)
    target_name, target_eq, target_value = target.rpartition("=") if "=" in target else ("", "", target)
    if source_value == target_value:
        return Outcome.RENAMED if source_eq and target_eq and source_name != target_name else Outcome.KEPT
    numeric = source_value[:1].isdigit() and target_value[:1].isdigit()
    return Outcome.RESCALED if numeric else Outcome.REWORDED
