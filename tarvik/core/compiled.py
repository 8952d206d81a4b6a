"""Inner loops in machine code (Numba)."""

from __future__ import annotations

from typing import TYPE_CHECKING, TypeVar, cast

from numba import njit

if TYPE_CHECKING:
    from collections.abc import Callable

F = TypeVar("F", bound="Callable[..., object]")


def compiled(function: F) -> F:
    """Compile a function on first use, keep the machine code on disk, and let other threads run
    meanwhile.
    """
    return cast("F", njit(cache=True, nogil=True, error_model="numpy")(function))
