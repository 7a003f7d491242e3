"""Secrets: fetched from where their locators point, and handed to a driver at the last moment."""

from .fetching import (
    describe,
    drop,
    fetch,
    fetch_together,
    fetch_together_async,
    list_kept,
    put,
    put_together,
    refuse_unwritable,
)
from .opening import async_opener_for, log_in_of, opener_for
from .passing import arguments_for, environment_for, text_for, with_secret, with_secret_async
from .stores import Described, Store, Surroundings, store_of

__all__ = [
    "Described",
    "Store",
    "Surroundings",
    "arguments_for",
    "async_opener_for",
    "describe",
    "drop",
    "environment_for",
    "fetch",
    "fetch_together",
    "fetch_together_async",
    "list_kept",
    "log_in_of",
    "opener_for",
    "put",
    "put_together",
    "refuse_unwritable",
    "store_of",
    "text_for",
    "with_secret",
    "with_secret_async",
]
