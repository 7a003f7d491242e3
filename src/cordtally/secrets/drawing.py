"""Draws passwords that need no escaping: in no notation, no config format, no shell, no SQL."""

from __future__ import annotations

import math
import secrets
import string

from ..errors import FieldError
from ..model import Secret

FIRST = string.ascii_letters  # a digit first would make a number of a short one, as in YAML (4938, 1e10)
ALPHABET = string.ascii_letters + string.digits
LEAST, USUAL, MOST = 8, 24, 512  # characters


def draw(length: int = USUAL) -> Secret:
    """Draw a password from the operating system's generator, each of its characters as likely as any other.

    Parameters
    ----------
    length : int
        Characters: 8 to 512; 24 have 142 bits.

    Raises
    ------
    FieldError
        When the length is out of range.
    """
    _check(length)
    return Secret(secrets.choice(FIRST) + "".join(secrets.choice(ALPHABET) for _ in range(length - 1)))


def entropy(length: int = USUAL) -> float:
    """Give the bits of entropy of a password of that length.

    Raises
    ------
    FieldError
        When the length is out of range.
    """
    _check(length)
    return math.log2(len(FIRST)) + (length - 1) * math.log2(len(ALPHABET))


def _check(length: int) -> None:
    if not LEAST <= length <= MOST:
        raise FieldError(f"a password has {LEAST} to {MOST} characters here, not {length}")
