"""What is known of a rotation that was begun: names, times and steps, and no secret; in this user's state folder."""

from __future__ import annotations

import hashlib
import json
from dataclasses import asdict, dataclass
from pathlib import Path

from ..errors import LocatorError, quoted
from ..secrets.own_folders import state_folder
from ..syntax import write_whole

_SCHEMA = "cordtally/rotation-journal/1"


@dataclass(frozen=True, slots=True, kw_only=True)
class Entry:
    """A rotation: which cord, how, from which user to which, and when what was done, in seconds since 1970.

    ``state`` is ``begun``, ``grace`` (the old password lives on, until then), or ``done``.
    """

    cord: str
    mode: str
    state: str
    user: str
    to: str
    when: float
    until: float | None = None


def journal_path(tally: Path, title: str) -> Path:
    """The journal of a cord of a tally.

    Raises
    ------
    MissingExtra
        When platformdirs is not installed.
    """
    name = hashlib.sha256(f"{tally.resolve()}\n{title}".encode()).hexdigest()[:24]
    return state_folder("the journal of a rotation") / "rotations" / f"{name}.json"


def read_entry(path: Path) -> Entry | None:
    """Read what is known; None where nothing was begun here.

    Raises
    ------
    LocatorError
        Where the journal cannot be read.
    """
    try:
        raw = json.loads(path.read_text("utf-8"))
        return Entry(**raw["rotation"]) if raw["schema"] == _SCHEMA else None
    except FileNotFoundError:
        return None
    except (OSError, ValueError, KeyError, TypeError):
        raise LocatorError(f"the journal {quoted(path)} cannot be read: look at it, and delete it") from None


def write_entry(path: Path, entry: Entry) -> None:
    """Write what is known, all of it or nothing."""
    path.parent.mkdir(0o700, parents=True, exist_ok=True)
    document = {"schema": _SCHEMA, "rotation": asdict(entry)}
    write_whole(path, (json.dumps(document, indent=1) + "\n").encode(), 0o600)
