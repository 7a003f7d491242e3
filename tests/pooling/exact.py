"""Independent solutions to compare with: rational and 60-digit arithmetic, truncated chains; none of the code under test."""

from fractions import Fraction

import numpy as np
from mpmath import mp
from scipy.sparse import csr_matrix
from scipy.sparse.linalg import spsolve
from scipy.stats import poisson

mp.dps = 40


def erlang_b(connections, load):
    share = mp.mpf(1)
    for k in range(1, connections + 1):
        share = load * share / (k + load * share)
    return share


def impatient(connections, arrivals, hold, timeout):
    """M/M/c+D by its balance: states below c, and the density λ·b·e^(−δv) of the virtual wait up to the timeout."""
    lam, mu, tau = mp.mpf(arrivals), 1 / mp.mpf(hold), mp.mpf(timeout)
    one_free = erlang_b(connections - 1, lam / mu) if connections > 1 else mp.mpf(1)
    rate = connections * mu
    drift = rate - lam

    flow, x = lam * one_free, drift * tau
    waiting = flow * (tau if drift == 0 else (1 - mp.exp(-x)) / drift)
    moment = flow * (tau**2 / 2 if drift == 0 else (1 - mp.exp(-x) * (1 + x)) / drift**2)
    lost = flow * mp.exp(-x) / rate
    total = 1 + waiting + lost
    return (waiting + lost) / total, lost / total, (moment + tau * lost) / total


def finite(connections, threads, think, hold):
    """M/M/c//N in rational arithmetic: what a request meets, so the share that waits and the mean wait."""
    think, hold = Fraction(think), Fraction(hold)

    def states(count):
        weights = [Fraction(1)]
        for n in range(1, count + 1):
            weights.append(weights[-1] * (count - n + 1) / think * hold / min(n, connections))
        total = sum(weights)
        return [w / total for w in weights]

    met = states(threads - 1)
    waits = sum(met[connections:])
    mean = sum(q * (n - connections + 1) for n, q in enumerate(met) if n >= connections) * hold / connections
    through = sum(min(n, connections) * p for n, p in enumerate(states(threads))) / hold
    return waits, mean, through


def constant_holds(connections, load):
    """Mean wait of M/D/c in holds, by Spitzer's identity: E Q = Σ E[(Poisson(k·a) − k·c)⁺] / k."""
    total = 0.0
    for k in range(1, 5000):
        a, level = load * k, connections * k
        term = (a * poisson.sf(level - 1, a) - level * poisson.sf(level, a)) / k
        total += term
        if term < 1e-13 * max(total, 1e-300):
            break
    return total / load


def phased_holds(connections, load, shares, means, levels=220):
    """Mean wait of M/PH/c in mean holds: two exponential phases in parallel (``shares``) or in sequence (None); a truncated chain."""
    serial = shares is None
    states = {}
    for n in range(levels + 1):
        for first in range(min(n, connections) + 1):
            states[n, first] = len(states)
    rows, columns, values = [], [], []

    def go(start, end, rate):
        if rate > 0 and end in states:
            rows.extend((states[end], states[start]))
            columns.extend((states[start], states[start]))
            values.extend((rate, -rate))

    for n, first in states:
        busy, here = min(n, connections), (n, first)
        second = busy - first
        joins = n < connections
        if serial:
            go(here, (n + 1, first + joins), load)
            go(here, (n, first - 1), first / means[0])
            refills = n > connections
            go(here, (n - 1, first + refills), second / means[1])
        else:
            for share, step in ((shares[0], 1), (shares[1], 0)):
                go(here, (n + 1, first + joins * step), load * share)
                refill = share if n > connections else (1.0 if step == 0 else 0.0)
                go(here, (n - 1, first - 1 + (step if n > connections else 0)), first / means[0] * refill)
                go(here, (n - 1, first + (step if n > connections else 0)), second / means[1] * refill)
    balance = csr_matrix((values, (rows, columns)), shape=(len(states), len(states))).tolil()
    balance[-1] = 1.0
    chances = spsolve(balance.tocsr(), np.eye(1, len(states), len(states) - 1)[0])
    queue = sum(chances[place] * max(0, n - connections) for (n, _), place in states.items())
    return queue / load


def varied_gaps(connections, load, variability, levels=700):
    """GI/M/c whose gaps are two exponentials with balanced means (scv above 1) or two Erlang phases (½): a truncated chain.

    What requests meet: the share that waits, and the mean wait in holds.
    """
    if variability == 0.5:
        moves = [(0, 1, 2 * load, False), (1, 0, 2 * load, True)]  # from phase, to phase, rate, brings a request
    else:
        first = 0.5 * (1 + ((variability - 1) / (variability + 1)) ** 0.5)
        shares = (first, 1 - first)
        moves = [(i, j, 2 * load * shares[i] * shares[j], True) for i in (0, 1) for j in (0, 1)]
    balance = np.zeros((2 * levels, 2 * levels))
    bringing = np.zeros(2)
    for start, end, rate, brings in moves:
        bringing[start] += rate * brings
        for n in range(levels):
            target = min(n + brings, levels - 1)
            balance[2 * target + end, 2 * n + start] += rate
            balance[2 * n + start, 2 * n + start] -= rate
    for n in range(1, levels):
        for phase in (0, 1):
            balance[2 * (n - 1) + phase, 2 * n + phase] += min(n, connections)
            balance[2 * n + phase, 2 * n + phase] -= min(n, connections)
    balance[-1] = 1.0
    chances = np.linalg.solve(balance, np.eye(1, 2 * levels, 2 * levels - 1)[0]).reshape(levels, 2) @ bringing
    met = chances / chances.sum()
    return met[connections:].sum(), sum(q * (n - connections + 1) / connections for n, q in enumerate(met) if n >= connections)
