"""Finds out which driver and notation a text is written for, or says that it cannot tell.

What a text looks like is asked of the grammars; which keys and values a driver knows, of the catalog.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from functools import cache
from typing import NamedTuple

from ..catalog import Option, find_nearest, load_driver, load_engine, load_index, members_of, own_engines
from ..catalog.facts import WRAPPERS, NotationFacts
from ..catalog.services import service_of
from ..errors import AmbiguousText, TextError
from ..notation import LIKELY, NO, SURELY, BaseDialect, GrammarError, Parsed, find_scheme, load_grammar
from ..patterns import pattern
from ..text import unreadable
from .addresses import codec_of
from .targets import Target, load_target

_REGISTERED = pattern(r"(?:^|;)\s*(driver|provider)\s*=\s*\{?([^{};]+)\}?\s*(?:;|$)", re.IGNORECASE)
_SERVER_ADDRESS = pattern(r"^(?:tcp|np|lpc|admin):|\\|,\d+$|^\(local")
_FILE_NAME = pattern(r"\.(?:db3?|sqlite3?)$|^:memory:$")
# of those that Kombu takes lists of: a URL behind a ; may well be an option's value elsewhere, as in JDBC
_SECOND_URL = pattern(r";(?:amqps?|pyamqp|rediss?|sentinel)://")
_LONGEST_SCHEME = 48
_MOST_NAMED = 6
_LONGEST_SCORED = 65536
"""Of a longer text only the beginning is held against the drivers: each of them would take all of it apart."""

# What a text's fields count for or against a driver. Only their order of size matters, and these cases fixed it:
# a .NET text with `Server=` alone must stay ambiguous, so a known key counts the same for all that know it; a key that
# a driver does not know must nearly outweigh one that it does; `Server=desk\CUSTOMS` must go to a driver of SQL Server
# though others know the key.
_KNOWN, _OWN_NAME = 6, 1
_POSITION = 2
_UNKNOWN = -4
_USUAL_PORT = 14  # Port=5432 decides, though Npgsql has retired the Integrated Security beside it
_WINDOWS_LOG_IN = 3  # Server, Database and Integrated Security=true: SQL Server, though they are MySQL's own names
_SERVER_ADDRESS_SCORE = 6
_FILE = 6  # Data Source=tides.db
_MISSING_OPENING = -4
_BARE_NAME = -1  # Data Source=h: an alias for Oracle's driver, and a host for others
_FORM_ALONE = 3  # what a grammar that is sure counts for: less than one known key
_BROKEN = 6  # a text that its grammar refuses, and that begins as that grammar's texts do: its error is the right one
_CLOSE = 5  # drivers that are less than a known key behind the best are named when the best are equal


class Claim(NamedTuple):
    """What detection says of a text: driver and notation, the prefix it begins with, the engine that this names."""

    target: str
    prefix: str
    engine: str | None


def find_claim(text: str) -> Claim:
    """Find the one driver and notation that a text is written for.

    Raises
    ------
    AmbiguousText
        When several would read it equally well.
    TextError
        When none would.
    """
    if (second := _SECOND_URL.search(text)) is not None and "://" in text[: second.start()]:
        hint = "Celery and Kombu take such a list of URLs: read each of them by itself"
        error = unreadable("a second URL begins here", text, second.span(), hint=hint, shown=second.end())
        error.certain = True
        raise error
    claims, by_length, longer = _claims()
    scheme = text[: text.find("://", 0, _LONGEST_SCHEME) + 3]
    found, also = claims.get(scheme), load_index()["also"]
    for head in longer.get(scheme, ()):  # jdbc:es://https:// says more than jdbc:es://
        if text.startswith(head):
            found = claims[head]
            break
    if found is None or scheme in also:
        for beginning, leads in also.items():
            if text.startswith(beginning):
                for driver, notation, mark in leads:
                    if mark in text[len(beginning) :].partition("?")[0]:
                        return _led(f"{driver}/{notation}", text)
    if found is None and (wrapped := _in_toolkit(text, scheme)) is not None:
        return wrapped
    if found is None:
        prefix = next((p for p in by_length if text.startswith(p)), None)
        found = claims[prefix] if prefix is not None else None
    if found is not None:
        if len(found) > 1:
            raise _ambiguous([claim.target for claim in found])
        return found[0]
    if not text.strip():
        raise TextError("the text is empty", hint="give a connection string, a file path or the name of a cord")
    if end := find_scheme(text):
        raise _unknown_scheme(text, end)
    return _find_bare(text)


def _in_toolkit(text: str, scheme: str) -> Claim | None:
    """A URL of SQLAlchemy behind a word of Celery's or Kombu's."""
    word = next((one for one in WRAPPERS if text.startswith(one)), "")
    inner = scheme.removeprefix(word)
    reader = load_index()["wrapped"].get(inner) if word else None
    return None if reader is None else Claim(f"{reader[0]}/{reader[1]}", word + inner, reader[2])


def _led(target: str, text: str) -> Claim:
    """A claim by what a text begins with, though that need not be a prefix of the notation."""
    for engine, prefixes in load_target(target).facts.schemes.items():
        for prefix in prefixes:
            if text.startswith(prefix):
                return Claim(target, prefix, engine)
    return Claim(target, "", None)


@cache
def _claims() -> tuple[Mapping[str, list[Claim]], list[str], Mapping[str, list[str]]]:
    """The claims on each prefix, the prefixes, the longest first, and those that go on behind a scheme."""
    claims = {
        prefix: [Claim(f"{driver}/{notation}", prefix, engine) for driver, notation, engine in readers]
        for prefix, readers in load_index()["prefixes"].items()
    }
    by_length = sorted(claims, key=len, reverse=True)
    longer: dict[str, list[str]] = {}
    for prefix in by_length:
        head, slashes, tail = prefix.partition("://")
        if tail:
            longer.setdefault(head + slashes, []).append(prefix)
    return claims, by_length, longer


def _unknown_scheme(text: str, end: int) -> TextError:
    scheme, prefixes = text[:end].lower(), load_index()["prefixes"]
    nearest = find_nearest(scheme, prefixes)
    hint = f"did you mean {nearest[0]}?" if nearest else "cordtally drivers lists what can be read"
    if (readers := load_index()["accepted"].get(scheme)) is not None:
        more = " and others" if len(readers) > _MOST_NAMED else ""
        hint = (
            f"name the driver that is meant with --from (driver= in Python): {', '.join(readers[:_MOST_NAMED])}{more}"
        )
    elif scheme in prefixes:
        hint = f"drivers want it in lower case: {scheme}"
    return unreadable("no driver here reads this scheme", text, (0, end), hint=hint, shown=end)


def _find_bare(text: str) -> Claim:
    if (named := _REGISTERED.search(text)) is not None:
        return Claim(f"{_registered(text, named)}/semicolon", "", None)
    # a name in Driver= settles it above; here every driver without a prefix gets a try
    taken = _Taken(text[:_LONGEST_SCORED])
    scores: dict[str, int] = {}
    for driver_id, notation_id, grammar in load_index()["bare"]:
        score = _score(taken, f"{driver_id}/{notation_id}", grammar)
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
        close = _at_place(taken, [target for target, score in scores.items() if best - score < _CLOSE])
        if len(close) > 1:
            raise _ambiguous(close)
        leaders = close
    return Claim(leaders[0], "", None)


def _at_place(taken: _Taken, close: list[str]) -> list[str]:
    """Of drivers that are alike those whose engine is at the place that their host is known to belong to."""
    kept = []
    for name in close:
        target = load_target(name)
        parsed = taken.apart(target)
        fields = () if isinstance(parsed, GrammarError) else parsed.fields
        hosts = [f for f in fields if (o := target.option(f.name or "")) is not None and o.canonical == "host"]
        addresses = [one.host for f in hosts for one in codec_of(target.facts.addresses).read(f.value)]
        place = next((place for host in addresses if (place := service_of(host)) is not None), None)
        if place is not None and not set(place.engines).isdisjoint(target.driver.engines):
            kept.append(name)
    return kept or close


def _registered(text: str, named: re.Match[str]) -> str:
    """The driver that a driver manager knows by a name, which may follow a pattern."""
    registered, kind = load_index()["registered"], named[1].casefold()
    name = named[2].strip().casefold()
    name = f"provider:{name}" if kind == "provider" else name
    if name in registered:
        return str(registered[name])
    from fnmatch import fnmatchcase

    for known, driver in registered.items():
        if fnmatchcase(name, known):
            return str(driver)
    hint = "--from odbc reads its pairs as those of no driver in particular" if kind == "driver" else None
    problem = f"no {kind} that is known here is registered under this name"
    raise unreadable(problem, text, named.span(2), hint=hint, shown=named.end(2))


class _Taken:
    """One text as each dialect takes it apart: most drivers of pairs share one of a few."""

    def __init__(self, text: str) -> None:
        self.text = text
        self._likeness: dict[str, int] = {}
        self._parsed: dict[BaseDialect, Parsed | GrammarError] = {}

    def likeness(self, grammar: str) -> int:
        found = self._likeness.get(grammar)
        if found is None:
            found = self._likeness[grammar] = load_grammar(grammar).looks_like(self.text)
        return found

    def apart(self, target: Target) -> Parsed | GrammarError:
        found = self._parsed.get(target.dialect)
        if found is None:
            try:
                found = target.grammar.parse(self.text, target.dialect, "")
            except GrammarError as error:
                found = error
            self._parsed[target.dialect] = found
        return found


def _score(taken: _Taken, target_name: str, grammar_name: str) -> int:
    """Count how well a text fits a notation without a prefix: known keys for, unknown and retired ones against.

    A driver's own name for a key counts a little more than an alias, as do values that only one kind of server has.
    """
    # cheap, and asked before a driver's options are loaded: most grammars drop out here
    likeness = taken.likeness(grammar_name)
    if likeness == SURELY:
        return _FORM_ALONE
    if likeness < LIKELY:
        return 0
    target = load_target(target_name)
    parsed, text = taken.apart(target), taken.text
    if isinstance(parsed, GrammarError):
        if not _begins_as(text, target):
            return 0
        # what stands before the broken pair tells as much as it does in a whole text
        whole = text.rfind(";", 0, parsed.start) + 1
        return _BROKEN + (_score(_Taken(text[:whole]), target_name, grammar_name) if 0 < whole < len(text) else 0)
    if target.facts.grammar == "comma" and not _says_whose(parsed, target):
        return 0
    names = {(field.name or "").casefold() for field in parsed.fields}
    if target.facts.known_by and names.isdisjoint(name.casefold() for name in target.facts.known_by):
        return 0
    score = _MISSING_OPENING * sum(name.casefold() not in names for name, _ in target.facts.opening)
    for field in parsed.fields:
        if field.role != "option":
            score += _POSITION
            continue
        name = field.name or ""
        option = target.option(name)
        if option is None or option.retired:
            score += _UNKNOWN
            continue
        score += _KNOWN + _OWN_NAME * (name == option.name)
        score += _tells(option, str(field.value), target)
    return max(0, score)


def _says_whose(parsed: Parsed, target: Target) -> bool:
    """Whether hosts alone tell whose they are: by an option, or by a port that the engine is known by."""
    engines = [load_engine(engine) for engine in own_engines(target.driver.id)]
    usual = {str(port) for engine in engines for port in (engine.default_port, *engine.other_ports)}
    places = [service_of(str(field.value)) for field in parsed.fields if field.role == "host"]
    known = any(not set(place.engines).isdisjoint(target.driver.engines) for place in places if place is not None)
    return known or any(f.role == "option" or (f.role == "port" and str(f.value) in usual) for f in parsed.fields)


def _tells(option: Option, value: str, target: Target) -> int:
    """What a value says of the kind of server: its usual port, or an address with an instance or a comma."""
    if option.canonical == "port":
        return _USUAL_PORT * any(value == str(load_engine(e).default_port) for e in target.driver.engines)
    if option.canonical == "authentication" and value.casefold() in {"true", "yes", "sspi"}:
        return _WINDOWS_LOG_IN * any(load_engine(e).windows_log_in for e in target.driver.engines)
    carries = target.facts.carries
    if carries is not None and option.name == carries[0]:
        return 0 if set("(/:") & set(value) else _BARE_NAME
    if option.canonical == "database" and _FILE_NAME.search(value):
        return _FILE * any(load_engine(e).embedded for e in target.driver.engines)
    if option.canonical == "host" and _SERVER_ADDRESS.search(value):
        return _SERVER_ADDRESS_SCORE if codec_of(target.facts.addresses).instances else -_SERVER_ADDRESS_SCORE
    return 0


def _begins_as(text: str, target: Target) -> bool:
    """Whether a malformed text begins as those of a target do: with a key that it knows, or with its first mark."""
    if "=" not in text or target.facts.grammar == "arguments":
        return False
    if text.lstrip()[:1] == "(":
        return True
    if (";" in text) != (target.facts.grammar == "semicolon"):
        return False
    return target.driver.option(text[:200].partition("=")[0].strip()) is not None


def _ambiguous(targets: list[str]) -> AmbiguousText:
    error = _said_ambiguous(targets)
    error.targets = tuple(targets)
    return error


def _said_ambiguous(targets: list[str]) -> AmbiguousText:
    named = []
    for target in targets:
        driver = target.partition("/")[0]
        engines = [load_engine(engine).title for engine in own_engines(driver)]
        named.append(f"{driver} ({' or '.join(engines)})" if len(engines) < 3 else driver)
    if all(load_driver(target.partition("/")[0]).language == "odbc" for target in targets):
        named.append("odbc (a data source of any engine)")
    return AmbiguousText(
        f"{len(targets)} drivers would read it, each in its own way",
        hint=f"say which is meant with --from (driver= in Python): {', '.join(named)}",
    )


def claim_of(text: str, driver: str) -> Claim:
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
    target = load_target(driver)
    identifier = next((n.carries[1] for n in target.driver.notations if n.carries), None)
    only_arguments = all(n.grammar == "arguments" for n in target.driver.notations)
    if not wanted and identifier is not None and only_arguments and text.lstrip()[:1] not in {"{", "["}:
        return claim_of(text, identifier)
    word = next((one for one in WRAPPERS if text.startswith(one)), "") if target.driver.family == "sqlalchemy" else ""
    candidates = [target.facts] if wanted else list(target.driver.notations)
    for facts in candidates:
        mark = facts.also.get("")
        if mark is not None and mark in text and load_grammar(facts.grammar).looks_like(text) > NO:
            return Claim(f"{driver_id}/{facts.id}", "", None)
    bare = None
    for facts in candidates:
        if not facts.schemes and bare is None and (wanted or load_grammar(facts.grammar).looks_like(text) > NO):
            bare = Claim(f"{driver_id}/{facts.id}", "", None)
        # the longest first, since one prefix may begin with another
        for engine, prefixes in [*facts.schemes.items(), *facts.accepts.items()]:
            for prefix in sorted(prefixes, key=len, reverse=True):
                if text.startswith(word + prefix):
                    return Claim(f"{driver_id}/{facts.id}", word + prefix, engine)
    # a URL is read as a path or a DSN where those may look so, and is no pairs of keys and values
    no_url = bare is not None and load_grammar(load_target(bare.target).facts.grammar).looks_like(text) == NO
    if bare is None or (find_scheme(text) and no_url):
        wanted_prefixes = [p for f in candidates for listed in f.schemes.values() for p in listed]
        problem = f"the text should begin with {' or '.join(wanted_prefixes)}" if wanted_prefixes else "this is a URL"
        raise _misfit(problem, text, driver)
    return bare


def _misfit(problem: str, text: str, reading_as: str, hint: str | None = None) -> TextError:
    end = find_scheme(text)
    return unreadable(problem, text, (0, end or 1), reading_as=reading_as, hint=hint, shown=end)


def _in_family(text: str, family: str, members: tuple[str, ...]) -> Claim:
    for member in members:
        try:
            return claim_of(text, member)
        except TextError:
            continue
    # those that read texts with a beginning like this one's are the ones that may have been meant
    head = text.partition(":")[0].partition("+")[0]
    near = [one for one in members if any(p.startswith(head) for n in load_driver(one).notations for p in _prefixes(n))]
    named = near if head and near else list(members)
    more = (
        f" and {len(named) - _MOST_NAMED} more (cordtally drivers --search {family})"
        if len(named) > _MOST_NAMED
        else ""
    )
    hint = f"drivers of {family}: {', '.join(named[:_MOST_NAMED])}{more}"
    raise _misfit("no driver of this family reads it", text, family, hint)


def _prefixes(notation: NotationFacts) -> list[str]:
    return [prefix for listed in notation.schemes.values() for prefix in listed]
