"""Pools that config files declare, beside their connections."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

import click

from ..errors import FieldError
from ..pooling.settings import PoolSettings, read_settings
from .connections import missing_file


def pools_in(given: Iterable[str]) -> list[tuple[str, PoolSettings]]:
    """Give the pools of config files, FILE or FILE#NAME, each with what it is called.

    Raises
    ------
    click.UsageError
        When what is given is no file: then the library must be named.
    FieldError
        When a file declares no pool.
    """
    from ..config import declared_as, declared_below, declared_in

    made = []
    for one in given:
        head, _, name = one.partition("#")
        path = Path(head)
        if not path.exists():
            if "=" in one or one.startswith("@"):
                raise click.UsageError("say whose settings these are: --pool hikaricp")
            raise FieldError(missing_file(path), path=path)
        if path.is_dir():
            every = [found for _, all_of_it in declared_below(path) for found in all_of_it]
        else:
            every = [declared_as(path, name)] if name else declared_in(path)
        pools = [(f"{found.tree.source.path}#{found.title}", found.pool) for found in every if found.pool is not None]
        if not pools:
            raise FieldError(f"{one} declares no pool", path=path)
        made += [(title, read_settings(library, settings)) for title, (library, settings) in pools]
    if not made:
        raise click.UsageError("name settings with --pool POOL, or a config file that has a pool")
    return made
