"""Displaced slices."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np

from velvet_seam.core.looks.base import Area, Ground, Group, Work
from velvet_seam.core.steps import Picture
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds


class Slices(Area):
    """Slices of the picture slid sideways, others at each beat: a torn signal. What slides out comes in again on
    the other side."""

    label: ClassVar[str] = "Slices"
    says: ClassVar[str] = "Strips that jump sideways, as of a torn signal"
    find: ClassVar[str] = "glitch displace tear signal vhs strips"
    group: ClassVar[Group] = "shape"

    kind: Literal["slices"] = "slices"
    amount: Annotated[
        Animated,
        Bounds(0, 2000, "px", "Amount", "How far a slice slides at most, in pixels of the canvas", shown=(0, 300), of="canvas"),
    ] = 60.0  # fmt: skip
    count: Annotated[
        Animated, Bounds(1, 400, "", "Slices", "How many there are, about", shown=(1, 60))
    ] = 18.0
    torn: Annotated[Animated, Bounds(0, 100, "%", "Torn", "How many of them slide at a time")] = (
        45.0
    )
    rate: Annotated[
        Animated,
        Bounds(0, 60, "/s", "Rate", "How often in a second others slide; 0 for the same ones always", step=0.5, shown=(0, 30)),
    ] = 8.0  # fmt: skip
    seed: Annotated[
        Animated,
        Bounds(0, 1_000_000, "", "Seed", "Another whole number tears in another way", shown=(0, 100)),
    ] = 1.0  # fmt: skip

    def work(self, at: At, ground: Ground) -> Work | None:
        far, torn = at(self.amount) * ground.per, at.part(self.torn)
        if not far or not torn:
            return None
        beat = int(np.floor(ground.seconds * at.mean(self.rate, ground.age) + 1e-6))
        chance = (at.whole(self.seed), max(beat, 0), at.whole(self.count))
        return Work(_torn, (far, torn, chance, ground.size[1], ground.top))

    def reach(self, at: At) -> float:
        return 1e5  # what slides out on one side comes in on the other

    def moves(self) -> bool:
        return True


def _torn(
    far: float, torn: float, chance: tuple[int, int, int], whole: int, top: int, picture: Picture
) -> Picture:
    seed, beat, count = chance
    rng = np.random.Generator(np.random.Philox(key=seed << 8 | 33, counter=beat))
    edges = np.sort(rng.random(max(0, count - 1)))
    shifts = rng.uniform(-1, 1, count) * (rng.random(count) < torn) * far
    rows = (np.arange(picture.shape[0]) + top + 0.5) / whole
    begins = [0, *np.searchsorted(rows, edges, side="right").tolist(), len(rows)]
    width = picture.shape[1]
    words = np.ascontiguousarray(picture).view(np.uint32)[..., 0]
    out = words.copy()
    for shift, begin, end in zip(np.rint(shifts).astype(int), begins, begins[1:], strict=False):
        if shift:
            out[begin:end] = np.roll(words[begin:end], int(shift) % width, axis=1)
    return out.view(np.uint8).reshape(picture.shape)
