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


def compiled_sums(function: F) -> F:
    """The same where long sums may be added up in any order, which is several times faster."""
    free = {"reassoc", "contract", "nsz"}
    return cast(
        "F", njit(cache=True, nogil=True, error_model="numpy", fastmath=free)(function)
    )
