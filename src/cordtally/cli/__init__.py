"""The command line: thin commands that parse arguments, call the library once, and render."""

from __future__ import annotations

import os
import sys


def main(arguments: list[str] | None = None) -> int:
    """Run the command line and give its exit status."""
    given = sys.argv[1:] if arguments is None else arguments
    if given == ["--version"]:
        from .. import __version__

        sys.stdout.write(f"cordtally {__version__}\n")
        return 0
    if arguments is None and "CORDTALLY_COMPLETE" in os.environ:
        from .app import group
        from .completion import answer

        return answer(group)
    from .app import run

    return run(given)
