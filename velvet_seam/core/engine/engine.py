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
        self._reading: dict[str, Future[Any]] = {}
        self._before: frozenset[str] = frozenset()
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

    def picture(
        self, step: Step, *, passing: bool = False, trying: bool = False, after: Step | None = None
    ) -> Picture:
        """The picture of a plan: (height, width, 4) uint8 RGBA, opaque.

        Args:
            passing: this frame is only passed through, as in play: keep only what lasts.
            trying: a value is being dragged: keep only what the picture before needed too, for the
                rest belongs to a value that the hand has left by now.
            after: the plan that will be asked for next; its footage is read meanwhile.
        """
        steps = _steps(step)
        wanted = _reads(step) | (_reads(after) if after else {})
        for key, read in wanted.items():
            if key not in self._reading and self._cache.get(key) is None:
                self._reading[key] = self._threads.submit(read.run)
        stable = self._before if trying else steps.keys()
        picture = np.asarray(self._evaluate(step, passing or self._passing, stable, {}))
        self._before = frozenset(steps)
        self._reading = {key: one for key, one in self._reading.items() if key in wanted}
        return picture

    def _evaluate(
        self, step: Step, passing: bool, stable: Collection[str], made: dict[str, Any]
    ) -> Any:
        """The result of a step; ``made`` holds what this picture has needed so far."""
        if step.key in made:
            return made[step.key]
        held = self._cache.get(step.key)
        if held is not None:
            return held[0]
        reading = self._reading.pop(step.key, None)
        if reading is not None:
            result = reading.result()
        else:
            result = step.run(*(self._evaluate(one, passing, stable, made) for one in step.inputs))
        self.counts[step.kind] += 1
        made[step.key] = result
        if step.keep and step.key in stable and (step.lasting or not passing):
            self._cache.put(step.key, (result,), _size(result))
        return result


def _steps(step: Step) -> dict[str, Step]:
    """All steps of a plan by key."""
    found = {step.key: step}
    for source in step.inputs:
        found |= _steps(source)
    return found


def _reads(step: Step) -> dict[str, Step]:
    """The steps of a plan that read footage, by key."""
    return {key: one for key, one in _steps(step).items() if one.kind == "read"}


def _size(result: Any) -> int:
    if isinstance(result, Patch):
        return result.pixels.nbytes + 64
    return result.nbytes if isinstance(result, np.ndarray) else 64
