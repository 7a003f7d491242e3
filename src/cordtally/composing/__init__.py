"""Fields to a cord: loose ones given by hand are checked and put together, locators of secrets among them."""

from .fields import FIELDS, compose, parse_host, parse_option
from .locators import looks_like_locator, parse_locator
from .places import Filled, fill_in
from .spreading import spread
from .wallets import change_wallet

__all__ = [
    "FIELDS",
    "Filled",
    "change_wallet",
    "compose",
    "fill_in",
    "looks_like_locator",
    "parse_host",
    "parse_locator",
    "parse_option",
    "spread",
]
