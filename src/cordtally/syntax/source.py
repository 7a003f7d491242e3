"""A file as it lies on disk: its bytes, how they spell characters, its line ends; and splices of single spans."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import NamedTuple

from ..errors import FieldError
from ..pipes import open_to_read
from ..text.encodings import encoding_of

LARGEST_FILE = 64 << 20


class Splice(NamedTuple):
    """New characters for a span of characters."""

    start: int
    end: int
    text: str


@dataclass(frozen=True, slots=True)
class Source:
    """A file's bytes and its characters; ``encoding`` turns each into the other, but for a mark at the beginning."""

    path: Path
    data: bytes
    text: str
    encoding: str

    @classmethod
    def load(cls, path: Path, *, fallback: str = "utf-8") -> Source:
        """Read a file.

        Raises
        ------
        FieldError
            Where it is too large, is no text, or its bytes are not what its encoding makes of its characters.
        OSError
            When it cannot be read.
        """
        with open_to_read(path) as stream:
            data = stream.read(LARGEST_FILE + 1)
        if len(data) > LARGEST_FILE:
            raise FieldError(f"{path} is larger than {LARGEST_FILE >> 20} MiB", path=path)
        found = encoding_of(data)
        if found is None:
            raise FieldError(f"{path} is no text", path=path)
        mark, encoding = _mark_and_encoding(data, fallback if found == "utf-8-sig" else found)
        try:
            text = data[len(mark) :].decode(encoding)
        except UnicodeDecodeError as error:
            line = data.count(b"\n", 0, error.start) + 1
            raise FieldError(f"{path}:{line}: a byte that is no {encoding}", path=path, line=line) from None
        if mark + text.encode(encoding) != data:
            raise FieldError(f"{path}: its {encoding} is written in more than one way", path=path)
        return cls(path, data, text, encoding)

    @property
    def newline(self) -> str:
        """The line end of the first line."""
        end = self.text.find("\n")
        return "\r\n" if end > 0 and self.text[end - 1] == "\r" else "\n"

    def place(self, position: int) -> tuple[int, int]:
        """Give line and column, from 1, of a character."""
        before = self.text.rfind("\n", 0, position)
        return self.text.count("\n", 0, position) + 1, position - before

    def decoded(self, data: bytes) -> str:
        """Give the characters of other bytes of the same file."""
        mark = len(self.data) - len(self.text.encode(self.encoding))
        return data[mark:].decode(self.encoding)

    def spliced(self, splices: Iterable[Splice]) -> bytes:
        """Give the bytes with new ones in place of spans; every other byte stays.

        Raises
        ------
        FieldError
            Where the encoding lacks a character, or two spans overlap.
        """
        mark = self.data[: len(self.data) - len(self.text.encode(self.encoding))]
        pieces, position = [mark], 0
        try:
            for start, end, text in sorted(splices):
                if start < position:
                    raise FieldError("two edits overlap")
                pieces += [self.text[position:start].encode(self.encoding), text.encode(self.encoding)]
                position = end
        except UnicodeEncodeError:
            message = f"{self.path} is written in {self.encoding}, which lacks a character of the new value"
            raise FieldError(message, path=self.path) from None
        pieces.append(self.text[position:].encode(self.encoding))
        return b"".join(pieces)

    def replace(self, data: bytes) -> None:
        """Write other bytes in place of the file's: all of them or none, with its mode and owner; links are followed.

        Raises
        ------
        FieldError
            When the file has changed since it was read, is read-only, or belongs to another user.
        OSError
            When it cannot be written, as on a full disk; then it is as it was.
        """
        target = self.path.resolve()
        if target.read_bytes() != self.data:
            raise FieldError(f"{self.path} has changed meanwhile: nothing was written", path=self.path)
        if not os.access(target, os.W_OK, effective_ids=os.access in os.supports_effective_ids):
            raise FieldError(f"{self.path} is read-only for this user: nothing was written", path=self.path)
        write_whole(target, data)


def write_whole(path: Path, data: bytes, mode: int | None = None) -> None:
    """Write all of a file or nothing; one that is there keeps its mode and owner, a new one gets the ``mode``.

    Links are followed.

    Raises
    ------
    FieldError
        Where it belongs to another user, and would become this one's.
    OSError
        When it cannot be written, as on a full disk; then it is as it was.
    """
    target = path.resolve()
    kept = target.stat() if target.exists() else None
    handle, name = tempfile.mkstemp(dir=target.parent, prefix=f".{target.name}.")
    try:
        with os.fdopen(handle, "wb") as stream:
            stream.write(data)
            stream.flush()
            os.fsync(stream.fileno())
        if (wanted := mode if kept is None else kept.st_mode & 0o7777) is not None:
            os.chmod(name, wanted)
        if kept is not None and hasattr(os, "chown") and (kept.st_uid, kept.st_gid) != (os.geteuid(), os.getegid()):
            _keep_owner(path, name, kept)
        os.replace(name, target)
        settle(target.parent)
    except BaseException:
        Path(name).unlink(missing_ok=True)
        raise


def settle(folder: Path) -> None:
    """Bring the folder itself to the disk, without which a crash may undo the renaming."""
    if os.name == "posix":
        handle = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(handle)
        except OSError:  # some file systems have nothing to bring
            pass
        finally:
            os.close(handle)


def _keep_owner(path: Path, name: str, kept: os.stat_result) -> None:
    try:
        os.chown(name, kept.st_uid, kept.st_gid)
    except PermissionError:
        message = f"{path} belongs to another user, and would become this one's: nothing was written"
        raise FieldError(message, path=path) from None


def _mark_and_encoding(data: bytes, encoding: str) -> tuple[bytes, str]:
    """Part the byte-order mark from the encoding, so that what is spliced gets no mark of its own."""
    if data.startswith(b"\xef\xbb\xbf"):
        return data[:3], "utf-8"
    if encoding in {"utf-16", "utf-32"}:
        size = 2 if encoding == "utf-16" else 4
        return data[:size], f"{encoding}-{'le' if data[0] == 0xFF else 'be'}"
    return b"", encoding
