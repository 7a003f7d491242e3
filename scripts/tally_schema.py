"""Makes the JSON Schema of tally.toml, for editors that complete it, of the tables that the reader goes by."""

from __future__ import annotations

from typing import Any

from cordtally.catalog import load_canonical, load_index
from cordtally.model import AuthenticationMethod, TlsLevel
from cordtally.tally.shape import ABOUT, NAMED, VERSION, Key, Table

_NAME = "^[A-Za-z][A-Za-z0-9_-]*$"
_TYPES: dict[str, dict[str, Any]] = {
    "text": {"type": "string"},
    "locator": {"type": "string", "pattern": "^[a-z][a-z0-9+.-]*:"},
    "whole": {"type": "integer", "minimum": 0},
    "number": {"type": "number"},
    "texts": {"type": "array", "items": {"type": "string"}},
    "table": {"type": "object", "additionalProperties": {"type": ["string", "integer", "boolean"]}},
    "quantity": {"type": ["string", "number"]},
    "time": {"type": "string"},
}
_OPTIONS = {"duration": "string", "bytes": ["string", "integer"], "bool": "boolean", "int": "integer"}


def tally_schema() -> dict[str, Any]:
    """Give the schema."""
    words = {
        "@engines": sorted(load_index()["engines"]),
        "@levels": [level.value for level in TlsLevel],
        "@logins": [method.value for method in AuthenticationMethod],
    }
    tables = {kind: _table(table, words) for kind, table in NAMED.items()}
    overlay = {"type": "object", "propertyNames": {"pattern": _NAME}, "additionalProperties": {"$ref": "#/$defs/cord"}}
    named = {
        kind: {
            "description": ABOUT[kind],
            "type": "object",
            "propertyNames": {"pattern": _NAME},
            "additionalProperties": {"$ref": "#/$defs/cord"} if kind == "cords" else table,
        }
        for kind, table in tables.items()
    }
    named["environments"] |= {"additionalProperties": overlay}
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "tally.toml",
        "type": "object",
        "required": ["tally"],
        "additionalProperties": False,
        "properties": {
            "tally": {"description": ABOUT["tally"], "const": VERSION},
            "defaults": {"description": ABOUT["defaults"], "$ref": "#/$defs/cord"},
            **named,
        },
        "$defs": {"cord": tables["cords"]},
    }


def _table(table: Table, words: dict[str, list[str]]) -> dict[str, Any]:
    needed = [name for name, key in table.items() if key.needed]
    made = {
        "type": "object",
        "additionalProperties": False,
        "properties": {name: {"description": key.about, **_value(key, words)} for name, key in table.items()},
    }
    return made | ({"required": needed} if needed else {})


def _value(key: Key, words: dict[str, list[str]]) -> dict[str, Any]:
    if key.words:
        return {"enum": [word for one in key.words for word in words.get(one, [one])]}
    if key.kind != "option":
        return _TYPES[key.kind]
    options = {
        name: {"enum": list(fact.values)} if fact.type == "word" else {"type": _OPTIONS.get(fact.type, "string")}
        for name, fact in sorted(load_canonical().items())
    }
    return {"type": "object", "properties": options}  # a driver's own names may stand there, too
