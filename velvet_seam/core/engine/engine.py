"""Evaluating plans, keeping what may be needed again."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Collection
from typing import Any

import numpy as np

from velvet_seam.core.engine.cache import ByteCache
from velvet_seam.core.engine.plan import Footage, Picture, Planner, Sheet, Step, View
from velvet_seam.core.picture.placement import Patch
from velvet_seam.core.shot.shot import Shot

PREVIEW_SHORT_SIDE = 540
MEGABYTE = 1 << 20


class Engine:
    """Pictures of shots. Same shot and footage, same picture: bit for bit, cached or not.

    Args:
        footage: the footage of an id; raises a Problem where there is none.
        cache_bytes: how much may be kept.
        passing: every frame is asked for once, as in a render: only what lasts is kept.

    ``counts`` tells how many steps of each kind have really been computed.
    """

    def __init__(
        self, footage: Callable[[str], Footage], *, cache_bytes: int = 768 * MEGABYTE,
        passing: bool = False,
    ) -> None:  # fmt: skip
        self._footage = footage
        self._cache: ByteCache[Any] = ByteCache(cache_bytes)
        self._passing = passing
        self.counts: Counter[str] = Counter()

    @property
    def cached_bytes(self) -> int:
        return self._cache.size

    def plan(
        self, shot: Shot, frame: int, *, short_side: int | None = None, view: View = "joined",
        chosen: str | None = None, solo: Collection[str] = (),
    ) -> Step:  # fmt: skip
        """The plan of a frame at canvas size, or reduced to a short side; computes nothing."""
        sheet = Sheet.of(shot, short_side)
        return Planner(shot, sheet, self._footage).plan(frame, view, chosen, solo)

    def picture(self, step: Step) -> Picture:
        """The picture of a plan: (height, width, 3) uint8 RGB, display-referred. Do not change."""
        return np.asarray(self._evaluate(step))

    def _keeps(self, step: Step) -> bool:
        return step.lasting or not self._passing

    def _evaluate(self, step: Step) -> Any:
        held = self._cache.get(step.key) if self._keeps(step) else None
        if held is not None:
            return held[0]
        inputs = [self._evaluate(source) for source in step.inputs]
        if step.kind == "join" and self._keeps(step.inputs[0]):
            inputs[0] = inputs[0].copy()  # a join writes into the picture below
        result = step.run(*inputs)
        self.counts[step.kind] += 1
        if self._keeps(step):
            self._cache.put(step.key, (result,), _size(result))
        return result


def _size(result: Any) -> int:
    if isinstance(result, Patch):
        return result.pixels.nbytes + 64
    return result.nbytes if isinstance(result, np.ndarray) else 64
