"""The event simulation against an independent model of the same pool, written with SimPy's processes: the same in distribution."""

import math

import numpy as np
import pytest
import simpy

from cordtally.pooling.simulation.draws import Spread
from cordtally.pooling.simulation.simulate import Requests, plain_rules, simulate_pools

COUNT, RUNS, RATE, HOLD = 4_000, 10, 90.0, 0.035


def pool_by_processes(rng, *, size, timeout, open_time, idle_timeout, lifetime, alpha, newest=True):  # noqa: PLR0915
    """Opened on demand by the pool, newest idle first, timeouts, idle timeout, lifetime, holds that stretch."""
    env = simpy.Environment()
    idle, line, waits = [], [], []
    state = {"open": 0, "opening": 0, "active": 0, "changed": env.event()}

    def change(by):
        state["active"] += by
        changed, state["changed"] = state["changed"], env.event()
        changed.succeed()

    def end(connection):
        state["open"] -= 1
        grow()

    def grow():
        while state["opening"] < sum(not turn.triggered for turn in line) and state["open"] < size:
            state["open"] += 1
            state["opening"] += 1
            env.process(opening())

    def opening():
        yield env.timeout(open_time)
        state["opening"] -= 1
        connection = {"ends": env.now + lifetime, "since": env.now, "gone": False}
        env.process(retire(connection))
        offer(connection)
        grow()

    def retire(connection):
        yield env.timeout(lifetime)
        if connection in idle:
            idle.remove(connection)
            connection["gone"] = True
            end(connection)

    def tire(connection, since):
        yield env.timeout(idle_timeout)
        if connection in idle and connection["since"] == since:
            idle.remove(connection)
            connection["gone"] = True
            end(connection)

    def offer(connection):
        if env.now >= connection["ends"]:
            end(connection)
            return
        while line:
            turn = line.pop(0)
            if not turn.triggered:
                turn.succeed(connection)
                return
        connection["since"] = env.now
        idle.append(connection)
        env.process(tire(connection, env.now))

    def request(hold):
        asked = env.now
        if idle:
            connection = idle.pop() if newest else idle.pop(0)
        else:
            turn = env.event()
            line.append(turn)
            grow()
            yield turn | env.timeout(timeout)
            if not turn.triggered:
                line.remove(turn)
                waits.append(math.inf)
                return
            connection = turn.value
        waits.append(env.now - asked)
        change(1)
        while hold > 1e-12:
            stretch, since = 1 + alpha * (state["active"] - 1), env.now
            yield env.timeout(hold * stretch) | state["changed"]
            hold -= (env.now - since) / stretch
        change(-1)
        offer(connection)

    def source():
        for gap, hold in zip(rng.exponential(1 / RATE, COUNT).tolist(), rng.exponential(HOLD, COUNT).tolist()):
            yield env.timeout(gap)
            env.process(request(hold))

    env.process(source())
    env.run(until=COUNT / RATE * 1.5)
    return np.array(waits)


def pool_by_events(rng, *, size, timeout, open_time, idle_timeout, lifetime, alpha, newest=True):
    nothing = np.zeros(COUNT, dtype=int)
    requests = Requests(np.cumsum(rng.exponential(1 / RATE, COUNT)), rng.exponential(HOLD, COUNT), nothing, nothing)
    rules = plain_rules(
        1, size, COUNT / RATE * 1.5, min_size=0, acquire_timeout=timeout, idle_timeout=idle_timeout, lifetime=lifetime, alpha=alpha, reuse_newest=newest,
    )  # fmt: skip
    run = simulate_pools(rules, requests, rng=rng, connect=Spread(open_time, 0.0), plan=[])
    return np.where(run.statuses == 2, math.inf, run.waits)


@pytest.mark.parametrize(
    "rules",
    [
        {"size": 4, "timeout": 0.15, "open_time": 0.0, "idle_timeout": 1e6, "lifetime": 1e6, "alpha": 0.0},
        {"size": 5, "timeout": 0.15, "open_time": 0.03, "idle_timeout": 0.2, "lifetime": 1e6, "alpha": 0.0},
        {"size": 5, "timeout": 0.15, "open_time": 0.03, "idle_timeout": 0.2, "lifetime": 1e6, "alpha": 0.0, "newest": False},
        {"size": 5, "timeout": 0.3, "open_time": 0.03, "idle_timeout": 1.0, "lifetime": 0.5, "alpha": 0.0},
        {"size": 6, "timeout": 0.3, "open_time": 0.02, "idle_timeout": 0.5, "lifetime": 2.0, "alpha": 0.08},
    ],
)
def test_the_same_pool_twice(rules):
    """Requests drawn alike for both: mean wait, the share that waits and the share that gives up differ by chance at most."""
    figures = {}
    for model in (pool_by_processes, pool_by_events):
        found = [model(np.random.default_rng([11, run]), **rules) for run in range(RUNS)]
        figures[model] = np.array([[np.minimum(w, rules["timeout"]).mean(), (w > 1e-9).mean(), np.isinf(w).mean(), np.quantile(np.minimum(w, 9), 0.95)] for w in found])
    differences = figures[pool_by_processes] - figures[pool_by_events]
    spread = differences.std(axis=0, ddof=1) / math.sqrt(RUNS)
    assert (np.abs(differences.mean(axis=0)) <= 4 * spread + 1e-6 + 0.002 * figures[pool_by_events].mean(axis=0)).all(), (rules, differences.mean(axis=0))
