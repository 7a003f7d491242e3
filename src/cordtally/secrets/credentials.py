"""``credential:NAME``: what the service manager hands a service in a folder (systemd.exec(5), CREDENTIALS)."""

from __future__ import annotations

from pathlib import Path

from ..errors import LocatorError, quoted
from .files import described, read_secret
from .stores import Described, ReadOnly, Surroundings


class Credentials(ReadOnly):
    """Credentials that a unit loads with ``LoadCredential=``, ``LoadCredentialEncrypted=`` or ``SetCredential=``."""

    scheme = "credential"

    def get(self, rest: str, around: Surroundings) -> str:
        """Give a credential, without one line end."""
        return read_secret(self.scheme, self._place(rest, around))

    def names(self, rest: str, around: Surroundings) -> list[str]:
        """List the credentials of this service."""
        return sorted(entry.name for entry in self._folder(around).iterdir() if entry.name.startswith(rest))

    def describe(self, rest: str, around: Surroundings) -> Described:
        """Tell of a credential."""
        return described(self.scheme, self._place(rest, around))

    def _place(self, name: str, around: Surroundings) -> Path:
        if not name or name in {".", ".."} or "/" in name or "\0" in name:
            raise LocatorError(f"credential: {quoted(name)} is no name of a credential: it has no slash")
        return self._folder(around) / name

    def _folder(self, around: Surroundings) -> Path:
        folder = around.environ.get("CREDENTIALS_DIRECTORY")
        if not folder:
            raise LocatorError(
                "credential: no service manager has handed credentials over (CREDENTIALS_DIRECTORY is not set); in the "
                "unit: LoadCredential=NAME:PATH"
            )
        return Path(folder)
