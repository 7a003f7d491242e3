"""A group of commands, each of which is loaded when it is called."""

from __future__ import annotations

from collections.abc import Mapping
from importlib import import_module
from typing import TYPE_CHECKING

import click

from ..catalog import find_nearest
from .examples import with_examples

if TYPE_CHECKING:
    from click.shell_completion import CompletionItem


class LazyGroup(click.Group):
    """Loads a command from a module of this package that has it as ``command``; knows each one's summary before that.

    ``modules`` maps the name of a command to its module and its summary.
    """

    def __init__(self, *args: object, modules: Mapping[str, tuple[str, str]], **kwargs: object) -> None:
        super().__init__(*args, **kwargs)  # type: ignore[arg-type]
        self.modules = modules

    def list_commands(self, ctx: click.Context) -> list[str]:
        """Give the names in the order of the job."""
        return list(self.modules)

    def get_command(self, ctx: click.Context, name: str) -> click.Command | None:
        """Load a command."""
        if name not in self.modules:
            return None
        module = self.modules[name][0]
        command: click.Command = import_module(f".{module}", __package__).command
        if "Examples:" not in (command.epilog or ""):
            command.epilog = with_examples(module, command.epilog)
        return command

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        """Find a command, or name the nearest one."""
        if args and args[0] not in self.modules:
            nearest = find_nearest(args[0], self.modules, most=1)
            root = "to look at a connection string: cordtally read TEXT"
            if ctx.parent is not None:
                root = "there are " + ", ".join(self.modules)
            hint = f"did you mean {nearest[0]}?" if nearest else root
            raise click.UsageError(f"there is no such command; {hint}", ctx)
        return super().resolve_command(ctx, args)

    def shell_complete(self, ctx: click.Context, incomplete: str) -> list[CompletionItem]:
        """Give the names that begin so, with their summaries, and without loading anything."""
        from click.shell_completion import CompletionItem

        names = [CompletionItem(n, help=said) for n, (_, said) in self.modules.items() if n.startswith(incomplete)]
        return [*names, *click.Command.shell_complete(self, ctx, incomplete)]

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """Write the summaries without loading anything."""
        with formatter.section("Commands"):
            formatter.write_dl([(name, text) for name, (_, text) in self.modules.items()])
