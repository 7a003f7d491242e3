"""``file:PATH``: a file for each secret, as orchestrators mount them; one line end at its end is none of it."""

from __future__ import annotations

import os
from pathlib import Path

from ..errors import FieldError, LocatorError, quoted
from ..syntax import write_whole
from .stores import LARGEST_SECRET, Described, Surroundings

_PRIVATE = 0o600


class Files:
    """Secrets in files; relative paths start from the folder of the tally."""

    scheme = "file"
    writable = True
    expires = False

    def get(self, rest: str, around: Surroundings) -> str:
        """Give what a file holds, without one line end."""
        return read_secret(self.scheme, self.place(rest, around))

    @staticmethod
    def place(rest: str, around: Surroundings) -> Path:
        """Give the path itself, links followed."""
        return (around.folder / Path(rest).expanduser()).resolve()

    def put(self, rest: str, secret: str, around: Surroundings) -> None:
        """Write a file for this user alone, all of it or nothing; one that is there keeps its mode and owner."""
        place = self.place(rest, around)
        if len(secret.encode()) >= LARGEST_SECRET:
            raise LocatorError(f"file: a secret has at most {LARGEST_SECRET:,} bytes", path=place)
        try:
            place.parent.mkdir(0o700, parents=True, exist_ok=True)
            write_whole(place, f"{secret}\n".encode(), _PRIVATE)
        except (OSError, FieldError) as error:
            raise LocatorError(f"file: {quoted(place)} cannot be written ({_why(error)})", path=place) from None

    def drop(self, rest: str, around: Surroundings) -> None:
        """Delete the file."""
        place = self.place(rest, around)
        try:
            place.unlink()
        except OSError as error:
            raise LocatorError(f"file: {quoted(place)} cannot be deleted ({_why(error)})", path=place) from None

    def names(self, rest: str, around: Surroundings) -> list[str]:
        """List the files of a folder."""
        folder = self.place(rest, around)
        try:
            found = sorted(entry.name for entry in folder.iterdir() if entry.is_file())
        except OSError as error:
            raise LocatorError(f"file: {quoted(folder)} cannot be listed ({_why(error)})", path=folder) from None
        return [str(Path(rest) / name) if rest else name for name in found if not name.startswith(".")]

    def describe(self, rest: str, around: Surroundings) -> Described:
        """Tell since when the file is as it is, and whether its mode or its owner lets others read it."""
        return described(self.scheme, self.place(rest, around))


def read_secret(scheme: str, place: Path) -> str:
    """Give what a file holds, without one line end.

    Raises
    ------
    LocatorError
        Where it cannot be read, is too large to be a secret, or is no text.
    """
    try:
        with place.open("rb") as stream:
            raw = stream.read(LARGEST_SECRET + 1)
    except OSError as error:
        raise LocatorError(f"{scheme}: {quoted(place)} cannot be read ({_why(error)})", path=place) from None
    if len(raw) > LARGEST_SECRET:
        raise LocatorError(
            f"{scheme}: {quoted(place)} is larger than {LARGEST_SECRET:,} bytes: that is no password", path=place
        )
    try:
        text = raw.decode("utf-8")
    except UnicodeDecodeError:
        raise LocatorError(f"{scheme}: {quoted(place)} is not UTF-8 text", path=place) from None
    return text.removesuffix("\n").removesuffix("\r")


def described(scheme: str, place: Path) -> Described:
    """Tell of a file.

    Raises
    ------
    LocatorError
        Where there is none.
    """
    try:
        status = place.stat()
    except OSError as error:
        raise LocatorError(f"{scheme}: {quoted(place)} cannot be read ({_why(error)})", path=place) from None
    # root's own is what orchestrators mount; what belongs to somebody else, that one may read
    others = os.name == "posix" and (bool(status.st_mode & 0o044) or status.st_uid not in {0, os.geteuid()})
    return Described(str(place), status.st_mtime, others_may_read=others, file=str(place))


def _why(error: Exception) -> str:
    return os.strerror(error.errno or 0) if isinstance(error, OSError) else str(error)
