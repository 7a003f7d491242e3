"""The catalog: what is known about engines, drivers and options, as data with its source."""

from .facts import CanonicalOption, CatalogError, Driver, Engine, NotationFacts, Option, State
from .loading import driver_ids, engine_ids, load_canonical, load_driver, load_engine, load_index, members_of
from .nearest import find_nearest

__all__ = [
    "CanonicalOption",
    "CatalogError",
    "Driver",
    "Engine",
    "NotationFacts",
    "Option",
    "State",
    "driver_ids",
    "engine_ids",
    "find_nearest",
    "load_canonical",
    "load_driver",
    "load_engine",
    "load_index",
    "members_of",
]
