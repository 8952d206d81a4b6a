"""The threads of a meshed sheet as members that only pull."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import TYPE_CHECKING, Final

import numpy as np

from tarvik.core.constant import ENGINEERING, constant
from tarvik.core.hang.balance import Members
from tarvik.core.plane import signed_area
from tarvik.core.units import GRAVITY

if TYPE_CHECKING:
    from collections.abc import Sequence

    from tarvik.core.fold.pattern import Floats
    from tarvik.core.hang.fabric import Fabric
    from tarvik.core.hang.mesh import Mesh

PATCH_M: Final = constant(
    "patch",
    0.10,
    "m",
    ENGINEERING,
    "how far the patch of a tie-out, or a button's folds, reach",
)
PATCH_LAYERS: Final = constant(
    "patch_layers", 3.0, "1", ENGINEERING, "layers of cloth that a patch adds"
)
HEM_M: Final = constant(
    "hem",
    0.06,
    "m",
    ENGINEERING,
    "cloth in the hem and its seam: the hem is as stiff as a strip this wide",
)
BIAS: Final = 1 / math.sqrt(2)
WAYS: Final = np.array([[1.0, 0.0], [0.0, 1.0], [BIAS, BIAS], [BIAS, -BIAS]])
"""Directions on the flat sheet in which a triangle pulls: across, along, and both biases."""
_STEPS: Final = 6
INSIDE: Final = np.array(
    [
        [3 * i + 1, 3 * k + 1, 3 * (_STEPS - 1 - i - k) + 1]
        if kind == 0
        else [3 * i + 2, 3 * k + 2, 3 * (_STEPS - 2 - i - k) + 2]
        for kind in (0, 1)
        for i in range(_STEPS - kind)
        for k in range(_STEPS - kind - i)
    ]
) / (3 * _STEPS)
"""Middles of the small triangles into which a triangle is cut, as shares of its corners."""
SHEAR_SHARE: Final = 4.0
"""A shear of g stretches one bias by g / 2, and stores G g^2 / 2: so a bias is 4 G stiff."""


def threads(mesh: Mesh, fabric: Fabric, stretch: float = 0.0) -> Members:
    """Four members a triangle: weft (u), warp (v) and the two biases. `stretch`: how much longer
    the threads are (wet).
    """
    corners = mesh.uv[mesh.triangles]
    (a, b, c) = corners[:, 0], corners[:, 1], corners[:, 2]
    double = 2 * signed_area(corners)
    # Gradients of the three linear shape functions (m, 3, 2).
    grad = np.stack(
        [
            np.stack([p[:, 1] - q[:, 1], q[:, 0] - p[:, 0]], axis=-1)
            for p, q in ((b, c), (c, a), (a, b))
        ],
        axis=1,
    )
    grad = grad / double[:, None, None]
    per_way = np.array(
        [
            fabric.weft_n_m,
            fabric.warp_n_m,
            SHEAR_SHARE * fabric.shear_n_m,
            SHEAR_SHARE * fabric.shear_n_m,
        ]
    )
    coef = np.einsum("mpk,wk->mwp", grad, WAYS).reshape(-1, 3)
    nodes = np.repeat(mesh.triangles, len(WAYS), axis=0)
    stiff = (mesh.area[:, None] * per_way).ravel()
    return Members(nodes, coef, np.full(len(nodes), 1.0 + stretch), stiff)


def patched(mesh: Mesh, members: Members, nodes: Sequence[int]) -> Members:
    """The threads with the patches that tie-outs are sewn on: the cloth within PATCH_M of each is
    so many layers more.
    """
    corners = mesh.uv[mesh.triangles]
    middles = corners.mean(axis=1)
    reach = PATCH_M + np.sqrt(((corners - middles[:, None]) ** 2).sum(axis=2).max(axis=1))
    share = np.zeros(len(corners))
    for node in nodes:
        at = mesh.uv[node]
        near = np.flatnonzero(((middles - at) ** 2).sum(axis=1) <= reach**2)
        points = INSIDE @ corners[near] - at
        share[near] += ((points**2).sum(axis=2) <= PATCH_M**2).mean(axis=1)
    return replace(
        members,
        stiff=members.stiff
        * np.repeat(1 + PATCH_LAYERS * np.minimum(share, 1.0), len(WAYS)),
    )


def hem(mesh: Mesh, fabric: Fabric, stretch: float) -> Members:
    """The hem along every edge of the cloth, as cords."""
    ends = mesh.rim
    length = np.linalg.norm(mesh.uv[ends[:, 0]] - mesh.uv[ends[:, 1]], axis=1)
    return Members.cords(ends, length * (1 + stretch), HEM_M * fabric.warp_n_m / length)


def weights_n(mesh: Mesh, fabric: Fabric, *, wet: bool = False) -> Floats:
    """What the cloth at each node weighs (n,), N."""
    return (
        mesh.node_area
        * GRAVITY
        * fabric.weight_kg_m2
        * (1 + (fabric.wet_share if wet else 0.0))
    )
