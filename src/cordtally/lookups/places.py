"""Where clients keep their files: the variables that name them, and the places that are tried without one."""

from __future__ import annotations

import os
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path

LARGEST_FILE = 1 << 22


@dataclass(frozen=True, slots=True)
class Places:
    """The environment and home folder that files are looked for in; those of this process where nothing is given."""

    environment: Mapping[str, str] = field(default_factory=lambda: os.environ)
    home: Path = field(default_factory=Path.home)

    def service_files(self) -> list[Path]:
        """Libpq's service files, the user's own first (PostgreSQL 15 documentation, 34.17)."""
        own = self.environment.get("PGSERVICEFILE")
        system = self.environment.get("PGSYSCONFDIR", "/etc/postgresql-common")
        return [Path(own) if own else self.home / ".pg_service.conf", Path(system) / "pg_service.conf"]

    def password_file(self) -> Path:
        """Libpq's password file (34.16)."""
        return Path(self.environment.get("PGPASSFILE", self.home / ".pgpass"))

    def data_source_files(self) -> list[Path]:
        """The user's and the system's ODBC data sources (unixODBC 2.3.11)."""
        own = Path(self.environment.get("ODBCINI", self.home / ".odbc.ini"))
        return [own, Path(self.environment.get("ODBCSYSINI", "/etc")) / "odbc.ini"]

    def driver_files(self) -> list[Path]:
        """Where ODBC drivers are registered."""
        named = self.environment.get("ODBCINSTINI", "odbcinst.ini")
        return [self.home / ".odbcinst.ini", Path(self.environment.get("ODBCSYSINI", "/etc")) / named]

    def alias_files(self, folder: str | None) -> list[Path]:
        """Oracle's files of aliases: in the folder that is stated, in TNS_ADMIN, in the client's own folder."""
        found = [folder, self.environment.get("TNS_ADMIN")]
        if home := self.environment.get("ORACLE_HOME"):
            found.append(str(Path(home) / "network" / "admin"))
        return [Path(f) / "tnsnames.ora" for f in found if f]


def read_text(path: Path) -> str | None:
    """Read a file of at most 4 MiB as UTF-8; None where there is none, or what has its name is no file.

    libpq takes no pipe for a password file either (fe-connect.c, passwordFromFile), and nobody waits for one.
    """
    try:
        if not path.is_file():
            return None
        with path.open("rb") as stream:
            return stream.read(LARGEST_FILE).decode("utf-8", "surrogateescape")
    except (FileNotFoundError, NotADirectoryError, PermissionError, IsADirectoryError):
        return None
