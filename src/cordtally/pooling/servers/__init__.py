"""Real servers as pools see them: opens sessions, runs statements, reads who holds connections."""

from __future__ import annotations

from importlib import import_module

from ...errors import FieldError
from .session import Activity, Capacity, ServerModule

ENGINES = {"postgresql": "postgresql", "mysql": "mysql", "mariadb": "mysql", "redis": "redis", "sqlite": "sqlite"}


def server_module(engine: str) -> ServerModule:
    """Give the module of an engine.

    Raises
    ------
    FieldError
        For an engine that cannot be measured or watched.
    """
    if engine not in ENGINES:
        raise FieldError(f"pools of {engine} can be neither measured nor watched yet; {', '.join(ENGINES)} can")
    module: ServerModule = import_module(f".{ENGINES[engine]}", __package__)  # type: ignore[assignment]
    return module


__all__ = ["ENGINES", "Activity", "Capacity", "ServerModule", "server_module"]
