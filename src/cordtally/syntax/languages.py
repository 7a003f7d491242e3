"""What is known about formats and languages that have a grammar: one file each in ``catalog/languages``."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Mapping
from functools import cache
from pathlib import Path
from typing import Any

from .strings import Form

LANGUAGES = Path(__file__).parents[1] / "catalog" / "languages"


@cache
def load_language(name: str) -> Mapping[str, Any]:
    """Load what is known about a format that has a grammar."""
    return tomllib.loads((LANGUAGES / f"{name}.toml").read_text("utf-8"))


@cache
def load_forms(name: str) -> tuple[Form, ...]:
    """Load the ways in which a language writes strings; none for what has no strings of its own."""
    return tuple(Form(**form) for form in language_facts(name).get("strings", ()))


@cache
def lookup_patterns(name: str) -> tuple[re.Pattern[str], ...]:
    """The ways in which a language looks a variable of the environment up."""
    return tuple(re.compile(one, re.DOTALL) for one in load_language(name).get("lookups", ()))


@cache
def known_endings() -> Mapping[str, str]:
    """The formats by the endings of their files' names."""
    return {
        ending: path.stem for path in sorted(LANGUAGES.glob("*.toml")) for ending in load_language(path.stem)["endings"]
    }


def comment_sign(name: str) -> str:
    """What begins a comment that ends with its line; empty for formats without such."""
    return str(language_facts(name).get("comment", ""))


def language_facts(name: str) -> Mapping[str, Any]:
    """What is known about a format or language; nothing about one without a grammar."""
    return load_language(name) if (LANGUAGES / f"{name}.toml").is_file() else {}
