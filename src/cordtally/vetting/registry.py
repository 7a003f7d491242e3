"""All rules, by id: the one registry, put together from the families."""

from __future__ import annotations

from collections.abc import Mapping

from . import pools, security, texts, trees
from .rules import Rule, RuleId

RULES: Mapping[RuleId, Rule] = {rule.id: rule for rule in (*security.RULES, *texts.RULES, *pools.RULES, *trees.RULES)}
