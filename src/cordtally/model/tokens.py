"""Tokens that stand for a password: which they are, and until when they hold, as they say themselves."""

from __future__ import annotations

import json
from base64 import urlsafe_b64decode
from binascii import Error as Base64Error
from datetime import UTC, datetime, timedelta

from ..patterns import pattern

_JWT = pattern(r"eyJ[\w-]{8,}\.eyJ[\w-]{4,}\.[\w-]*")  # RFC 7519: two objects of JSON and a signature, in base64url
SIGNED = pattern(r"X-Amz-(?:Signature|Credential|Security-Token)=")
_DATE = pattern(r"X-Amz-Date=(\d{8}T\d{6}Z)")
_LASTS = pattern(r"X-Amz-Expires=(\d{1,6})")
_KNOWN = ("ya29.",)  # Google's access tokens, which say nothing of themselves


def is_token(text: str) -> bool:
    """Whether a password is a token: a JWT, a signed request of AWS, an access token of Google's."""
    return bool(_JWT.fullmatch(text) or SIGNED.search(text) or text.startswith(_KNOWN))


def end_of_token(text: str) -> datetime | None:
    """When a token ends: the claim exp of a JWT (RFC 7519, 4.1.4), or the date and life of a signed request."""
    if _JWT.fullmatch(text):
        payload = text.split(".")[1]
        try:
            claims = json.loads(urlsafe_b64decode(payload + "=" * (-len(payload) % 4)))
            end = claims.get("exp") if isinstance(claims, dict) else None
            return datetime.fromtimestamp(end, UTC) if isinstance(end, int | float) else None
        except (ValueError, Base64Error, OverflowError, OSError, RecursionError):
            return None
    date, lasts = _DATE.search(text), _LASTS.search(text)
    if date is None or lasts is None:
        return None
    begun = datetime.strptime(date[1], "%Y%m%dT%H%M%SZ").replace(tzinfo=UTC)
    return begun + timedelta(seconds=int(lasts[1]))
