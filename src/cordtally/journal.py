"""What is noted in the log, under ``cordtally``: what was read, asked and dialled, and never a secret.

``logging.getLogger("cordtally").setLevel(logging.DEBUG)`` shows it. Nothing is noted by what only computes.
"""

from __future__ import annotations


def note(area: str, message: str, *facts: object) -> None:
    """Note what was done, for whoever looks for it: names, places and times."""
    import logging  # when something is opened or fetched, its time does not count

    logging.getLogger(f"cordtally.{area}").debug(message, *facts)
