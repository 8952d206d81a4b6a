"""What makes hung shapes the same: the keys by which they are kept, and their nodes as bytes."""

from __future__ import annotations

import hashlib
import json
import zlib
from typing import TYPE_CHECKING, Any, Final, NamedTuple

import numpy as np

from tarvik.core.errors import FoldError
from tarvik.core.kept import keep_last, plain_of

if TYPE_CHECKING:
    from tarvik.core.hang.hung import Hanging, Hung
    from tarvik.core.rig.carried import Rig
    from tarvik.core.shelter import Shelter
    from tarvik.core.solve import Solution

METHOD: Final = 6
"""Raised when the way sheets are hung changes: shapes of an older method are worked out anew."""
MOST_KEYS: Final = 500
"""Keys of hung shapes that are kept."""


@keep_last(MOST_KEYS)
def shape_key(shelter: Shelter, rig: Rig, hanging: Hanging) -> str:
    """What makes two hung shapes the same: cloth, fold, what holds it, and how it is pulled and
    loaded.
    """
    told = [
        METHOD,
        shelter.pitch.slug,
        plain_of(shelter, without=("pitch", "sheet", "whole", "bare")),
        plain_of(shelter.sheet, without=("tie_outs", "hood", "fabric", "lap")),
        plain_of(rig, without=("short",)),
        plain_of(hanging),
    ]
    return hashlib.sha256(json.dumps(told).encode()).hexdigest()


def told_key(solution: Solution, hanging: Hanging) -> str:
    """What makes two accounts of a hung shape the same: the shape, and who is to lie under it on
    what night.
    """
    shelter, rig, figures = parts_of(solution)
    q = solution.question
    told = [
        shape_key(shelter, rig, hanging),
        *(plain_of(part) for part in (q.body, q.people)),
        *(plain_of(part) for part in (figures.weather, figures.clearance, figures.lying)),
    ]
    return hashlib.sha256(json.dumps(told).encode()).hexdigest()


class Parts(NamedTuple):
    """What hangs of an answer: the shelter, its rig, its figures."""

    shelter: Shelter
    rig: Rig
    figures: Any


def parts_of(solution: Solution) -> Parts:
    """The shelter, its rig and its figures. Raises FoldError for what makes no such pitch."""
    if (
        solution.shelter is None
        or solution.figures is None
        or solution.assessment.rig is None
    ):
        raise FoldError("the sheet makes no such pitch")
    return Parts(solution.shelter, solution.assessment.rig, solution.figures)


def can_hang(solution: Solution) -> bool:
    """Whether there is anything to hang: a sheet that folds so, and is no bed or bag that lies on
    the ground.
    """
    return (
        solution.shelter is not None
        and solution.figures is not None
        and solution.assessment.rig is not None
        and solution.question.pitch.bed is None
    )


def pack_nodes(hung: Hung) -> bytes:
    """Where all nodes hang, as bytes."""
    return zlib.compress(hung.rest.x.astype("<f4").tobytes())


def unpack_nodes(packed: bytes) -> np.ndarray:
    """Places (n, 3) from bytes."""
    return (
        np.frombuffer(zlib.decompress(packed), dtype="<f4")
        .reshape(-1, 3)
        .astype(np.float64)
    )


def advice_key(solution: Solution, hanging: Hanging, gust_pa: float, holds_n: float) -> str:
    """What makes the advice on a hung shape the same: what is told of it, the gust and what a stake
    holds.
    """
    told = ["advice", told_key(solution, hanging), round(gust_pa, 1), round(holds_n, 1)]
    return hashlib.sha256(json.dumps(told).encode()).hexdigest()
