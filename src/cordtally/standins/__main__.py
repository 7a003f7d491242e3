"""``python -m cordtally.standins keeper|broker``: a stand-in on loopback, until it is stopped with Ctrl-C."""

from __future__ import annotations

import threading
from contextlib import suppress
from pathlib import Path

import click

from . import Authority, SecretKeeper, TokenBroker
from .server import MISBEHAVIOUR


@click.command()
@click.argument("kind", type=click.Choice(["keeper", "broker"]))
@click.option("--port", default=0, show_default="any free one", help="Where it listens, on 127.0.0.1.")
@click.option(
    "--folder",
    type=click.Path(path_type=Path, file_okay=False),
    default=Path("standins"),
    show_default=True,
    help="Where its authority's certificate and its token are written.",
)
@click.option("--life", default=900.0, show_default=True, help="Of a broker: how many seconds a token is valid.")
@click.option("--misbehave", type=click.Choice(MISBEHAVIOUR[1:]), help="Answer in a way that clients must cope with.")
def main(kind: str, port: int, folder: Path, life: float, misbehave: str | None) -> None:
    """Start a small service that keeps secrets, or a broker that issues tokens: for trying things out."""
    folder.mkdir(0o700, parents=True, exist_ok=True)
    authority = Authority()
    ca = authority.write(folder / f"{kind}-ca.pem")
    made = SecretKeeper(authority, port=port) if kind == "keeper" else TokenBroker(authority, port=port, life=life)
    made.misbehaviour = misbehave or ""
    key = folder / f"{kind}-token"
    key.touch(0o600)
    key.write_text(f"{made.token}\n")
    click.echo(f"{made.url} listens. For tally.toml:\n\n{made.tally('harbour', str(ca), f'file:{key}')}")
    used = "remote:harbour/tides#password" if kind == "keeper" else "broker:harbour"
    click.echo(f'and for a cord: password = "{used}". Ctrl-C stops it.')
    with made, suppress(KeyboardInterrupt):
        threading.Event().wait()


if __name__ == "__main__":
    main()
