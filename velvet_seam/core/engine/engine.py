"""Evaluating plans, keeping what may be needed again."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Collection
from concurrent.futures import Future, ThreadPoolExecutor
from typing import Any

import numpy as np

from velvet_seam.core.engine.cache import ByteCache
from velvet_seam.core.engine.plan import Footage, Picture, Planner, Sheet, Step, View
from velvet_seam.core.picture.placement import Patch
from velvet_seam.core.shot.shot import Shot

PREVIEW_SHORT_SIDE = 540
MEGABYTE = 1 << 20
READERS = 3


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
        self._threads = ThreadPoolExecutor(READERS, thread_name_prefix="read")
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

    def picture(self, step: Step, *, passing: bool = False) -> Picture:
        """The picture of a plan: (height, width, 3) uint8 RGB, display-referred.

        Args:
            passing: this frame is only passed through, as in play: keep only what lasts.
        """
        read = self._read_ahead(step)
        return np.asarray(self._evaluate(step, passing or self._passing, read))

    def _read_ahead(self, step: Step) -> dict[str, Future[Any]]:
        """Start reading all footage that a plan needs, each clip in a thread of its own."""
        wanted: dict[str, Step] = {}

        def visit(step: Step) -> None:
            if self._cache.get(step.key) is not None:
                return
            if step.kind == "read":
                wanted[step.key] = step
            for source in step.inputs:
                visit(source)

        visit(step)
        if len(wanted) < 2:
            return {}
        return {key: self._threads.submit(one.run) for key, one in wanted.items()}

    def _evaluate(self, step: Step, passing: bool, read: dict[str, Future[Any]]) -> Any:
        held = self._cache.get(step.key)
        if held is not None:
            if step.kind == "join":  # the next join writes into the picture below it
                return held[0].copy()
            return held[0]
        inputs = [self._evaluate(source, passing, read) for source in step.inputs]
        result = read[step.key].result() if step.key in read else step.run(*inputs)
        self.counts[step.kind] += 1
        if step.keep and (step.lasting or not passing):
            self._cache.put(step.key, (result,), _size(result))
            if step.kind == "join":
                return result.copy()
        return result


def _size(result: Any) -> int:
    if isinstance(result, Patch):
        return result.pixels.nbytes + 64
    return result.nbytes if isinstance(result, np.ndarray) else 64
