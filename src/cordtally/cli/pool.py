"""``cordtally pool``: connection pools; each of its commands has a module of its own."""

from __future__ import annotations

import click

from .lazy import LazyGroup

COMMANDS = {
    "size": ("pool_size", "Find the smallest pool that meets a target, and say why not one smaller."),
    "fit": ("pool_fit", "Take rates, holds and contention from traces, logs and measurements."),
    "replay": ("pool_replay", "Simulate a pool in detail: bursts, timeouts, restarts, deploys."),
    "budget": ("pool_budget", "Share one server's connections among many services."),
    "convert": ("pool_convert", "Write the settings of one pool library for another, with a ledger."),
    "vet": ("pool_vet", "Find contradictions in a pool's settings, and mismatches with the server."),
    "measure": ("pool_measure", "Measure throughput and waits on a real server, and find the knee."),
    "watch": ("pool_watch", "Show who holds a server's connections, live, and record it."),
}


@click.group("pool", cls=LazyGroup, modules=COMMANDS)
def command() -> None:
    """Size, simulate, measure and compare connection pools."""
