"""Targets: ``driver`` or ``driver/notation``, loaded and made ready to read and write."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from functools import cache
from typing import NamedTuple

from ..catalog import (
    Driver,
    NotationFacts,
    Option,
    family_of,
    find_nearest,
    load_driver,
    load_index,
    members_of,
    own_engines,
    unknown_driver,
)
from ..errors import UnknownName
from ..model import Cord, DiscoveryKind
from ..notation import BaseDialect, Grammar, load_grammar, make_dialect
from ..notation.url import Dialect as UrlDialect


class Target(NamedTuple):
    """A driver's notation, made ready: facts, grammar module, dialect, and the options that this notation takes.

    ``boxed`` names the options whose values are texts of their own, ``needy`` maps options to what they need beside
    them, ``members`` maps options whose values are objects to the options that stand for their members, and
    ``conditions`` names the options on whose presence a TLS level or a log-in method depends; a conflict can only be
    where one of ``triggers`` stands, None if there is one that needs none of them; ``watches`` says that the dialect
    has ways of its own in which a text slips.
    """

    driver: Driver
    facts: NotationFacts
    grammar: Grammar[BaseDialect]
    dialect: BaseDialect
    by_canonical: Mapping[str, Option]
    by_spelling: Mapping[str, Option]
    exact: bool
    boxed: frozenset[str]
    needy: Mapping[str, str]
    members: Mapping[str, frozenset[str]]
    conditions: frozenset[str]
    triggers: frozenset[str] | None
    watches: bool

    @property
    def name(self) -> str:
        """``driver/notation``."""
        return f"{self.driver.id}/{self.facts.id}"

    def option(self, spelling: str) -> Option | None:
        """Find an option of this notation by the driver's name or alias for it."""
        return self.by_spelling.get(spelling if self.exact else spelling.casefold())

    def shown_need(self, name: str) -> str:
        """How an option that another one needs is shown: the prefix itself, where a prefix stands for it."""
        need = self.needy[name]
        return next(iter(self.facts.scheme_words), need) if need == "(scheme)" else need

    def spelled(self, name: str | None) -> str | None:
        """Give an option's name as this notation spells it."""
        facts = self.facts
        return (facts.names or facts.respelled).get(name, name) if name is not None else None


@cache
def load_target(target: str) -> Target:
    """Load ``driver`` or ``driver/notation``.

    Raises
    ------
    UnknownName
        When there is no such driver, or it has no such notation.
    """
    driver_id, _, notation_id = target.partition("/")
    driver = load_driver(driver_id)
    facts = driver.notation(notation_id or None)
    if facts is None:
        known = [n.id for n in driver.notations]
        raise UnknownName(
            f"notation of {driver_id}",
            notation_id,
            nearest=find_nearest(notation_id, known),
            hint=f"{driver_id} takes {', '.join(known)}",
        )
    by_spelling = {k: o for k, o in driver.by_spelling.items() if o.is_in(facts.id)}
    if facts.names:
        by_spelling = {facts.names[o.name]: o for o in by_spelling.values() if o.name in facts.names}
    for name, spelling in facts.respelled.items():
        renamed = driver.options[name]
        by_spelling = {k: o for k, o in by_spelling.items() if o is not renamed}
        by_spelling[spelling if driver.case_sensitive else spelling.casefold()] = renamed
    taken = {o.name for o in by_spelling.values()}
    by_canonical: dict[str, Option] = {}
    for option in driver.options.values():
        if option.canonical is not None and option.name in taken and not option.read_only:
            by_canonical.setdefault(option.canonical, option)
    dialect = make_dialect(facts.grammar, facts.flags)
    needy = {o.name: o.needs for o in by_spelling.values() if o.needs in taken}
    conditions = [n for row in (*driver.tls, *driver.authentication) for n in (*row.given, *row.absent)]
    boxed = [held[0] for held in (driver.nested, facts.carries) if held is not None]
    return Target(driver, facts, load_grammar(facts.grammar), dialect, by_canonical, by_spelling,
                  driver.case_sensitive or bool(facts.names), frozenset(boxed), needy,
                  _members(by_spelling.values()), frozenset(conditions), _triggers(driver),
                  _watches(dialect))  # fmt: skip


def _watches(dialect: BaseDialect) -> bool:
    if not isinstance(dialect, UrlDialect):
        return False
    return dialect.hosts.behind_port == "dropped" or dialect.hosts.lone_brackets or dialect.path.kind == "number"


def _triggers(driver: Driver) -> frozenset[str] | None:
    """For each conflict an option, with its aliases, that seldom stands in a text, and without which there is none."""
    found: set[str] = set()
    for conflict in driver.conflicts:
        options = [driver.options[name] for name in sorted(conflict.needs) if name in driver.options]
        seldom = next((o for o in options if o.canonical in {None, "tls.ca"}), None)
        if seldom is None or not driver.case_sensitive:
            return None
        found.update((seldom.name, *seldom.aliases))
    return frozenset(found)


def _members(options: Collection[Option]) -> dict[str, frozenset[str]]:
    """The options that stand for members of an object, by the option that holds it."""
    found: dict[str, set[str]] = {}
    kinds = {option.name: option.type for option in options}
    for option in options:
        outer, dot, _ = option.name.partition(".")
        if dot and kinds.get(outer) == "object":
            found.setdefault(outer, set()).add(option.name)
    return {outer: frozenset(names) for outer, names in found.items()}


def choose_target(target: str, cord: Cord) -> Target:
    """Load the target that suits a cord.

    A family gives its first driver for the engine; a driver without a notation gives the one made for what the cord
    needs (a service record, a socket, an alias), or else its first.
    """
    name, slash, notation = target.partition("/")
    # of a family of drivers one that is made for the engine comes before those that speak its protocol only
    fitting = [member for member in members_of(name) if cord.engine in load_index()["drivers"][member]["engines"]]
    if fitting:
        name = next((member for member in fitting if cord.engine in own_engines(member)), fitting[0])
    if name not in load_index()["drivers"]:
        raise unknown_driver(name, cord.engine)
    if notation:
        return load_target(name + slash + notation)
    notations = load_driver(name).notations
    needs = _needs(cord)
    for facts in notations:
        if not needs.isdisjoint(facts.only_for):
            return load_target(f"{name}/{facts.id}")
    for facts in notations:
        if not facts.only_for and (not facts.schemes or {cord.engine, family_of(cord.engine)} & facts.schemes.keys()):
            return load_target(f"{name}/{facts.id}")
    return load_target(name)


def _needs(cord: Cord) -> set[str]:
    needs = set()
    if cord.discovery.kind is not DiscoveryKind.DIRECT:
        needs.add(cord.discovery.kind.value)
    if len(cord.hosts) == 1 and cord.hosts[0].is_socket:
        needs.add("socket")
    if len(cord.hosts) > 1:
        needs.add("several")
    needs.update(name for name, _ in cord.options)
    return needs


def level_by_port(target: Target, cord: Cord) -> str | None:
    """Give the TLS level that follows from a cord's port to this driver; None where none does."""
    levels = target.driver.port_levels
    return levels.get(str(cord.hosts[0].port)) if levels and cord.hosts else None
