"""Options whose value is a name of the catalog, taken by everyday names, too; and options that have a second name."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Mapping
from typing import TYPE_CHECKING, Any

import click

from ..catalog import driver_ids, engine_ids, find_name, load_index
from ..errors import quoted
from ..model import AuthenticationMethod, TlsLevel

if TYPE_CHECKING:
    from click.shell_completion import CompletionItem

    _Type = click.ParamType[str]
else:  # a generic class in new releases only
    _Type = click.ParamType


class Called(_Type):
    """A name of some kind, or what people call it, which is said; any other passes, and is told of by who wants it."""

    def __init__(
        self,
        kind: str,
        known: Callable[[], Iterable[str]],
        titles: Callable[[], Mapping[str, str]] = dict,
    ) -> None:
        self.name, self.known, self.titles = kind, known, titles

    def convert(self, value: str, param: click.Parameter | None, ctx: click.Context | None) -> str:
        """Give the name that is meant, a notation behind it left as it is."""
        known, titles = list(self.known()), self.titles()
        given, slash, rest = value, "", ""
        found = find_name(self.name, value, known, titles)
        if found is None and self.name == "driver":
            given, slash, rest = value.partition("/")
            found = find_name(self.name, given, known, titles)
        if found is None or found == given:
            return value
        say_note(f"{found} is taken for {quoted(given)}")
        return found + slash + rest

    def shell_complete(self, ctx: click.Context, param: click.Parameter, incomplete: str) -> list[CompletionItem]:
        """Give the names that begin so, and what each stands for."""
        from click.shell_completion import CompletionItem

        from . import completing

        if self.name == "driver":
            return completing.drivers(ctx, param, incomplete)
        titles = self.titles()
        return [CompletionItem(n, help=titles.get(n)) for n in sorted(self.known()) if n.startswith(incomplete)]


class Aliased(click.Option):
    """An option with further names, ``also``, that are taken and not shown."""

    def __init__(self, declarations: Iterable[str], *, also: Collection[str] = (), **attributes: Any) -> None:  # noqa: ANN401 -- click's own
        super().__init__([*declarations, *also], **attributes)
        self.also = frozenset(also)

    def get_help_record(self, ctx: click.Context) -> tuple[str, str] | None:
        """Show the option by its first names."""
        every = self.opts
        self.opts = [name for name in every if name not in self.also]
        try:
            return super().get_help_record(ctx)
        finally:
            self.opts = every


def say_note(message: str) -> None:
    """Say on standard error how something was taken."""
    click.echo(f"note: {message}", err=True)


def _languages() -> set[str]:
    return {facts["language"] for facts in load_index()["drivers"].values()}


def _drivers() -> list[str]:
    families = {facts["family"] for facts in load_index()["drivers"].values() if facts.get("family")}
    return [*driver_ids(), *families]


def _pools() -> Iterable[str]:
    from ..catalog.pool_libraries import list_pools

    return list_pools()


def _pool_titles() -> dict[str, str]:
    from ..catalog.pool_libraries import list_pools, load_pool

    return {name: load_pool(name).title for name in list_pools()}


ENGINE = Called("engine", engine_ids)
LANGUAGE = Called("language", _languages)
LEVEL = Called("TLS level", lambda: [level.value for level in TlsLevel])
LOG_IN = Called("log-in method", lambda: [method.value for method in AuthenticationMethod])
DRIVER = Called("driver", _drivers, lambda: {i: facts["title"] for i, facts in load_index()["drivers"].items()})
POOL = Called("pool library", _pools, _pool_titles)
