"""Finds what is masked in a text that was read: secrets, and what an ``@`` or a colon shows to be cut off one."""

from __future__ import annotations

from collections.abc import Sequence

from ..model.suspicion import guard
from ..notation import Field, Parsed
from .gathering import Part


def secret_spans(found: Sequence[Part], text: str) -> list[tuple[int, int]]:
    """The bounds of secrets, and of what an ``@`` in the wrong place shows to be the end of one."""
    parts = [part for part in found if part.secret]
    spans = [(p.start, p.end) for p in parts if p.role not in {"host", "database", "port"}]
    scanned = None
    for part in parts:
        if part.role not in {"host", "database"} or scanned == part.start:
            continue  # several hosts in one field: one look is enough
        scanned = part.start
        at = max(text.rfind("@", part.start, part.end), text.rfind("%40", part.start, part.end))
        begin = part.start
        if part.role == "database" and part.name is None and at >= 0:
            # the password began where a port seems to stand: keeper:2024/secret@host
            ports = [p.start for p in found if p.role == "port" and p.start < begin]
            inset = text.find(":", begin, at) + 1 or text.rfind("/", begin, at) + 1 or begin
            begin = ports[0] if ports else inset
        rest = text[max(at, begin) : part.end]
        spans.append((begin, at if at > begin and guard(rest) is rest else part.end))
    return spans


def unread_spans(parsed: Parsed, last: Field | None, options: list[Field]) -> list[tuple[int, int]]:
    """What a URL's reader passes over between its authority and its query, where a password may have been cut off."""
    start = last.end if last is not None else 0
    end = options[0].whole if options else len(parsed.text)
    if end - start < 2:  # nothing but the question mark
        return []
    at, colon = parsed.text.rfind("@", start, end), parsed.text.find(":", start, end)
    if at >= 0:
        # it began where a port seems to stand: redis://keeper:2024/secret@host
        begin = min((f.start for f in parsed.fields if f.role == "port"), default=start)
        return [(min(begin, start), at)]
    return [(colon + 1, end)] if 0 <= colon < end - 1 else []
