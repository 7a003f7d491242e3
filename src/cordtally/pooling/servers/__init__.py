"""Real servers as pools see them: opens sessions, runs statements, reads who holds connections."""

from __future__ import annotations

from importlib import import_module

from ...errors import FieldError, PoolModelError
from ...model import Cord
from ...secrets import Surroundings, arguments_for, with_secret
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
    module: ServerModule = import_module(f".{ENGINES[engine]}", __package__)
    return module


def ask_capacity(cord: Cord, surroundings: Surroundings | None = None) -> Capacity:
    """Ask a server for its limits, through one session.

    Raises
    ------
    PoolModelError
        When the server lets nobody in.
    """
    server = server_module(cord.engine)
    arguments = dict(arguments_for(with_secret(cord, surroundings), server.DRIVER))
    try:
        session = server.connect(arguments, limit=5.0, writes=False)
        try:
            return server.capacity(session)
        finally:
            session.close()
    except server.errors() as error:
        raise PoolModelError(f"the server says: {str(error).strip()}") from None


__all__ = ["ENGINES", "Activity", "Capacity", "ServerModule", "ask_capacity", "server_module"]
