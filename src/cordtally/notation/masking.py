"""Which spans of a text may be secret when the text cannot be read: when in doubt, all of them.

For texts that can be read, the reader knows the spans exactly and this module is not asked.
"""

from __future__ import annotations

import re

from ..model.secret import SECRET_WORD

_SECRET_KEY = re.compile(rf"(?:{SECRET_WORD})[A-Za-z0-9 _.\"-]{{0,40}}\s*[:=]", re.IGNORECASE)


def doubtful_spans(text: str) -> list[tuple[int, int]]:
    """Give the spans that may hold a secret in a text that could not be read.

    Everything between the first colon of the authority and the last ``@`` is taken for a password; without an ``@``,
    everything behind that colon; and everything behind a key that sounds secret, to the end of the text.
    """
    spans = []
    slashes = text.find("//")
    start = slashes + 2 if slashes >= 0 else 0
    at = text.rfind("@")
    colon = text.find(":", start)
    if at >= 0:
        spans.append((colon + 1 if 0 <= colon < at else start, at))
    elif colon >= 0 and (slashes >= 0 or "=" not in text[:colon]):
        spans.append((colon + 1, len(text)))
    key = _SECRET_KEY.search(text)
    if key is not None:
        spans.append((key.end(), len(text)))
    return _merged(spans)


def _merged(spans: list[tuple[int, int]]) -> list[tuple[int, int]]:
    merged: list[tuple[int, int]] = []
    for start, end in sorted(s for s in spans if s[1] > s[0]):
        if merged and start <= merged[-1][1]:
            merged[-1] = (merged[-1][0], max(end, merged[-1][1]))
        else:
            merged.append((start, end))
    return merged
