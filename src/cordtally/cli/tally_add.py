"""``cordtally tally add``: add a cord."""

from __future__ import annotations

from pathlib import Path

import click

from ..composing import spread
from ..errors import FieldError
from ..model import Locator, Secret
from ..model.placeholders import is_placeholder, variable_in
from ..tally import load
from ..tally.editing import add_cord
from ..tally.keeping import STORES, place_in
from .connections import from_env_option, take_connection
from .inputs import json_option
from .tally_told import apply_option, finish, read_fields, tally_option


@click.command("add")
@click.argument("name")
@click.argument("text", required=False)
@from_env_option("Take the text from this environment variable.")
@click.option(
    "--set",
    "given",
    multiple=True,
    metavar="FIELD=VALUE",
    help="A field, like tls=verify-identity; it wins over the text.",
)
@click.option("--keep-in", "store", metavar="STORE", help=f"Where the text's password goes: {', '.join(STORES)}.")
@tally_option
@apply_option
@json_option
def command(
    name: str,
    text: str | None,
    from_env: str | None,
    given: tuple[str, ...],
    store: str | None,
    tally_file: Path | None,
    write: bool,
    as_json: bool,
) -> int:
    """Add the cord NAME to the tally: of TEXT (or - for standard input, @FILE, FILE#NAME), of fields, or of both.

    A password never goes into the file: say where it is kept with --keep-in, or with --set password=LOCATOR.
    """
    tally = load(tally_file)
    fields, secrets = dict[str, object](), dict[Locator, Secret]()
    if text is not None or from_env is not None:
        taken = take_connection(text, from_env=from_env)
        fields, rest = spread(taken.cord)
        if rest != type(rest)(rest.engine):
            raise FieldError(
                'the text says more than fields can: write it as text = "…" into the file, without its secret'
            )
    fields |= _nested(read_fields(given))
    password = fields.get("password")
    if isinstance(password, Secret):
        variable = variable_in(password.unmask())
        if variable is not None or is_placeholder(password.unmask()):
            fields["password"] = f"env:{variable}" if variable else str(place_in("env:", name))
        elif store is None:
            raise FieldError(
                f"the text has a password: say where it is kept, --keep-in with one of {', '.join(STORES)}"
            )
        else:
            locator = tally.based(place_in(store, name, several=False))
            fields["password"] = str(locator)
            if locator.scheme != "env":
                secrets[locator] = password
    elif isinstance(password, Locator):
        fields["password"] = str(password)
    return finish(add_cord(tally, name, fields, secrets), write=write, as_json=as_json)


def _nested(fields: dict[str, object]) -> dict[str, object]:
    """Fields with their options in a table."""
    options = {name.partition(".")[2]: value for name, value in fields.items() if name.startswith("options.")}
    plain = {name: value for name, value in fields.items() if not name.startswith("options.")}
    return plain | ({"options": options} if options else {})
