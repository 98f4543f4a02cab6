"""How long it takes to paint something out of a take: the region of strokes, each step of following it, its soft matte at two
sizes, beside PyMatting's closed form on the same band; and people. On the demo's fox, painted with four strokes."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from typing import Any

import av
import cv2
import numpy as np
from numpy.typing import NDArray
from pymatting import estimate_alpha_cf

from tests.people import portrait
from velvet_seam.core.people.guess import guess, steadied
from velvet_seam.core.people.region import people
from velvet_seam.core.roto.carry import carried
from velvet_seam.core.roto.doubt import strayed
from velvet_seam.core.roto.first import Marks, found
from velvet_seam.core.roto.moved import looked
from velvet_seam.core.roto.residual import around
from velvet_seam.core.roto.seen import seen
from velvet_seam.core.roto.soft import band_of, soft_matte
from velvet_seam.core.roto.telling import painted_sample
from velvet_seam.demo.draw import FOLDER

KEEP = [((372, 1100), (385, 1420))]
DROP = [((150, 1000), (150, 1560)), ((640, 1000), (640, 1560)), ((250, 800), (600, 800))]
"""From where to where on the fox's first frame, 1080 × 1920."""


def drawn(lines: list[Any], shape: tuple[int, int]) -> NDArray[np.bool_]:
    plane, k = np.zeros(shape, np.uint8), shape[1] / 1080
    for line in lines:
        a, b = ((round(x * k), round(y * k)) for x, y in line)
        cv2.line(plane, a, b, 1, 3)
    return plane > 0


def cut_out(line: Callable[..., None], timed: Callable[..., tuple[float, float]]) -> None:
    """All of it, on one core."""
    threads = cv2.getNumThreads()
    cv2.setNumThreads(1)
    try:
        _cut_out(line, timed)
    finally:
        cv2.setNumThreads(threads)


def _cut_out(line: Callable[..., None], timed: Callable[..., tuple[float, float]]) -> None:
    print("\nCut out by strokes and by itself, one core, the demo's fox (median)")
    with av.open(str(FOLDER / "fox-left.mp4")) as film:
        large = [one.to_ndarray(format="rgba") for _, one in zip(range(25), film.decode(video=0), strict=False)]  # fmt: skip
    frames = [cv2.resize(one, (540, 960), interpolation=cv2.INTER_AREA) for one in large]
    there, here = seen(frames[0]), seen(frames[2])
    marks = Marks.of(*(drawn(lines, there.light.shape) for lines in (KEEP, DROP)))
    others = [seen(frames[n]) for n in around(0, 0, 24, Fraction(25))[1]]
    moved = looked(there, [], others).moved
    region = found(there.f, marks, moved=moved)
    painted = painted_sample(region, there)
    to = carried(region, there, here, painted)
    for what, work in {
        "a frame looked at, 540 × 960": lambda _: seen(frames[0]),
        "what the camera leaves over of it, beside six others": lambda _: looked(there, [], others),
        "the region of four strokes": lambda _: found(there.f, marks, moved=moved),
        "carried over two frames": lambda _: carried(region, there, here, painted),
        "and judged": lambda _: strayed(region, there, to, here, painted),
        "its matte at 540 × 960": lambda _: soft_matte(frames[0], region),
        "its matte at 1080 × 1920": lambda _: soft_matte(large[0], region),
    }.items():
        line(what, f"{timed(work)[0]:.1f} ms")
    deep = cv2.resize(region, (540, 960)) * (960 / region.shape[0])
    trimap = np.where(deep > 0, 1.0, 0.0)
    trimap[np.abs(deep) < band_of((960, 540))] = 0.5
    rgb = frames[0][..., :3] / 255
    line("closed form (PyMatting) on its band, 540 × 960", f"{timed(lambda _: estimate_alpha_cf(rgb, trimap), 3)[0]:.0f} ms")  # fmt: skip
    person = cv2.resize(portrait(640), (540, 960), interpolation=cv2.INTER_AREA)
    said = guess(person)
    line("people: looked at twice, 540 × 960", f"{timed(lambda _: guess(person))[0]:.1f} ms")
    inside = people(person, steadied(said, said, said))
    line(
        "people: their region",
        f"{timed(lambda _: people(person, steadied(said, said, said)))[0]:.1f} ms",
    )
    line("people: their matte", f"{timed(lambda _: soft_matte(person, inside))[0]:.1f} ms")
