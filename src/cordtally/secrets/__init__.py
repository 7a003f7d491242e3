"""Secrets: fetched from where their locators point, and handed to a driver at the last moment."""

from .fetching import SCHEMES, Surroundings, fetch
from .passing import arguments_for, text_for, with_secret

__all__ = ["SCHEMES", "Surroundings", "arguments_for", "fetch", "text_for", "with_secret"]
