"""Motion blur against the plain way: the mean of a layer placed at many moments of a frame, and at twelve of them."""

from __future__ import annotations

import time
from collections.abc import Callable
from contextlib import nullcontext
from statistics import median
from typing import Any
from unittest.mock import patch

import numpy as np

from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.engine.shutter import Lit
from velvet_seam.core.shot.shot import Shot
from velvet_seam.store.library import Library

MANY, FEW = 384, 12
FRAME = 4
SIDE = 540


def _keys(
    first: float, last: float, ease: str = "linear", frames: tuple[int, int] = (0, 8)
) -> dict[str, Any]:
    return {
        "keys": [
            {"frame": frames[0], "value": first, "ease": ease},
            {"frame": frames[1], "value": last},
        ]
    }


MOVES: dict[str, dict[str, Any]] = {
    "4 px a frame": {"x": _keys(500, 532)},
    "40 px a frame": {"x": _keys(300, 620)},
    "312 px a frame": {"x": _keys(-500, 2000)},
    "860 px, aslant": {"x": _keys(-2000, 3600), "y": _keys(-1000, 3000)},
    "turning 45°": {"rotation": _keys(0, 360)},
    "turning 180°": {"rotation": _keys(0, 1440)},
    "growing by half": {"scale": _keys(10, 300)},
    "ever quicker": {"x": _keys(-300, 1400, "slow-start", (3, 6))},
    "with pulled corners": {
        "x": _keys(-100, 1200),
        "pins": {"top_left_x": 200, "bottom_right_y": -300},
    },
}


def motion_blur(say: Callable[..., None], library: Library) -> None:
    """Levels of 255 by which it is off the mean of ``MANY`` moments, and what it takes."""
    print(
        f"\nMotion blur, 360°, a star cut out of a clip at {SIDE} × 960; levels off the mean of {MANY} moments"
    )
    clip = next(one for one in library.footage.all() if one.name.startswith("fox-left"))
    found = library.materials(preview=True)
    for name, moves in MOVES.items():
        shot = _shot(clip.id, moves)
        wanted, _ = _made(found, shot, MANY)
        plain, long = _made(found, shot, FEW)
        ours, took = _made(found, shot, None)
        off, plainly = (float(np.abs(one - wanted).max()) for one in (ours, plain))
        say(
            f"{name}",
            f"{off:.0f}, {1000 * took:.0f} ms",
            f"{FEW} moments: {plainly:.0f}, {1000 * long:.0f} ms",
        )


def _shot(footage: str, moves: dict[str, Any]) -> Shot:
    star = {"kind": "star", "id": "m-star", "radius": 400, "inner": 45}
    layer = {
        "id": "l-star", "name": "Star", "source": {"kind": "footage", "footage": footage}, "span": {"first": 0, "last": 8},
        "place": {"x": 540, "y": 960, "scale": 55, **moves}, "shutter": 360, "seam": {"masks": [star]},
    }  # fmt: skip
    canvas = {"width": 1080, "height": 1920}
    return Shot.model_validate(
        {"name": "Blur", "canvas": canvas, "rate": "25", "length": 9, "layers": [layer]}
    )


def _made(found: Callable[[str], Any], shot: Shot, moments: int | None) -> tuple[np.ndarray, float]:
    """The picture, and the median of three seconds that it took; with so many ``moments`` plainly."""

    def plainly(at: Callable[[float], Any], *_: object) -> Lit:
        assert moments
        return Lit(tuple(at((n + 0.5) / moments - 0.5) for n in range(moments)))

    took = []
    for _ in range(3 if moments != MANY else 1):
        engine = Engine(found)
        with patch("velvet_seam.core.engine.plan.lit", plainly) if moments else nullcontext():
            plan = engine.plan(shot, FRAME, short_side=SIDE)
        begin = time.perf_counter()
        picture = engine.picture(plan).astype(int)
        took.append(time.perf_counter() - begin)
    return picture, median(took)
