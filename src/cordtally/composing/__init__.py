"""Fields to a cord: loose ones given by hand are checked and put together, locators of secrets among them."""

from .fields import FIELDS, compose, parse_host, parse_option
from .locators import parse_locator
from .wallets import change_wallet

__all__ = ["FIELDS", "change_wallet", "compose", "parse_host", "parse_locator", "parse_option"]
