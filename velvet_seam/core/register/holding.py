"""Many frames against one: for a take whose camera shakes."""

from __future__ import annotations

import numpy as np

from velvet_seam.core.register.descend import Descent, Fit, chosen
from velvet_seam.core.register.in_place import LEAST_AGREES, LEAST_SCORE, line_up
from velvet_seam.core.register.levels import Grey, Level, levels_of
from velvet_seam.core.register.starts import by_phase
from velvet_seam.core.register.warps import Matrix, Model, apart, scaled, within

PIXELS = 14_000
"""Looked at in each level: every frame is measured by itself, so that what little each is off does not add up."""

USUAL = 0.6
"""A frame that scores so much less than the best before it is looked for anew."""


STEPS, SHORT = 14, 0.004
"""So many steps a level at most, until one is shorter, pixels."""

SAME = 0.3
"""Pixels between two ways that have led to one place."""

NEAR = 1.5
"""Pixels: a level that leads further from where the one before it led says that one of them has gone astray."""

ITSELF = 0.95
"""Of what the held frame scores against itself: what scores as much is the held frame once more, which says nothing of
what others usually do."""


class Held:
    """One frame of a take that all others are measured against; errors do not add up."""

    def __init__(self, first: Grey, model: Model = "stretch") -> None:
        self._first, self._model = first, model
        self._levels = levels_of(first)
        self._descents = [Descent(one, one, model, chosen(one, PIXELS)) for one in self._levels]
        self._best, self._least = 0.0, 0.0  # of the largest level, and of the smallest
        self._own, self._own_least = (
            ITSELF * self._descents[n].beside(self._levels[n]).run(np.eye(3), steps=1).score
            for n in (0, -1)
        )
        self._last = np.eye(3)

    def warp_to(self, grey: Grey) -> Matrix | None:
        """From pixels of the held frame to those of another, (h, w) uint8 of the same size, which is begun at where the
        last one was; None where it cannot be told."""
        others = levels_of(grey)
        fit = self._begun(others[-1])
        settled = fit.settled
        for n in range(len(self._levels) - 2, -1, -1):
            level, before = self._levels[n], self._levels[n + 1]
            start = scaled(fit.warp, level.scale / before.scale)
            start = within(self._model, start, level.size)
            fit = self._descents[n].beside(others[n]).run(start, steps=STEPS, least=SHORT)
            settled = fit.settled and apart(start, fit.warp, level.size) < NEAR
        warp, score = fit.warp, fit.score
        if not settled or score < max(LEAST_SCORE, USUAL * self._best) or fit.agrees < LEAST_AGREES:
            found = line_up(self._first, grey, self._model)
            # where it is unsure by itself: two ways there may have ended at one place
            end = found.rough if found.warp is None else found.warp
            if end is None:
                return None
            if found.warp is None and apart(end, fit.warp, self._levels[0].size) > SAME:
                return None
            warp, score = end, found.score
        if score < self._own:
            self._best = max(self._best, score)
        self._last = warp
        return warp

    def _begun(self, other: Level) -> Fit:
        """In the smallest level: from where the last one was, and, where that leads nowhere, from where the phases say."""
        level = self._levels[-1]
        descent = self._descents[-1].beside(other)

        def tried(warp: Matrix) -> Fit:
            start = within(self._model, warp, level.size)
            return descent.run(start, steps=STEPS, least=SHORT)

        fit = tried(scaled(self._last, level.scale))
        if not fit.settled or fit.score < USUAL * self._least:
            fit = max((fit, *map(tried, by_phase(level, other))), key=lambda one: one.score)
        if fit.score < self._own_least:
            self._least = max(self._least, fit.score)
        return fit
