"""This user's own folders, where what is remembered about secrets is kept: outside of every repository."""

from __future__ import annotations

from pathlib import Path

from ..errors import MissingExtra


def config_folder(purpose: str) -> Path:
    """The folder for what this user has decided: keys, and what was vouched for.

    Raises
    ------
    MissingExtra
        When platformdirs is not installed; it names the ``purpose``.
    """
    try:
        from platformdirs import user_config_path
    except ImportError:
        raise MissingExtra("platformdirs", "secrets", purpose) from None
    return user_config_path("cordtally", appauthor=False)


def state_folder(purpose: str) -> Path:
    """The folder for what was seen and begun: generations of chests, journals.

    Raises
    ------
    MissingExtra
        As `config_folder`.
    """
    try:
        from platformdirs import user_state_path
    except ImportError:
        raise MissingExtra("platformdirs", "secrets", purpose) from None
    return user_state_path("cordtally", appauthor=False)
