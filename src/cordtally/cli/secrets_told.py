"""What the commands of ``cordtally secret`` share: where they work, and the document that each prints."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from ..errors import TallyError
from ..model import MASK, Locator
from .inputs import surroundings
from .output import print_json

if TYPE_CHECKING:
    from ..model import Secret
    from ..secrets import Surroundings


def here() -> Surroundings:
    """How secrets are reached: from the folder of the nearest tally, or from this one where there is none."""
    from ..tally import find_tally

    try:
        folder = find_tally().parent
    except TallyError:
        folder = Path()
    return surroundings(folder)


def located(text: str) -> Locator:
    """Read a locator as the nearest tally does, which declares what it may name; or by itself, where there is none."""
    from ..composing import parse_locator
    from ..tally import find_tally, load

    locator = parse_locator(text)
    try:
        place = find_tally()
    except TallyError:
        return locator
    return load(place).based(locator)


def print_done(
    done: str, locator: str | None, secret: Secret | None = None, *, unmask: bool = False, **more: object
) -> None:
    """Print ``cordtally/secret/1``."""
    shown = None if secret is None else secret.unmask() if unmask else MASK
    print_json(
        {"schema": "cordtally/secret/1", "done": done, "locator": locator, "secret": shown, "bits": None, **more}
    )
