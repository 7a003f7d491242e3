"""Speed of the pool simulations as ratios to SimPy models of the same pools, in one run; linearity; memory; sizing.

    python benchmarks/bench_pool.py            # with Numba, as installed
    NUMBA_DISABLE_JIT=1 python benchmarks/bench_pool.py
"""

import resource
import sys
import time

import numpy as np
import simpy

import cordtally as ct
from cordtally.pooling.simulation import rules as r
from cordtally.pooling.simulation.accelerating import ACCELERATED
from cordtally.pooling.simulation.draws import Spread, draw_arrivals
from cordtally.pooling.simulation.plain import simulate_waits
from cordtally.pooling.simulation.simulate import Requests, plain_rules, simulate_pools

RATE, HOLD, SIZE = 120.0, 0.035, 6


def best(function, *, times=3):
    found = []
    for _ in range(times):
        begun = time.perf_counter()
        function()
        found.append(time.perf_counter() - begun)
    return min(found)


def simpy_plain(count):
    rng = np.random.default_rng(1)
    env = simpy.Environment()
    pool = simpy.Resource(env, SIZE)
    waits = []

    def request(hold):
        asked = env.now
        with pool.request() as turn:
            yield turn
            waits.append(env.now - asked)
            yield env.timeout(hold)

    def source():
        for gap, hold in zip(rng.exponential(1 / RATE, count).tolist(), rng.exponential(HOLD, count).tolist()):
            yield env.timeout(gap)
            env.process(request(hold))

    env.process(source())
    env.run()
    return waits


def simpy_full(count):  # noqa: PLR0915 -- one model in one piece
    """Six rules of `ours_full`: acquire timeout, opening on demand, idle timeout, lifetime, validation, contention."""
    rng = np.random.default_rng(1)
    env = simpy.Environment()
    idle, waiting, state = [], [], {"open": 0, "active": 0}
    waits = []

    def close_idle(connection):
        yield env.timeout(2.0)
        late = connection in idle and env.now - connection[1] >= 2.0
        if late and state["open"] > 1:
            idle.remove(connection)
            state["open"] -= 1

    def give_back(connection):
        if env.now >= connection[0]:
            state["open"] -= 1
            if waiting:
                env.process(connect())
            return
        while waiting:
            turn = waiting.pop(0)
            if not turn.triggered:
                turn.succeed(connection)
                return
        connection[1] = env.now
        idle.append(connection)
        env.process(close_idle(connection))

    def connect():
        state["open"] += 1
        yield env.timeout(0.02)
        give_back([env.now + 20.0 * (1 - 0.2 * rng.random()), env.now])

    def request(hold):
        asked = env.now
        if idle:
            connection = idle.pop()
            if env.now - connection[1] >= 0.1:
                yield env.timeout(0.001)
        else:
            turn = env.event()
            waiting.append(turn)
            if state["open"] < SIZE:
                env.process(connect())
            found = yield turn | env.timeout(0.25)
            if turn not in found:
                waits.append(0.25)
                return
            connection = found[turn]
        waits.append(env.now - asked)
        change(1)
        while hold > 1e-12:
            stretch = 1 + 0.001 * (state["active"] - 1) + 0.0001 * state["active"] * (state["active"] - 1)
            since = env.now
            yield env.timeout(hold * stretch) | state["changed"]
            hold -= (env.now - since) / stretch
        change(-1)
        give_back(connection)

    def change(by):
        """All holds under way go on at another speed."""
        state["active"] += by
        changed, state["changed"] = state["changed"], env.event()
        changed.succeed()

    def source():
        for gap, hold in zip(rng.exponential(1 / RATE, count).tolist(), rng.exponential(HOLD, count).tolist()):
            yield env.timeout(gap)
            env.process(request(hold))

    state["changed"] = env.event()
    env.process(source())
    env.run(until=count / RATE)
    return waits


def ours_plain(count):
    rng = np.random.default_rng(1)
    return simulate_waits(np.cumsum(rng.exponential(1 / RATE, count)), rng.exponential(HOLD, count), SIZE)


def ours_full(count):
    rng = np.random.default_rng(1)
    end = count / RATE
    arrivals = draw_arrivals(rng, RATE, end)
    holds = rng.exponential(HOLD, len(arrivals))
    nothing = np.zeros(len(arrivals), np.int8)
    rules = plain_rules(
        1, SIZE, end, min_size=1, min_idle=1, acquire_timeout=0.25, idle_timeout=2.0, lifetime=20.0,
        lifetime_jitter=0.2, validate_time=0.001, validate_after=0.1, reclaim_after=5.0, retry_share=0.2,
        retry_after=0.1, server_limit=8, server_slots=4, alpha=0.001, beta=0.0001, token_every=900.0, token_life=890.0,
    )  # fmt: skip
    plan = [(end / 3, r.DOWN), (end / 3 + 0.5, r.UP), (end / 2, r.DEPLOY)]
    requests = Requests(arrivals, holds, nothing, nothing)
    return simulate_pools(rules, requests, rng=rng, connect=Spread(0.02, 0.3), plan=plan)


def main():
    ours_plain(100), ours_full(500)
    count = 100_000
    plain = best(lambda: simpy_plain(count)) / count
    full = best(lambda: simpy_full(count // 5)) * 5 / count
    many = 2_000_000 if ACCELERATED else 500_000
    mine = best(lambda: ours_plain(many)) / many
    some = many if ACCELERATED else 50_000
    every = best(lambda: ours_full(some)) / some
    print(f"Numba: {'yes' if ACCELERATED else 'no'}")
    print(f"plain queue: SimPy {plain * 1e6:.1f} µs, ours {mine * 1e6:.3f} µs a request: {plain / mine:.0f} ×")
    print(f"all rules:   SimPy {full * 1e6:.0f} µs (of six rules), ours {every * 1e6:.2f} µs: {full / every:.0f} ×")
    if ACCELERATED:
        small, large = best(lambda: ours_plain(500_000)), best(lambda: ours_plain(5_000_000), times=2)
        print(f"ten times the acquisitions take {large / small:.1f} times as long (plain)")
        small, large = best(lambda: ours_full(200_000)), best(lambda: ours_full(2_000_000), times=2)
        print(f"ten times the acquisitions take {large / small:.1f} times as long (all rules)")
        ours_full(10_000_000)
        peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024**2
        print(f"10,000,000 acquisitions with all rules: {peak:.2f} GiB at most")
    load = ct.PoolLoad(arrivals=480, hold=0.035, instances=4, acquire_timeout=0.25)
    plain = best(lambda: ct.size_pool(load, "5ms@p99"), times=5)
    print(f"size_pool after import, exact with a timeout: {1000 * plain:.1f} ms")
    for name, changes in (("holds that vary", {"hold_cv": 2.0}), ("gaps, too", {"hold_cv": 2.0, "arrival_cv": 2.0}),
                          ("threads", {"threads": 16}), ("simulated", {"hold_cv": 4.0})):  # fmt: skip
        other = best(lambda: ct.size_pool(load.changed(**changes), "5ms@p99"), times=5)  # noqa: B023
        print(f"  {name}: {1000 * other:.1f} ms, {other / plain:.1f} × that")


if __name__ == "__main__":
    sys.exit(main())
