"""A region of a clip followed over its frames, from where it was set by hand, forward and backward."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.register.levels import Grey
from velvet_seam.core.register.region import Corners
from velvet_seam.core.register.tracking import Tracker
from velvet_seam.core.register.warps import Model

AT_ONCE = 24
"""Frames read forward and then gone through backward: files are not read backward."""

MODEL: dict[str, Model] = {"point": "stretch", "plane": "plane"}


@dataclass
class Path:
    """By frame of the clip: where the region's corners are, or None where it is lost; and where it was found again."""

    corners: dict[int, Corners | None] = field(default_factory=dict)
    again: set[int] = field(default_factory=set)


def followed(
    read: Callable[[int], Grey], kind: str, anchors: dict[int, Corners], frames: range,
    told: Callable[[int], None] = lambda done: None,
) -> Path:  # fmt: skip
    """The path of a region over some frames of a clip.

    Between two frames where it was set by hand it is followed from both, and goes over from the one to the other; so
    what is set by hand changes nothing beyond its neighbours.

    Args:
        read: a frame, grey, by its number.
        anchors: its corners in the frames where it was set by hand, (4, 2), pixels of the pictures that are read.
        told: is called with how many frames are done.
    """
    known = sorted(anchors)
    made, done = Path(), 0
    for number in known:
        made.corners[number] = anchors[number]
    pairs = list(zip([None, *known], [*known, None], strict=True))
    for low, high in pairs:
        begin = frames.start if low is None else low + 1
        end = frames.stop if high is None else high
        span = range(max(begin, frames.start), min(end, frames.stop))
        ways: list[dict[int, Corners | None]] = []
        for at, forward in ((low, True), (high, False)):
            if at is None or not span:
                continue
            way: dict[int, Corners | None] = {}
            tracker = Tracker(read(at), anchors[at], MODEL[kind])
            for number, grey in ((n, read(n)) for n in span) if forward else backward(read, span):
                found = tracker.step(grey)
                way[number] = found.corners
                if found.again:
                    made.again.add(number)
                done += 1
                told(done)
            ways.append(way)
        made.corners.update(_joined(ways, span))
    return made


def backward(read: Callable[[int], Grey], frames: range) -> Iterator[tuple[int, Grey]]:
    """Frames from the last to the first."""
    for end in range(frames.stop, frames.start, -AT_ONCE):
        part = range(max(frames.start, end - AT_ONCE), end)
        held = [(number, read(number)) for number in part]
        yield from reversed(held)


def _joined(
    ways: Iterable[dict[int, Corners | None]], span: range
) -> Iterator[tuple[int, Corners | None]]:
    """One way, or two that come from either side: each counts more the nearer it has begun."""
    found = list(ways)
    for n, number in enumerate(span):
        here = [way.get(number) for way in found]
        if len(here) == 2 and here[0] is not None and here[1] is not None:
            part = (n + 1) / (len(span) + 1)
            yield number, (1 - part) * here[0] + part * here[1]
        else:
            yield number, next((one for one in here if one is not None), None)


def place_of(kind: str, corners: Corners, per: float) -> tuple[float, ...]:
    """A place of a track, source pixels: the middle of a point's region, or the corners of a plane's."""
    own: NDArray[np.float64] = corners.mean(0) if kind == "point" else corners.ravel()
    return tuple(round(float(one) * per, 3) for one in own)
