"""Finds out which driver and notation a text is written for, or says that it cannot tell."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from functools import cache
from typing import NamedTuple

from ..catalog import Option, find_nearest, load_driver, load_engine, load_index, members_of
from ..errors import AmbiguousText, TextError
from ..notation import GrammarError
from .targets import Loaded, load_target

_SCHEME = re.compile(r"[A-Za-z][A-Za-z0-9+._:-]{0,40}?://")
_DSN = re.compile(r"@(?:tcp|unix)?/|(?:^|@)\w{0,8}\([^()]*\)/")
_COMMA = re.compile(r"[A-Za-z0-9_.:\[\]-]+(?:,|$)")
_PATH = re.compile(r":memory:|[^=;]+\.(?:db|db3|sqlite|sqlite3)", re.DOTALL)
_ASSIGNMENT = re.compile(r"\s*(?:#.*\n\s*)*(?:export\s+)?[A-Z][A-Z0-9_]+=")
_REGISTERED = re.compile(r"(?:^|;)\s*driver\s*=\s*\{?([^{};]+)\}?\s*(?:;|$)", re.IGNORECASE)
_INSTANCE = re.compile(r"^(?:tcp|np|lpc|admin):|\\|,\d+$|^\(local")
_DETECTION_LIMIT = 65536
_CLOSE = 5
_LONGEST_SCHEME = 48


def _is_text(text: str) -> bool:
    return text.lstrip()[:1] not in {"{", "["}


_FITS: Mapping[str, Callable[[str], bool]] = {
    "arguments": lambda text: text.lstrip()[:1] == "{",
    "path": lambda text: _is_text(text) and not text.startswith("file:"),
    "environment": lambda text: _ASSIGNMENT.match(text) is not None,
    "sections": lambda text: text.lstrip()[:1] in {"[", "#"},
    "descriptor": lambda text: text.lstrip()[:1] == "(",
    "easyconnect": lambda text: text.lstrip()[:1] != "(" and not {":", "/"}.isdisjoint(text),
}
"""What tells the notations of one driver apart where no prefix does."""


class Target(NamedTuple):
    """``driver/notation``, the prefix that the text begins with, and the engine that the prefix names."""

    target: str
    prefix: str
    engine: str | None


def find_target(text: str) -> Target:
    """Find the one driver and notation that a text is written for.

    Raises
    ------
    AmbiguousText
        When several would read it equally well.
    TextError
        When none would.
    """
    claims, any_prefix = _claims()
    targets = claims.get(text[: text.find("://", 0, _LONGEST_SCHEME) + 3])
    if targets is None and (claimed := any_prefix.match(text)) is not None:
        targets = claims[claimed[0]]
    if targets is not None:
        if len(targets) > 1:
            raise _ambiguous([target.target for target in targets])
        return targets[0]
    if not text.strip():
        raise TextError("the text is empty", hint="give a connection string, a file path or the name of a cord")
    if _SCHEME.match(text):
        raise _unknown_scheme(text)
    return _find_bare(text)


@cache
def _claims() -> tuple[Mapping[str, list[Target]], re.Pattern[str]]:
    """The targets that claim each prefix, and a pattern that finds the longest prefix of a text."""
    prefixes = load_index()["prefixes"]
    claims = {
        prefix: [Target(f"{driver}/{notation}", prefix, engine) for driver, notation, engine in readers]
        for prefix, readers in prefixes.items()
    }
    return claims, re.compile("|".join(re.escape(p) for p in sorted(claims, key=len, reverse=True)))


def _unknown_scheme(text: str) -> TextError:
    match = _SCHEME.match(text)
    assert match is not None
    prefixes = load_index()["prefixes"]
    nearest = find_nearest(match[0].lower(), prefixes)
    hint = f"did you mean {nearest[0]}?" if nearest else "cordtally drivers lists what can be read"
    if match[0].lower() in prefixes:
        hint = f"drivers want it in lower case: {match[0].lower()}"
    return TextError("no driver here reads this scheme", span=(0, match.end()), masked=match[0], caret=(0, match.end()),
                     hint=hint)  # fmt: skip


def _find_bare(text: str) -> Target:
    if (named := _REGISTERED.search(text)) is not None:
        known = load_index()["registered"].get(named[1].strip().casefold(), "odbc")
        return Target(f"{known}/semicolon", "", None)
    scores: dict[str, int] = {}
    for driver_id, notation_id, grammar in load_index()["bare"]:
        score = _score(text, driver_id, notation_id, grammar)
        if score > 0:
            scores[f"{driver_id}/{notation_id}"] = score
    if not scores:
        raise TextError(
            "it has the form of no notation that is known here, and is no file",
            hint="name the driver with --from (driver= in Python); cordtally drivers lists them",
        )
    best = max(scores.values())
    leaders = [target for target, score in scores.items() if score == best]
    if len(leaders) > 1:
        raise _ambiguous([target for target, score in scores.items() if best - score < _CLOSE])
    return Target(leaders[0], "", None)


def _score(text: str, driver_id: str, notation_id: str, grammar: str) -> int:
    """Count how well a text fits a notation without a prefix: known keys for, unknown and retired ones against.

    A driver's own name for a key counts a little more than an alias, as do values that only one kind of server has.
    """
    if grammar == "path":
        return 3 if _PATH.fullmatch(text[:4096]) and "\n" not in text else 0
    if grammar == "dsn":
        address = text.partition("?")[0].rpartition("@")[2]
        return 3 if len(text) <= _DETECTION_LIMIT and "=" not in address and _DSN.search(text) else 0
    if grammar == "arguments" and text.lstrip()[:1] != "{":
        return 0
    if grammar in {"environment", "sections", "descriptor"} and not _FITS[grammar](text):
        return 0
    if grammar == "comma" and _COMMA.match(text) is None:
        return 0
    if grammar == "semicolon" and ";" not in text and text.count("=") > 1:
        return 0
    target = load_target(f"{driver_id}/{notation_id}")
    driver = target.driver
    try:
        parsed = target.grammar.parse(text, target.dialect, "")
    except GrammarError:
        if grammar == "descriptor":
            return 6
        return 6 if grammar in {"keyword", "semicolon"} and _first_key_known(text, driver_id, grammar) else 0
    names = {(field.name or "").casefold() for field in parsed.fields}
    score = -4 * sum(name.casefold() not in names for name, _ in target.facts.opening)
    for field in parsed.fields:
        if field.role != "option":
            score += 2
            continue
        option = target.option(field.name or "")
        if option is None or option.retired:
            score -= 4
            continue
        score += 5 + (field.name == option.name) + (not driver.case_sensitive or field.name in _spellings(option))
        score += _tells(option, str(field.value), target)
    return max(0, score)


def _spellings(option: Option) -> tuple[str, ...]:
    return (option.name, *option.aliases)


def _tells(option: Option, value: str, target: Loaded) -> int:
    """What a value says of the kind of server: its usual port, or an address with an instance or a comma."""
    if option.canonical == "port":
        return 3 * any(value == str(load_engine(e).default_port) for e in target.driver.engines)
    if option.canonical == "host" and _INSTANCE.search(value):
        return 6 if target.facts.addresses is not None else -6
    return 0


def _first_key_known(text: str, driver_id: str, grammar: str) -> bool:
    """A malformed text of pairs is still told by its first key, so that its error names the right grammar."""
    if (";" in text) != (grammar == "semicolon"):
        return False
    return load_driver(driver_id).option(text[:200].partition("=")[0].strip()) is not None


def _ambiguous(targets: list[str]) -> AmbiguousText:
    listed = f"{', '.join(targets[:-1])} and {targets[-1]}"
    return AmbiguousText(
        f"{listed} would {'both' if len(targets) == 2 else 'all'} read it, each in its own way",
        hint=f"say which is meant: --from {targets[0].partition('/')[0]} (driver= in Python)",
    )


def notation_of(text: str, driver: str) -> Target:
    """Find which of a driver's notations a text is in; ``driver/notation`` settles it.

    Raises
    ------
    TextError
        When the text fits none of them.
    UnknownName
        When there is no such driver or notation.
    """
    driver_id, _, wanted = driver.partition("/")
    if members := members_of(driver_id):
        return _in_family(text, driver, members)
    loaded = load_target(driver)
    candidates = [loaded.facts] if wanted else list(loaded.driver.notations)
    bare = None
    for facts in candidates:
        if not facts.schemes and bare is None and (wanted or _FITS.get(facts.grammar, _is_text)(text)):
            bare = Target(f"{driver_id}/{facts.id}", "", None)
        for engine, prefixes in [*facts.schemes.items(), *facts.accepts.items()]:
            for prefix in sorted(prefixes, key=len, reverse=True):
                if text.startswith(prefix):
                    return Target(f"{driver_id}/{facts.id}", prefix, engine)
    scheme = _SCHEME.match(text)
    if bare is None or (scheme and bare.target.partition("/")[2] not in {"path", "dsn", "easyconnect", "firebird"}):
        wanted_prefixes = [p for f in candidates for listed in f.schemes.values() for p in listed]
        start = scheme.end() if scheme else 1
        raise TextError(
            f"the text should begin with {' or '.join(wanted_prefixes)}" if wanted_prefixes else "this is a URL",
            reading_as=driver,
            span=(0, start),
            masked=text[:start] if scheme else None,
            caret=(0, start),
        )
    return bare


def _in_family(text: str, family: str, members: tuple[str, ...]) -> Target:
    for member in members:
        try:
            return notation_of(text, member)
        except TextError:
            continue
    start = scheme.end() if (scheme := _SCHEME.match(text)) else 1
    masked = text[:start] if scheme else None
    hint = f"drivers of {family}: {', '.join(members)}"
    raise TextError(
        "no driver of this family reads it",
        reading_as=family,
        span=(0, start),
        masked=masked,
        caret=(0, start),
        hint=hint,
    )
