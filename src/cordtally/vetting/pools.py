"""The family of pools: what is reported of a pool's settings. ``pooling.settings.vet`` does the checking."""

from __future__ import annotations

from .ids import RuleId
from .rules import Rule, Severity, Sight, rule


def _rule(rule_id: RuleId, severity: Severity, title: str, why: str, *, bad: str, good: str) -> Rule:
    return rule(rule_id, severity, Sight.POOL, title=title, why=why, bad=bad, good=good)(None)


RULES = (
    _rule(
        RuleId.REFUSED_VALUE,
        Severity.ERROR,
        "a value that the pool refuses",
        "The program does not start, or the pool takes another value.",
        bad="hikaricp maximumPoolSize=0",
        good="hikaricp maximumPoolSize=10",
    ),
    _rule(
        RuleId.MINIMUM_ABOVE_MAXIMUM,
        Severity.ERROR,
        "a minimum above the maximum",
        "Libraries refuse it, or silently lower one of the two.",
        bad="hikaricp maximumPoolSize=5 minimumIdle=10",
        good="hikaricp maximumPoolSize=10 minimumIdle=5",
    ),
    _rule(
        RuleId.CONNECTIONS_THROWN_AWAY,
        Severity.WARNING,
        "connections that are closed as soon as they are idle",
        "Under a load that changes, each of them is opened anew, which costs more than the request.",
        bad="database-sql MaxOpenConns=20",
        good="database-sql MaxOpenConns=20 MaxIdleConns=20",
    ),
    _rule(
        RuleId.ENDLESS_ACQUIRE,
        Severity.WARNING,
        "a wait for a connection without end",
        "One leak then stops the whole program, and nothing says why.",
        bad="pg-pool max=10",
        good="pg-pool max=10 connectionTimeoutMillis=2000",
    ),
    _rule(
        RuleId.ACQUIRE_BELOW_CONNECT,
        Severity.WARNING,
        "an acquire timeout below the time to connect",
        "Whoever needs a new connection gives up while it is being opened.",
        bad="tarn acquireTimeoutMillis=1000 createTimeoutMillis=30000",
        good="tarn acquireTimeoutMillis=30000 createTimeoutMillis=5000",
    ),
    _rule(
        RuleId.IDLE_BEYOND_LIFETIME,
        Severity.WARNING,
        "an idle timeout that never acts",
        "The lifetime ends first, so what was meant by the other one does not happen.",
        bad="hikaricp minimumIdle=2 idleTimeout=1800000 maxLifetime=600000",
        good="hikaricp minimumIdle=2 idleTimeout=300000 maxLifetime=600000",
    ),
    _rule(
        RuleId.POOL_NEVER_SHRINKS,
        Severity.NOTE,
        "a pool that keeps all its connections",
        "An idle timeout has no effect where the minimum is the maximum.",
        bad="hikaricp maximumPoolSize=10 minimumIdle=10 idleTimeout=60000",
        good="hikaricp maximumPoolSize=10 minimumIdle=2 idleTimeout=60000",
    ),
    _rule(
        RuleId.SETTING_WITHOUT_EFFECT,
        Severity.WARNING,
        "a setting without the one that it needs",
        "The library reads it and does nothing with it.",
        bad="dbcp2 removeAbandonedTimeout=60",
        good="dbcp2 removeAbandonedTimeout=60 removeAbandonedOnBorrow=true",
    ),
    _rule(
        RuleId.STATE_IS_NOT_KEPT,
        Severity.NOTE,
        "a pooler that gives each transaction another connection",
        "What a session sets, prepares, listens to or locks is gone, or met by another client.",
        bad="pgbouncer pool_mode=transaction",
        good="pgbouncer pool_mode=session",
    ),
    _rule(
        RuleId.POOLS_OVER_LIMIT,
        Severity.ERROR,
        "pools that together exceed the server's limit",
        "When all of them are full the server refuses whoever comes next.",
        bad="hikaricp maximumPoolSize=40 | instances=4 limit=100",
        good="hikaricp maximumPoolSize=20 | instances=4 limit=100",
    ),
    _rule(
        RuleId.ENDLESS_POOL,
        Severity.ERROR,
        "a pool without a largest size",
        "A slow moment opens connections until the server has none left.",
        bad="database-sql MaxIdleConns=2 | limit=100",
        good="database-sql MaxOpenConns=20 | limit=100",
    ),
    _rule(
        RuleId.SERVER_HANGS_UP_FIRST,
        Severity.ERROR,
        "connections that the server ends before the pool does",
        "The next request gets a dead one.",
        bad="hikaricp idleTimeout=600000 maxLifetime=1800000 | idle=60s",
        good="hikaricp minimumIdle=2 idleTimeout=30000 maxLifetime=1800000 | idle=60s",
    ),
)
