"""The catalog: what is known about engines, drivers and options, as data with its source."""

from ..errors import CatalogError
from .engine_facts import Engine
from .everyday import find_name, nearest_names
from .facts import Driver, NotationFacts, Option, State
from .loading import (
    driver_ids,
    drivers,
    engine_ids,
    family_of,
    ids_of,
    is_store,
    load_canonical,
    load_driver,
    load_engine,
    load_index,
    load_remarks,
    load_stores,
    members_of,
    own_engines,
    plugged_stores,
    port_taken,
    some_engines,
    unknown_driver,
)
from .nearest import find_nearest
from .word_facts import CanonicalOption, RemarkWords, Store

__all__ = [
    "CanonicalOption",
    "CatalogError",
    "Driver",
    "Engine",
    "NotationFacts",
    "Option",
    "RemarkWords",
    "State",
    "Store",
    "driver_ids",
    "drivers",
    "engine_ids",
    "family_of",
    "find_name",
    "find_nearest",
    "ids_of",
    "is_store",
    "load_canonical",
    "load_driver",
    "load_engine",
    "load_index",
    "load_remarks",
    "load_stores",
    "members_of",
    "nearest_names",
    "own_engines",
    "plugged_stores",
    "port_taken",
    "some_engines",
    "unknown_driver",
]
