"""Memory given back: the compiler's code leaves, and whatever needs it finds it again."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from numba import njit

from tarvik.work.tidying import COMPILER, code_of, give_back

SMAPS = Path("/proc/self/smaps")


def resident_kib(library: str) -> int:
    """How much of a library's code is in memory, as the kernel tells."""
    starts = {f"{start:x}" for start, _ in code_of(library)}
    held, ours = 0, False
    for line in SMAPS.read_text().splitlines():
        first = line.split()[0]
        if "-" in first and not first.endswith(":"):
            ours = first.split("-")[0] in starts
        elif ours and first == "Rss:":
            held += int(line.split()[1])
    return held


@pytest.mark.skipif(not SMAPS.exists(), reason="the system does not tell what is in memory")
def test_the_compilers_code_leaves_and_comes_back() -> None:
    def sum_of_squares(values):
        return (values * values).sum()

    values = np.arange(5.0)
    assert njit(sum_of_squares)(values) == 30.0
    before = resident_kib(COMPILER)
    assert before > 1000
    assert give_back()
    assert resident_kib(COMPILER) < before / 4
    assert njit(sum_of_squares)(values.astype(np.float32)) == 30.0


def test_a_library_that_is_not_there_has_no_code() -> None:
    assert list(code_of("libnothing-of-the-kind")) == []
