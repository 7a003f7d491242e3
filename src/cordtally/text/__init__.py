"""Texts as characters: places in them, pieces that know whether they are secret, masks, and excerpts for errors.

What a text means is left to the layers above; nothing here knows a notation or a driver.
"""

from .cursor import Cursor, GrammarError
from .encodings import decoded, encoding_of
from .excerpts import cells, excerpt, unreadable, xml_text
from .masks import doubtful_spans, mask_spans, masked_position, may_hold_secret
from .pieces import Piece, as_shown, as_text, join, join_masked, piece_of, piece_of_key

__all__ = [
    "Cursor",
    "GrammarError",
    "Piece",
    "as_shown",
    "as_text",
    "cells",
    "decoded",
    "doubtful_spans",
    "encoding_of",
    "excerpt",
    "join",
    "join_masked",
    "mask_spans",
    "masked_position",
    "may_hold_secret",
    "piece_of",
    "piece_of_key",
    "unreadable",
    "xml_text",
]
