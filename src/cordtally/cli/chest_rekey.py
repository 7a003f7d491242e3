"""``cordtally chest rekey``: let another key open a chest, or some no longer."""

from __future__ import annotations

from pathlib import Path

import click

from ..errors import FieldError, quoted
from ..secrets.chest.format import new_key
from ..secrets.chest.keeping import read_chest
from ..secrets.chest.keys import read_key
from ..secrets.chest.managing import Key, add_lock, rekey, write_key
from .chests_told import chest_argument, here, print_chest, typed_passphrase
from .inputs import json_option
from .screen import Screen


@click.command("rekey")
@chest_argument
@click.option(
    "--add-key-file",
    "added",
    type=click.Path(path_type=Path, dir_okay=False),
    help="Draw a key, write it here, and let it open the chest.",
)
@click.option("--add-passphrase", "phrase", is_flag=True, help="Let a passphrase open it, too; it is asked for.")
@click.option("--called", metavar="NAME", help="What the new lock is called.")
@click.option(
    "--keep",
    "kept",
    multiple=True,
    metavar="NAME=KEY-FILE",
    help="Renew it for these keys alone; NAME by itself asks for a passphrase.",
)
@json_option
def command(
    path: Path, added: Path | None, phrase: bool, called: str | None, kept: tuple[str, ...], as_json: bool
) -> int:
    """Let one more key open a chest, or renew it so that some keys open it alone.

    A renewed chest has a new key within; whoever had another one may have read what was in it, so rotate that, too.
    """
    if (added is not None) + phrase + bool(kept) != 1:
        raise click.UsageError("give one of --add-key-file, --add-passphrase and --keep")
    screen = Screen()
    if kept:
        keys = [_kept(path, one) for one in kept]
        gone = rekey(path, keys, here())
        if as_json:
            print_chest("renewed", path, locks=[key.name for key in keys], gone=gone)
            return 0
        screen.say(f"{quoted(path)} is renewed for {', '.join(key.name for key in keys)}", "green", whole=True)
        if gone:
            screen.say(f"{', '.join(gone)} opened it, and no longer: rotate what was in it", "yellow", hang=2)
        return 0
    if added is not None:
        key = Key("key", new_key(), called or added.stem)
        write_key(added, key.text)
        try:
            add_lock(path, key, here())
        except BaseException:
            added.unlink()
            raise
    else:
        key = Key("passphrase", typed_passphrase(path), called or "passphrase")
        add_lock(path, key, here())
    if as_json:
        print_chest("added", path, locks=[key.name])
    else:
        screen.say(f"{key.name} opens {quoted(path)}, too", "green", whole=True)
    return 0


def _kept(path: Path, given: str) -> Key:
    name, equals, file = given.partition("=")
    kinds = {lock.name: lock.kind for lock in read_chest(path).locks}
    if name not in kinds:
        raise FieldError(f"the chest has no lock {name!r}; it has {', '.join(kinds)}")
    if equals:
        return Key("key", read_key(Path(file)), name)
    if kinds[name] == "key":
        raise FieldError(f"{name} is opened by a key: --keep {name}=KEY-FILE")
    return Key("passphrase", click.prompt(f"Passphrase of {name}", hide_input=True, err=True), name)
