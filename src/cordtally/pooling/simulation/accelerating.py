"""Compiles the simulation's loops with Numba where it is installed; without it the same functions run as they are."""

from __future__ import annotations

import os
from collections.abc import Callable
from typing import TYPE_CHECKING, Any, TypeVar

Function = TypeVar("Function", bound=Callable[..., Any])

if TYPE_CHECKING:
    config: Any
    njit: Any

try:
    if os.environ.get("NUMBA_DISABLE_JIT", "0") not in {"", "0"}:  # then loading it would be half a second for nothing
        raise ImportError  # noqa: TRY301
    if not TYPE_CHECKING:
        from numba import config, njit

    ACCELERATED = not config.DISABLE_JIT

    def jit(function: Function) -> Function:
        """Compile on the first call, and keep the machine code on disk for the next run."""
        compiled: Function = njit(cache=True, nogil=True, error_model="numpy")(function)
        return compiled

    def inner(function: Function) -> Function:
        """Compile a function that only compiled ones call: without a way in from Python it takes half the time."""
        compiled: Function = njit(
            cache=True, nogil=True, error_model="numpy", no_cpython_wrapper=True, no_cfunc_wrapper=True
        )(function)
        return compiled

except ImportError:
    ACCELERATED = False

    def jit(function: Function) -> Function:
        """Leave a function as it is."""
        return function

    inner = jit
