"""Rules of single characters that came into a text unseen: invisible, turned, look-alike and typographic ones."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from ..exchange.targets import load_target
from ..patterns import pattern
from .edits import Edit
from .ids import RuleId
from .looks import Look
from .rules import Severity, Sight, Told, rule

if TYPE_CHECKING:
    import re

_TURNING = pattern("[\u202a-\u202e\u2066-\u2069\u200e\u200f\u061c]+")
_UNSEEN = pattern(
    "[\u00a0\u00ad\u034f\u115f\u1160\u17b4\u17b5\u180e\u2000-\u200d\u202f\u205f\u2060-\u2064\u3000\u3164\ufeff\uffa0]+"
)
_LINE_END = pattern(r"[\r\n\t\v\f\x85\u2028\u2029]+")
_OF_LINES = frozenset({"sections", "environment", "descriptor", "keyword"})  # grammars in which line ends part pairs
_SIGNS = str.maketrans({
    "\u2018": "'", "\u2019": "'", "\u201a": "'", "\u201b": "'", "\u201c": '"', "\u201d": '"', "\u201e": '"',
    "\u00ab": '"', "\u00bb": '"', "\u2010": "-", "\u2011": "-", "\u2012": "-", "\u2013": "-", "\u2014": "-",
    "\u2212": "-", "\u2026": "...",
})  # fmt: skip
_TYPOGRAPHIC = pattern("[\u2018-\u201e\u00ab\u00bb\u2010-\u2014\u2212\u2026]+")
# letters that look like ASCII ones in most typefaces (Unicode Technical Standard 39), and the full-width forms
_LETTERS = {
    **dict(zip("аеорсухіјѕһԁԛԝ", "aeopcyxijshdqw")),
    **dict(zip("АВЕКМНОРСТХІЈЅ", "ABEKMHOPCTXIJS")),
    **dict(zip("ονρικ", "ovpik")),
    **dict(zip("ΑΒΕΖΗΙΚΜΝΟΡΤΥΧ", "ABEZHIKMNOPTYX")),
    **{chr(code): chr(code - 0xFEE0) for code in range(0xFF01, 0xFF5F)},
}
_ALIKE = str.maketrans(_LETTERS)
_LOOKS_ALIKE = pattern("[" + "".join(_LETTERS) + "]+")
_PLAIN = pattern(r"[A-Za-z0-9]")


def _first(look: Look, odd: re.Pattern[str]) -> tuple[list[re.Match[str]], str, bool]:
    """All places of odd characters, the part in which the first one stands, and whether one is in a secret."""
    found = list(odd.finditer(look.text))
    if not found:
        return [], "", False
    spans = look.reading.secret_spans if look.reading is not None else ()
    secret = any(a < m.end() and m.start() < b for m in found for a, b in spans)
    return found, _named(look, found[0].start()), secret


def _named(look: Look, place: int) -> str:
    """How the part is called in which a place is."""
    for part in look.reading.parts if look.reading is not None else ():
        if part.whole <= place < part.end or part.start <= place < part.end:
            return part.name if part.role == "option" and part.name is not None else f"the {part.role}"
    return "the text"


def _how_many(found: list[re.Match[str]], one: str, several: str) -> str:
    number = sum(len(match[0]) for match in found)
    return one if number == 1 else f"{number} {several}"


def _edit(look: Look, found: list[re.Match[str]], table: dict[int, str] | None) -> Edit:
    """Replace the odd characters by what the table has for them, or take them out."""
    start, end = found[0].start(), found[-1].end()
    pieces, at = [], start
    for match in found:
        pieces += [look.text[at : match.start()], match[0].translate(table) if table is not None else ""]
        at = match.end()
    return Edit(start, end, "".join(pieces))


def _span(found: list[re.Match[str]]) -> tuple[int, int]:
    return found[0].span()


@rule(
    RuleId.INVISIBLE_CHARACTER,
    Severity.ERROR,
    Sight.ODD,
    title="a character that nobody sees",
    why="The driver takes it for a part of the value: a name that looks right is another one.",
    about="No-break spaces, zero-width characters, soft hyphens and byte-order marks come along when a text is copied "
    "from a page or a chat. In a password the finding is a warning, without an edit: one may be meant.",
    bad=("postgresql://keeper@gauge\u200b.greywick.example/tides", "Host=gauge.greywick.example;\u00a0Username=keeper"),
    good=("postgresql://keeper@gauge.greywick.example/tides", "Host=gauge.greywick.example; Username=keeper"),
)
def invisible_character(look: Look) -> Iterator[Told]:
    found, part, secret = _first(look, _UNSEEN)
    if found:
        message = f"{_how_many(found, 'an invisible character', 'invisible characters')} in {part}"
        message += f" (U+{ord(found[0][0][0]):04X})"
        edit = None if secret else _edit(look, found, None)
        yield Told(message, "take it out", _span(found), Severity.WARNING if secret else None, edit)


@rule(
    RuleId.TURNED_TEXT,
    Severity.ERROR,
    Sight.ODD,
    title="a character that turns the direction of writing",
    why="What is read on the screen is not the order in which the driver reads it.",
    about="Marks and overrides of right-to-left writing can make one host look like another.",
    bad="postgresql://keeper@gauge.\u202egreywick\u202c.example/tides",
    good="postgresql://keeper@gauge.greywick.example/tides",
)
def turned_text(look: Look) -> Iterator[Told]:
    found, part, secret = _first(look, _TURNING)
    if found:
        message = f"{_how_many(found, 'a mark', 'marks')} in {part} that turn the direction of writing"
        edit = None if secret else _edit(look, found, None)
        yield Told(message, "take them out, and look at what is left", _span(found), edit=edit)


@rule(
    RuleId.LINE_END_INSIDE,
    Severity.WARNING,
    Sight.ODD,
    title="a line end or a tab inside a text",
    why="Some drivers take it for a part of the value, some end the text there.",
    about="Notations of pairs that are parted by blanks take line ends for blanks; so do ODBC and ADO.NET between "
    "pairs. In a URL it is a mistake, and in a password it is most often the end of the file that it was read from.",
    bad=(
        "postgresql://keeper@gauge.greywick.example/tides\n",
        "Host=gauge.greywick.example;Username=kee\tper",
    ),
    good=("postgresql://keeper@gauge.greywick.example/tides", "host=gauge.greywick.example\nuser=keeper"),
)
def line_end_inside(look: Look) -> Iterator[Told]:
    if look.reading is None or load_target(look.reading.target).facts.grammar in _OF_LINES:
        return
    for match in _LINE_END.finditer(look.text):
        inside = next((p for p in look.reading.parts if p.start <= match.start() and match.end() <= p.end), None)
        if inside is None and (match.end() < len(look.text) or look.reading.notation == "semicolon"):
            continue  # between pairs it is a blank
        what = "a tab" if match[0].strip("\t") == "" else "a line end"
        where = "at the end" if inside is None else f"in the {inside.role}"
        edit = None if inside is not None and inside.secret else Edit(match.start(), match.end(), "")
        yield Told(f"{what} {where}", "take it out", match.span(), None, edit)
        return


@rule(
    RuleId.LOOK_ALIKE,
    Severity.WARNING,
    Sight.ODD,
    title="a letter of another alphabet that looks like a Latin one",
    why="The name looks right and is another one: nobody finds the difference by eye.",
    about="Reported where it stands among ASCII letters, in any part but a secret: names in one alphabet are nobody's "
    "mistake.",
    bad="postgresql://keeper@g\u0430uge.greywick.example/tides",
    good=(
        "postgresql://keeper@gauge.greywick.example/tides",
        "host=gauge.greywick.example dbname=\u043f\u0440\u0438\u043b\u0438\u0432",
    ),
)
def look_alike(look: Look) -> Iterator[Told]:
    if look.text.isascii() or look.reading is None:
        return
    for part in look.reading.parts:
        raw = look.raw(part)
        if part.secret or raw.isascii() or _PLAIN.search(raw) is None:
            continue
        match = _LOOKS_ALIKE.search(raw)
        if match is not None and raw.translate(_ALIKE).isascii():
            character = match[0][0]
            looks = f"{_LETTERS[character]} (U+{ord(character):04X})"
            message = f"{_named(look, part.start)} has a letter that only looks like {looks}"
            edit = Edit(part.start, part.end, raw.translate(_ALIKE))
            span = part.start + match.start(), part.start + match.end()
            yield Told(message, "write it in one alphabet", span, edit=edit)


@rule(
    RuleId.TYPOGRAPHIC_SIGN,
    Severity.WARNING,
    Sight.ODD,
    title="a typographic quote or dash",
    why="A word processor put it there; no driver takes it for the plain one.",
    about="In a secret the finding has no edit: such a sign may be meant there.",
    bad=("host=gauge.greywick.example user=\u2018keeper\u2019", "postgresql://gauge\u2013one.greywick.example/tides"),
    good=("host=gauge.greywick.example user='keeper'", "postgresql://gauge-one.greywick.example/tides"),
)
def typographic_sign(look: Look) -> Iterator[Told]:
    found, part, secret = _first(look, _TYPOGRAPHIC)
    if found:
        message = f"{_how_many(found, 'a typographic sign', 'typographic signs')} in {part}"
        edit = None if secret else _edit(look, found, _SIGNS)
        yield Told(message, "write it as on the keyboard", _span(found), edit=edit)
