"""Masks over spans of a text, and which spans may be secret when the text cannot be read: in doubt, all of them.

For texts that can be read, the reader knows the spans exactly and `doubtful_spans` is not asked.
"""

from __future__ import annotations

import re

from ..model import MASK
from ..model.suspicion import SECRET_WORD
from ..patterns import pattern

_SECRET_KEY = pattern(
    rf"(?:{SECRET_WORD})[A-Za-z0-9_.-]{{0,40}}(?:[\"']?\s*(?:[:=]|%(?:25)*3[AD])\s*|[\s\"']+|$)", re.IGNORECASE
)
_DOUBLED_SCHEME = pattern(r"[A-Za-z][A-Za-z0-9+.-]{0,40}:(?://)?(?=[A-Za-z][A-Za-z0-9+.-]{0,40}://)")
_ESCAPED = pattern(r"%(?:25)*(?:3A|40)", re.IGNORECASE)


def mask_spans(text: str, spans: list[tuple[int, int]]) -> str:
    """Replace each span of a text by the mask; spans may touch or overlap."""
    if len(spans) == 1 and spans[0][1] > spans[0][0]:
        return f"{text[: spans[0][0]]}{MASK}{text[spans[0][1] :]}"
    pieces, position = [], 0
    for start, end in sorted(spans):
        if end <= position:
            continue
        if start >= position:
            pieces.append(text[position:start])
            pieces.append(MASK)
        position = end
    pieces.append(text[position:])
    return "".join(pieces)


def masked_position(position: int, spans: list[tuple[int, int]]) -> int:
    """Give the place in the masked text of a place in the original, the spans being disjoint."""
    shift = 0
    for start, end in sorted(spans):
        if position <= start:
            break
        if position < end:
            return start + shift
        shift += len(MASK) - (end - start)
    return position + shift


def doubtful_spans(text: str) -> list[tuple[int, int]]:
    """Give the spans that may hold a secret in a text that could not be read.

    Everything between the first colon of the authority and the last ``@`` is taken for a password; without an ``@``,
    everything behind that colon; everything behind a word that sounds secret, to the end of the text; and of an object
    of arguments everything behind its first colon. Each of several lines, and what stands behind a doubled scheme, is
    looked at by itself, too.
    """
    spans = _of_one(text, 0)
    for line in re.finditer(r"[^\r\n]+", text) if "\n" in text or "\r" in text else ():
        spans += _of_one(line[0], line.start())
    if (doubled := _DOUBLED_SCHEME.match(text)) is not None:
        spans += _of_one(text[doubled.end() :], doubled.end())
    return merged(spans)


def _of_one(text: str, shift: int) -> list[tuple[int, int]]:
    spans = []
    slashes = text.find("//")
    start = slashes + 2 if slashes >= 0 else 0
    at = text.rfind("@")
    colon = text.find(":", start)
    if at >= 0:
        spans.append((colon + 1 if 0 <= colon < at else start, at))
    elif colon >= 0 and (slashes >= 0 or "=" not in text[:colon]):
        spans.append((colon + 1, len(text)))
    first_at = text.find("@")
    slash = text.find("/", 0, max(first_at, 0))
    if slash > 0 and not text.startswith("//", slash):  # Oracle's user/password@host
        spans.append((slash + 1, first_at))
    if (escaped := _ESCAPED.search(text, start)) is not None:  # the user info escaped as a whole
        spans.append((escaped.end(), max(at, text.rfind("%40"), len(text) if at < 0 else at)))
    key = _SECRET_KEY.search(text)
    if key is not None:
        spans.append((key.end(), len(text)))
    if text.lstrip()[:1] in {"{", "["} and (first := text.find(":")) >= 0:
        spans.append((first + 1, len(text)))
    return [(a + shift, b + shift) for a, b in spans]


def may_hold_secret(text: str) -> bool:
    """Whether a text has a place where a secret may stand: before an ``@``, or behind a word that sounds so."""
    return "@" in text or _SECRET_KEY.search(text) is not None


def merged(spans: list[tuple[int, int]]) -> list[tuple[int, int]]:
    """Give the spans in order, those that touch or overlap made one."""
    found: list[tuple[int, int]] = []
    for start, end in sorted(s for s in spans if s[1] > s[0]):
        if found and start <= found[-1][1]:
            found[-1] = (found[-1][0], max(end, found[-1][1]))
        else:
            found.append((start, end))
    return found
