"""Strings of programming languages, decoded and encoded by what their language file says of each form: exactly, or not.

A form opens and closes; what its escapes stand for, what is put in when the program runs, and which characters are
written twice is data (``[[strings]]`` in ``catalog/languages``). A string in which something is put in has no value.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from functools import cached_property
from typing import Literal

from ..records import Record

_NUMBERS = {
    "x2": r"x([0-9A-Fa-f]{2})",
    "x1-2": r"x([0-9A-Fa-f]{1,2})",
    "x1-4": r"x([0-9A-Fa-f]{1,4})",
    "u4": r"u([0-9A-Fa-f]{4})",
    "uu4": r"u+([0-9A-Fa-f]{4})",
    "u1-4": r"u([0-9A-Fa-f]{1,4})",
    "U8": r"U([0-9A-Fa-f]{8})",
    "u{}": r"u\{([0-9A-Fa-f]{1,6})\}",
    "x{}": r"x\{([0-9A-Fa-f]{1,6})\}",
    "o1-3": r"([0-7]{1,3})",
    "o3": r"([0-7]{3})",
}
_WRITTEN = {"u{}": "u{{{:x}}}", "x{}": "x{{{:x}}}", "u4": "u{:04x}", "uu4": "u{:04x}", "U8": "U{:08x}", "x2": "x{:02x}"}
_WIDEST = {"u4": 0xFFFF, "uu4": 0xFFFF, "x2": 0x7F}


class Form(Record):
    r"""One way to write a string.

    ``opens`` is an expression, whose group ``fence`` may stand in ``closes`` again. ``escape`` is the character that
    escapes; ``named`` what it makes of single characters, ``numbers`` which kinds of numbered characters there are
    (``x2`` is ``\xHH``); any other character behind it is left with it (``keep``), without it (``drop``), or is no
    text that is read here (``refuse``). ``puts_in`` is what the program fills in, ``guarded`` are characters that are
    escaped so that none is; ``sequences`` stand for others. With ``doubles`` a closing character stands twice for one.
    ``lines`` may be held, as they are ``kept`` or read as a Unix file's. In ``bytes`` a number from 80 on is no
    character. What is ``plain`` needs no quotes.
    """

    id: str
    opens: str
    closes: str = ""
    escape: str = ""
    named: Mapping[str, str] = {}
    numbers: tuple[str, ...] = ()
    others: Literal["keep", "drop", "refuse"] = "keep"
    puts_in: str = ""
    guarded: str = ""
    sequences: Mapping[str, str] = {}
    doubles: bool = False
    lines: Literal["", "kept", "unix"] = ""
    bytes: bool = False
    plain: str = ""
    writes: bool = True

    @cached_property
    def token(self) -> re.Pattern[str]:
        """What is looked at in such a string: an escape, a sequence, or what is put in."""
        pieces = [f"(?P<put_in>{self.puts_in})"] if self.puts_in else []
        pieces += [f"(?P<sequence>{'|'.join(map(re.escape, self.sequences))})"] if self.sequences else []
        if self.escape:
            kinds = [_NUMBERS[kind] for kind in self.numbers]
            pieces.append(f"{re.escape(self.escape)}(?:{'|'.join([*kinds, '(?P<other>.)'])})")
        return re.compile("|".join(pieces) or r"(?!)", re.DOTALL)


def form_of(raw: str, forms: tuple[Form, ...]) -> tuple[Form, str] | None:
    """Tell the form in which a string is written, and what stands between its ends."""
    for form in forms:
        match = re.match(form.opens, raw)
        if match is None:
            continue
        closes = form.closes.format(**match.groupdict())
        if raw.endswith(closes) and len(raw) >= match.end() + len(closes):
            return form, raw[match.end() : len(raw) - len(closes)]
    return None


def decode_string(raw: str, forms: tuple[Form, ...]) -> str | None:
    """Give what a string stands for; None where something is put in, or an escape is none that is read here."""
    found = form_of(raw, forms)
    return None if found is None else _decoded(found[1], found[0])


def _decoded(inner: str, form: Form) -> str | None:
    made, between, position = [], "", 0
    for match in form.token.finditer(inner):
        groups = match.groupdict()
        if groups.get("put_in") is not None:
            return None
        made.append(inner[position : match.start()])
        between += made[-1]
        position = match.end()
        piece = form.sequences[match[0]] if groups.get("sequence") is not None else _escaped(match, form)
        if piece is None:
            return None
        made.append(piece)
    text = "".join([*made, inner[position:]])
    between += inner[position:]
    if form.closes and (("\n" in between and not form.lines) or (form.closes in between and not form.doubles)):
        return None
    if form.lines == "unix":
        text = text.replace("\r\n", "\n")
    if form.doubles:
        text = text.replace(form.closes * 2, form.closes)
    return text.encode("utf-16", "surrogatepass").decode("utf-16", "replace")


def _escaped(match: re.Match[str], form: Form) -> str | None:
    other = match.groupdict().get("other")
    if other is None:
        kind, digits = next(
            (kind, group) for kind, group in zip(form.numbers, _numbered(match, form)) if group is not None
        )
        number = int(digits, 8 if kind[0] == "o" else 16)
        return None if number > 0x10FFFF or (form.bytes and kind[0] in "xo" and number > 0x7F) else chr(number)
    if other in form.named:
        return form.named[other]
    return {"keep": match[0], "drop": other, "refuse": None}[form.others]


def _numbered(match: re.Match[str], form: Form) -> list[str | None]:
    """The groups of numbered characters, which follow those of what is put in and of sequences."""
    first = 1 + bool(form.sequences) + bool(form.puts_in)
    return [match[first + index] for index in range(len(form.numbers))]


def encode_string(value: str, raw: str, forms: tuple[Form, ...]) -> str | None:
    """Write a value in the form that stood there, or else in another one of the language; None where none holds it."""
    found = form_of(raw, forms)
    order = [found[0], *forms] if found is not None else list(forms)
    for form in dict.fromkeys(order):
        if form.writes and (made := _written(value, form)) is not None:
            return made
    return None


def _written(value: str, form: Form) -> str | None:
    opens = re.sub(r"\(\?P<fence>[^)]*\)|\\|\[(\w)\w\]", lambda match: match[1] or "", form.opens)
    closes = form.closes.format(fence="")
    if form.plain:
        return value if re.fullmatch(form.plain, value) else None
    backwards = {made: raw for raw, made in form.sequences.items()}
    names = {character: name for name, character in form.named.items()}
    made, position = [], 0
    while position < len(value):
        character = value[position]
        sequence = next((one for one in backwards if value.startswith(one, position)), None)
        if sequence is not None:
            made.append(backwards[sequence])
            position += len(sequence)
            continue
        position += 1
        if form.doubles and character == closes:
            made.append(character * 2)
        elif form.escape and character in {form.escape, *closes, *form.guarded}:
            made.append(form.escape + character)
        elif character.isprintable() or (form.lines and character == "\n"):
            made.append(character)
        elif character in names and form.escape:
            made.append(form.escape + names[character])
        elif (numbered := _number(character, form)) is not None:
            made.append(numbered)
        elif form.lines == "kept":
            made.append(character)
        else:
            return None
    written = f"{opens}{''.join(made)}{closes}"
    return written if decode_string(written, (form,)) == value else None


def _number(character: str, form: Form) -> str | None:
    number = ord(character)
    for kind, template in _WRITTEN.items():
        if kind in form.numbers and number <= _WIDEST.get(kind, 0x10FFFF):
            return form.escape + template.format(number)
    return None
