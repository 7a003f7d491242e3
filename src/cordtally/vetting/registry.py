"""All rules, by id: the one registry, put together from the families."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from types import ModuleType

from . import (
    certificates,
    characters,
    databases,
    escaping,
    hosts,
    leftovers,
    logins,
    options,
    places,
    pools,
    projects,
    timeouts,
    tls,
    tokens,
    trees,
    unread,
)
from .ids import RuleId
from .rules import Rule, Sight


def _rules_of(module: ModuleType) -> Iterator[Rule]:
    """The rules of a module: those that it names, and those that it lists."""
    for name, value in vars(module).items():
        if isinstance(value, Rule) and name[0] != "_":
            yield value
    yield from getattr(module, "RULES", ())


_MODULES = {
    "text": (unread, escaping, characters, leftovers),
    "where it leads": (hosts, places, databases),
    "log-in": (logins, tokens),
    "TLS": (tls, certificates),
    "options": (options, timeouts),
    "pools": (pools,),
    "lines of files": (trees,),
    "projects": (projects,),
}
FAMILIES: Mapping[str, tuple[Rule, ...]] = {
    family: tuple(rule for module in modules for rule in _rules_of(module)) for family, modules in _MODULES.items()
}
RULES: Mapping[RuleId, Rule] = {rule.id: rule for rules in FAMILIES.values() for rule in rules}
BY_SIGHT: Mapping[Sight, tuple[Rule, ...]] = {
    sight: tuple(rule for rule in RULES.values() if rule.sees is sight and rule.check is not None) for sight in Sight
}
