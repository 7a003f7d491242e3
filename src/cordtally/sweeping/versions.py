"""What version control knows of a tree: which lines are new, and which contents each commit brought and took away.

Git is asked, with nothing of its configuration that would run other programs; contents are streamed, each once.
"""

from __future__ import annotations

import re
import subprocess
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO, NamedTuple

from ..errors import FieldError

_GIT = (
    "git",
    "-c",
    "core.fsmonitor=false",
    "-c",
    "diff.external=",
    "-c",
    "core.quotepath=false",
    "--no-optional-locks",
)
_HUNK = re.compile(rb"^@@ -\S+ \+(\d+)(?:,(\d+))? @@", re.MULTILINE)
_RECORD = re.compile(rb":(\d{6}) (\d{6}) ([0-9a-f]+) ([0-9a-f]+) ([A-Z])\d*")
_FILE_MODES = (b"100644", b"100755", b"100664")


class Commit(NamedTuple):
    """One commit: its name, the day (ISO 8601) and who wrote it."""

    name: str
    day: str
    author: str


class Change(NamedTuple):
    """What a commit did to one path: the content that went and the one that came; none where there was no file."""

    commit: Commit
    path: str
    went: str | None
    came: str | None


def _run(folder: Path, *arguments: str) -> bytes:
    try:
        done = subprocess.run([*_GIT, "-C", str(folder), *arguments], capture_output=True, check=False)
    except FileNotFoundError:
        raise FieldError("git is not installed: it knows which lines are new, and what was there before") from None
    if done.returncode:
        said = done.stderr.decode("utf-8", "replace").strip().partition("\n")[0]
        raise FieldError(f"git says of {folder}: {said}", path=folder)
    return done.stdout


def top_of(folder: Path) -> Path:
    """Give the top folder of the working tree that a folder is in.

    Raises
    ------
    FieldError
        Where it is in none, or git is not installed.
    """
    if not folder.is_dir():
        raise FieldError(f"{folder} is no folder: a repository is asked by one of its folders", path=folder)
    return Path(_run(folder, "rev-parse", "--show-toplevel").decode("utf-8", "surrogateescape").rstrip("\n"))


def changed_lines(folder: Path, revision: str) -> dict[str, list[range] | None]:
    """Give the lines of each file below a folder that are new since a revision, by the file's path in it.

    A file that is not tracked yet is all new: None.

    Raises
    ------
    FieldError
        Where there is no such revision, the folder is in no repository, or git is not installed.
    """
    if revision.startswith("-"):
        raise FieldError(f"{revision!r} is no revision")
    top_of(folder)
    options = ("--no-color", "--no-ext-diff", "--no-textconv", "--no-renames", "--relative", "--diff-filter=ACMRT")
    names = _run(folder, "diff", *options, "--name-only", "-z", revision, "--", ".")
    made: dict[str, list[range] | None] = {}
    for name in _split(names):
        hunks = _run(folder, "diff", *options, "-U0", revision, "--", f":(literal){name}")
        made[name] = [
            range(int(match[1]), int(match[1]) + int(match[2] or 1))
            for match in _HUNK.finditer(hunks)
            if match[2] != b"0"
        ]
    for name in _split(_run(folder, "ls-files", "--others", "--exclude-standard", "-z", "--", ".")):
        made[name] = None
    return made


def _split(names: bytes) -> list[str]:
    return [name.decode("utf-8", "surrogateescape") for name in names.split(b"\0") if name]


def changes(folder: Path, *revisions: str) -> Iterator[Change]:
    """Give what each commit did, the oldest first; of a merge, what it did to each of its parents.

    Raises
    ------
    FieldError
        As `changed_lines`.
    """
    options = ("--reverse", "--topo-order", "--raw", "-z", "-m", "--no-renames", "--no-abbrev", "--no-color")
    told = "--format=%x01%H%x02%as%x02%an%x02"
    command = [*_GIT, "-C", str(folder), "log", *options, told, *(revisions or ("--all",)), "--"]
    with _process(command) as process:
        commit, waiting = Commit("", "", ""), b""
        record: tuple[str | None, str | None] | None = None
        assert process.stdout is not None
        while piece := process.stdout.read(1 << 16):
            *fields, waiting = (waiting + piece).split(b"\0")
            for field in fields:
                if b"\x01" in field:
                    name, day, author, rest = field.partition(b"\x01")[2].split(b"\x02", 3)
                    commit = Commit(name.decode(), day.decode(), author.decode("utf-8", "replace"))
                    field, record = rest, None  # noqa: PLW2901
                if record is None and (match := _RECORD.fullmatch(field.lstrip(b"\n"))) is not None:
                    went = match[3].decode() if match[1] in _FILE_MODES else None
                    came = match[4].decode() if match[2] in _FILE_MODES else None
                    record = (went, came)
                elif record is not None and field:
                    yield Change(commit, field.decode("utf-8", "surrogateescape"), *record)
                    record = None


@contextmanager
def _process(command: list[str], stdin: int | None = None) -> Iterator[subprocess.Popen[bytes]]:
    try:
        process = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, stdin=stdin)
    except FileNotFoundError:
        raise FieldError("git is not installed: it knows what was there before") from None
    try:
        yield process
        if process.stdout is not None:
            process.stdout.close()
        said = process.stderr.read() if process.stderr is not None else b""
        if process.wait():
            raise FieldError(f"git says: {said.decode('utf-8', 'replace').strip().partition(chr(10))[0]}")
    finally:
        process.kill()
        process.wait()
        for stream in (process.stdin, process.stdout, process.stderr):
            if stream is not None:
                stream.close()


def is_tracked(path: Path) -> bool:
    """Whether version control keeps a file; not where there is none, or git is not installed."""
    try:
        return bool(_run(path.parent, "ls-files", "-z", "--", f":(literal){path.name}"))
    except (FieldError, OSError):
        return False


def tracked_in(folder: Path, paths: Iterable[Path]) -> set[Path]:
    """Give those of some paths below a folder that version control keeps; none where there is none, or no git."""
    try:
        listed = _run(folder, "ls-files", "-z", "--", *(f":(literal){path.as_posix()}" for path in paths))
    except FieldError:
        return set()
    return {Path(name) for name in _split(listed)}


def names_at(folder: Path, revision: str = "HEAD") -> set[str]:
    """Give the names of the contents of all files at a revision; none where there is no commit yet.

    Raises
    ------
    FieldError
        Where git is not installed.
    """
    try:
        listed = _run(folder, "ls-tree", "-r", "-z", "--full-tree", "--format=%(objectname)", revision)
    except FieldError:
        return set()
    return {name.decode() for name in listed.split(b"\0") if name}


def contents(folder: Path, names: Iterable[str], largest: int) -> Iterator[tuple[str, bytes | None]]:
    """Give contents by their names, one after the other; None for one that is larger than ``largest`` bytes."""
    command = [*_GIT, "-C", str(folder), "cat-file", "--batch"]
    with _process(command, stdin=subprocess.PIPE) as process:
        assert process.stdin is not None
        assert process.stdout is not None
        for name in names:
            process.stdin.write(name.encode() + b"\n")
            process.stdin.flush()
            head = process.stdout.readline().split()
            if len(head) < 3:  # a content that is not here, as in a partial clone
                yield name, None
                continue
            size = int(head[2])
            if size <= largest:
                yield name, process.stdout.read(size)
            else:
                _skip(process.stdout, size)
                yield name, None
            process.stdout.read(1)
        process.stdin.close()


def _skip(stream: IO[bytes], size: int) -> None:
    while size > 0 and (piece := stream.read(min(size, 1 << 20))):
        size -= len(piece)
