"""The Hollin Edge wood, made up: trees, hollows, a path, a stream, and a field book with one slip
in it.
"""

from __future__ import annotations

import math
import random
from typing import TYPE_CHECKING, Final

if TYPE_CHECKING:
    from tarvik.core.plain import JsonObject

SIZE_M: Final = (44.0, 30.0)
TREES: Final = 60
APART_M: Final = 1.9
FIRE: Final = (21.0, 13.5)
DEAD_AT: Final = (39.0, 26.0)
SLIP: Final = 61
"""Number of the taped distance that was read a metre and a half too long."""
PATH: Final = [[-2.0, 3.0], [12.0, 4.2], [27.0, 2.8], [46.0, 4.5]]
STREAM: Final = [[-2.0, -32.0], [14.0, -29.0], [30.0, -31.5], [46.0, -28.0]]
HOLLOWS: Final = (
    (
        "Dip by the holly",
        [[7.0, 21.0], [11.5, 20.4], [12.6, 23.8], [9.0, 25.6], [6.4, 23.6]],
    ),
    ("Beck hollow", [[30.5, 7.6], [34.5, 7.0], [35.6, 9.8], [32.0, 11.0]]),
)
PAD: Final = [[14.0, 15.5], [28.0, 15.0], [29.0, 22.0], [15.0, 22.5]]


def _trees(dice: random.Random) -> list[JsonObject]:
    """Names and true places; a glade about the fire, none on the path or in the hollows'
    middles.
    """
    out: list[JsonObject] = []
    while len(out) < TREES:
        x, y = dice.uniform(0, SIZE_M[0]), dice.uniform(5.5, SIZE_M[1])
        near = any(math.dist((x, y), (t["x"], t["y"])) < APART_M for t in out)
        glade = math.dist((x, y), FIRE) < 4.2 or any(
            math.dist(
                (x, y),
                (sum(c[0] for c in ring) / len(ring), sum(c[1] for c in ring) / len(ring)),
            )
            < 2.5
            for _, ring in HOLLOWS
        )
        if near or glade or math.dist((x, y), DEAD_AT) < APART_M:
            continue
        kind = dice.choice(("birch", "birch", "holly", "oak", "ash"))
        thick = {"birch": 0.22, "holly": 0.14, "oak": 0.42, "ash": 0.30}[
            kind
        ] * dice.uniform(0.6, 1.3)
        out.append(
            {
                "x": x,
                "y": y,
                "kind": kind,
                "across_m": round(thick, 2),
                "height_m": round(dice.uniform(7, 17)),
            }
        )
    counts: dict[str, int] = {}
    for tree in out:
        counts[tree["kind"]] = counts.get(tree["kind"], 0) + 1
        tree["name"] = f"{tree['kind'].capitalize()} {counts[tree['kind']]}"
    return out


def items() -> list[tuple[str, JsonObject]]:
    """Everything on the ground: (kind of item, its values). The same every time."""
    dice = random.Random(1927)  # noqa: S311 - invented ground, no secret
    trees = _trees(dice)
    out: list[tuple[str, JsonObject]] = []
    for n, tree in enumerate(trees):
        health = "dead branches" if n in (17, 44) else "sound"
        out.append(
            (
                "thing",
                {
                    "name": tree["name"],
                    "kind": "tree",
                    "across_m": tree["across_m"],
                    "height_m": tree["height_m"],
                    "health": health,
                },
            )
        )
    out.append(
        (
            "thing",
            {
                "name": "Grey ash",
                "kind": "tree",
                "x": DEAD_AT[0],
                "y": DEAD_AT[1],
                "across_m": 0.35,
                "height_m": 7.0,
                "health": "dead",
            },
        )
    )
    out.append(
        (
            "thing",
            {
                "name": "Fire spot",
                "kind": "fire spot",
                "x": FIRE[0],
                "y": FIRE[1],
                "across_m": 0.8,
            },
        )
    )
    out.append(
        (
            "thing",
            {
                "name": "Sheep stone",
                "kind": "boulder",
                "x": 25.6,
                "y": 18.2,
                "across_m": 1.1,
                "height_m": 0.7,
            },
        )
    )
    out.append(
        ("area", {"name": "Marrow path", "sort": "path", "corners": PATH, "width_m": 1.2})
    )
    out.append(
        (
            "area",
            {"name": "Marrow Beck", "sort": "water", "corners": STREAM, "width_m": 2.5},
        )
    )
    out.append(("area", {"name": "Edge glade", "sort": "level pad", "corners": PAD}))
    out += [
        ("area", {"name": name, "sort": "hollow", "corners": ring})
        for name, ring in HOLLOWS
    ]
    out += [("height", spot) for spot in _heights()]
    out += [("reading", reading) for reading in _readings(trees, dice)]
    return out


def _heights() -> list[JsonObject]:
    """A gentle fall to the south-west, the two dips in it."""
    spots = []
    for x in range(-2, 48, 4):
        for y in range(0, 34, 4):
            z = 212.0 + 0.035 * y + 0.012 * x + 0.15 * math.sin(x / 7.0) * math.cos(y / 6.0)
            for _, ring in HOLLOWS:
                cx, cy = (
                    sum(c[0] for c in ring) / len(ring),
                    sum(c[1] for c in ring) / len(ring),
                )
                z -= 0.45 * math.exp(-((x - cx) ** 2 + (y - cy) ** 2) / 9.0)
            spots.append({"x": float(x), "y": float(y), "height_m": round(z, 2)})
    return spots


def _readings(trees: list[JsonObject], dice: random.Random) -> list[JsonObject]:
    """Tapes from each tree to five that are known; ranges and bearings from the fire spot tie them
    to the map and to north.
    """
    out: list[JsonObject] = []
    order = sorted(trees, key=lambda t: math.dist((t["x"], t["y"]), FIRE))
    for n, tree in enumerate(order):
        near = sorted(
            order[:n], key=lambda t: math.dist((t["x"], t["y"]), (tree["x"], tree["y"]))
        )[:7]
        for other in dice.sample(near, min(5, len(near))):
            far = math.dist((tree["x"], tree["y"]), (other["x"], other["y"]))
            read = far * (1 + dice.gauss(0, 0.006))
            out.append(
                {
                    "way": "tape",
                    "start": other["name"],
                    "end": tree["name"],
                    "length_m": round(read, 2),
                }
            )
    out[SLIP]["length_m"] = round(out[SLIP]["length_m"] + 1.5, 2)
    for tree in order[:3]:
        dx, dy = tree["x"] - FIRE[0], tree["y"] - FIRE[1]
        out.append(
            {
                "way": "finder",
                "start": "Fire spot",
                "end": tree["name"],
                "length_m": round(math.hypot(dx, dy), 2),
                "bearing_deg": round(math.degrees(math.atan2(dx, dy)) % 360, 1),
            }
        )
    return out
