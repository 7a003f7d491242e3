"""``env:NAME``: a variable of the process's environment."""

from __future__ import annotations

from ..catalog import find_nearest
from ..errors import LocatorError, quoted
from .stores import Described, ReadOnly, Surroundings

_FOLDERS = frozenset(["PWD", "OLDPWD"])  # the shell's: no password


class Environment(ReadOnly):
    """Secrets in the environment, put there by whoever started the process."""

    scheme = "env"

    def get(self, rest: str, around: Surroundings) -> str:
        """Give a variable; an empty one is a secret of no characters."""
        value = around.environ.get(rest)
        if value is not None:
            return value
        nearest = find_nearest(rest, around.environ, most=1)
        hint = f"; {nearest[0]} is set: names must match to the letter" if nearest else f"; set it: export {rest}=…"
        raise LocatorError(f"env: the environment variable {quoted(rest)} is not set{hint}", nearest=nearest)

    def names(self, rest: str, around: Surroundings) -> list[str]:
        """List the variables whose names sound like a secret's."""
        from ..model.suspicion import sounds_secret

        return sorted(
            name for name in around.environ if name.startswith(rest) and sounds_secret(name) and name not in _FOLDERS
        )

    def describe(self, rest: str, around: Surroundings) -> Described:
        """Tell whether a variable is set."""
        self.get(rest, around)
        return Described(f"the variable {rest}")
