"""Many frames against one: for a take whose camera shakes."""

from __future__ import annotations

import numpy as np

from velvet_seam.core.register.descend import Descent, chosen
from velvet_seam.core.register.in_place import LEAST_AGREES, LEAST_SCORE, line_up
from velvet_seam.core.register.levels import Grey, levels_of
from velvet_seam.core.register.warps import Matrix, Model, scaled, within

PIXELS = 14_000
"""Looked at in each level: every frame is measured by itself, so that what little each is off does not add up."""

USUAL = 0.6
"""A frame that scores so much less than the best before it is looked for anew."""


ITSELF = 0.97
"""What scores as much is the held frame once more, which says nothing of what others usually do."""


class Held:
    """One frame of a take that all others are measured against; errors do not add up."""

    def __init__(self, first: Grey, model: Model = "stretch") -> None:
        self._first, self._model = first, model
        self._levels = levels_of(first)
        self._descents = [Descent(one, one, model, chosen(one, PIXELS)) for one in self._levels]
        self._best = 0.0
        self._last = np.eye(3)

    def warp_to(self, grey: Grey) -> Matrix | None:
        """From pixels of the held frame to those of another, (h, w) uint8 of the same size, which is begun at where the
        last one was; None where it cannot be told."""
        others = levels_of(grey)
        warp, score = self._last, 0.0
        for n in range(len(self._levels) - 1, -1, -1):
            start = within(self._model, scaled(warp, self._levels[n].scale), self._levels[n].size)
            fit = self._descents[n].beside(others[n]).run(start, steps=14, least=0.004)
            warp, score = scaled(fit.warp, 1 / self._levels[n].scale), fit.score
            agrees = fit.agrees
        if score < max(LEAST_SCORE, USUAL * self._best) or agrees < LEAST_AGREES:
            found = line_up(self._first, grey, self._model)
            if found.warp is None:
                return None
            warp, score = found.warp, found.score
        if score < ITSELF:
            self._best = max(self._best, score)
        self._last = warp
        return warp
