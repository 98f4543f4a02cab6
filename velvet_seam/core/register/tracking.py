"""A track: a region of one frame found in the next ones, always against what it looked like first, so that what little
each frame is off does not add up."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.register.descend import Descent, Fit, chosen
from velvet_seam.core.register.in_place import spread_of
from velvet_seam.core.register.levels import Grey, Level, normalised
from velvet_seam.core.register.region import Corners, convex, cropped, signed_area
from velvet_seam.core.register.starts import by_features, shifted
from velvet_seam.core.register.warps import Matrix, Model, apart, mapped, scaled, within

SMALL = 22
"""The region is at least so large in the smallest level, pixels."""

PIXELS = 6_000
"""Looked at in each level."""

USUAL, LOST, LEAST = 0.75, 0.4, 0.2
"""Of what a region usually scores: with less it is also searched; with less still it is lost. Nothing scores less
than the last."""

CHANGED = 0.6
"""Of the best score: a region that scores less has come to look otherwise, and is looked for as it looked last, too."""

FOUND_AGAIN = 0.7
"""Of what it usually scores: as much it must when it is found again after it was lost."""

BETTER = 1.1
"""Times the score: as much better another place must be to be taken instead."""

HIDDEN = 0.3
"""A block that agrees less shows something else; a region of which more does is covered, and looks not otherwise."""

FEATURES_EVERY = 4
"""Of lost frames: in so many it is also searched by features, which takes longer."""

LARGE = 600
"""Pixels of the long side: in a larger picture features are looked for at half its size."""

PEAKS, TWIN = 3, 0.85
"""So many places are tried in a search; where two are so much alike neither is taken, unless it is where it was."""

JUMP = 0.3
"""Of the region's own size, beyond its speed: what lies further off than it went before has jumped."""

CALM = 12
"""So many frames after a jump it may be something else, and is not taken for how the region looks now."""

AT_FIRST = 0.6
"""Of what it scored at first: it usually scores at least as much, however slowly it gets less."""

UNSURE = 0.12
"""Of the region's own size: a fit that may be off by more is none."""


@dataclass(frozen=True)
class Tracked:
    """A region in one frame.

    Attributes:
        corners: where it is; None where it is lost.
        score: how well it looks like itself, 0 to 1.
        again: it had been lost, and was searched over the whole picture.
    """

    corners: Corners | None
    score: float
    again: bool = False


class _Key:
    """A region as it looks in one frame: its levels, the largest first, and where its crop lies."""

    def __init__(
        self, grey: Grey, corners: Corners, from_home: Matrix, within: Grey | None = None
    ) -> None:
        self.from_home = from_home
        """From pixels of the first frame to those of this one."""
        self.origin, crop, inside = cropped(grey, corners, within)
        self.crop, self.inside = crop, inside
        self.levels: list[Level] = []
        scale, side = 1.0, float(min(np.ptp(corners, 0)))
        while True:
            self.levels.append(Level(normalised(crop), inside, scale))
            if side * scale / 2 < SMALL:
                break
            size = crop.shape[1] // 2, crop.shape[0] // 2
            crop, inside = (
                _half(crop, size),
                np.where(_half(inside, size) > 127, 255, 0).astype(np.uint8),
            )
            scale /= 2
        self.pixels = [chosen(one, PIXELS, least_side=6) for one in self.levels]
        self.descents: dict[tuple[int, Model], Descent] = {}
        self.best = 0.0

    def descent(self, n: int, model: Model, other: Level) -> Descent:
        """From one of its levels to another picture's."""
        known = self.descents.get((n, model))
        if known is None:
            known = self.descents[n, model] = Descent(self.levels[n], other, model, self.pixels[n])
        return known.beside(other)


@dataclass(frozen=True)
class _Found:
    """A warp from pixels of the first frame to those of one, its score, and how much of the region agrees not at all."""

    warp: Matrix
    score: float
    hidden: float


def _half(picture: NDArray[np.uint8], size: tuple[int, int]) -> NDArray[np.uint8]:
    even = picture[: 2 * size[1], : 2 * size[0]]
    return np.asarray(cv2.resize(even, size, interpolation=cv2.INTER_AREA), np.uint8)


class Tracker:
    """Follows one region from frame to frame, forward or backward.

    A "stretch" goes where the region goes, turns and grows with it; a "plane" is followed in perspective.

    Args:
        inside: 255 where the region belongs to what is followed, (h, w) uint8; None for all of it.
    """

    def __init__(
        self, grey: Grey, corners: Corners, model: Model = "plane", inside: Grey | None = None
    ) -> None:
        self.model = model
        self._home = np.asarray(corners, float)
        self._keys = [_Key(grey, self._home, np.eye(3), inside)]
        self._warp = np.eye(3)
        self._speed = np.zeros(2)
        self._scores: list[float] = []
        self._missing = self._calm = 0
        self._size = (grey.shape[1], grey.shape[0])

    @property
    def home(self) -> Corners:
        """The corners in the first frame."""
        return self._home

    def put(self, middle: NDArray[np.float64]) -> None:
        """It is here, as is known from elsewhere: in the next frame it is looked for from here on."""
        before = mapped(self._warp, self._home.mean(0)[None])[0]
        x, y = middle - before
        self._warp = shifted(float(x), float(y)) @ self._warp
        self._speed, self._missing = np.zeros(2), 0

    def step(self, grey: Grey) -> Tracked:
        """The region in the next frame, (h, w) uint8."""
        recent = [
            float(np.median(part)) for part in (self._scores[-24:], self._scores[:24]) if part
        ]
        usual = max(recent[0], AT_FIRST * recent[1]) if recent else 1.0
        found = self._looked_for(grey, usual)
        again = found is not None and bool(self._scores) and self._jumped(found)
        least = max(LEAST, (FOUND_AGAIN if again else LOST) * usual)
        if found is None or found.score < least or not self._sane(found.warp):
            self._missing += 1
            return Tracked(None, 0.0 if found is None else found.score)
        warp, score = found.warp, found.score
        middle = self._home.mean(0)[None]
        if not again:
            self._speed = (mapped(warp, middle) - mapped(self._warp, middle))[0]
        else:
            self._speed = np.zeros(2)
        self._warp, self._missing = warp, 0
        self._scores.append(score)
        first = self._keys[0]
        first.best = max(first.best, score if len(self._scores) < 4 else first.best)
        corners = mapped(warp, self._home)
        self._calm = 0 if again else self._calm + 1
        changed = score < CHANGED * max(first.best, 1e-6) and found.hidden < HIDDEN
        changed = changed and self._calm > CALM
        if changed and self._steady(score) and self._whole(corners):
            self._renewed(grey, corners, warp)
        return Tracked(corners, score, again)

    def _steady(self, score: float) -> bool:
        """Whether it has scored about so much for a while: what falls quickly is being covered, not turning away."""
        return len(self._scores) > 6 and score > 0.85 * self._scores[-6]

    def _renewed(self, grey: Grey, corners: Corners, warp: Matrix) -> None:
        """It has come to look otherwise: from now on it is also looked for as it looks here."""
        if (
            self._keys[-1] is not self._keys[0]
            and apart(self._keys[-1].from_home, warp, self._size) < 2
        ):
            return
        key = _Key(grey, corners, warp)
        self._keys = [self._keys[0], key]

    def _whole(self, corners: Corners) -> bool:
        width, height = self._size
        return bool((corners > -2).all() and (corners < [width + 2, height + 2]).all())

    def _sane(self, warp: Matrix) -> bool:
        """Whether a region lies in the picture, right way round and of a size like before."""
        corners = mapped(warp, self._home)
        if not np.isfinite(corners).all():
            return False
        # how it has grown since the first frame
        area, was = signed_area(corners), signed_area(self._home)
        grown = area / was
        width, height = self._size
        middle = corners.mean(0)
        there = -0.1 * width < middle[0] < 1.1 * width and -0.1 * height < middle[1] < 1.1 * height
        return bool(there and 0.02 < grown < 50 and convex(corners))

    def _looked_for(self, grey: Grey, usual: float) -> _Found | None:
        keys = self._keys[:1] if len(self._keys) == 1 else (self._keys[0], self._keys[-1])
        best: _Found | None = None
        if not self._missing:
            start = shifted(*self._speed) @ self._warp
            best = self._near(keys[0], grey, start, usual)
            if len(keys) > 1 and (best is None or best.score < CHANGED * keys[0].best):
                best = self._by_both(keys[0], keys[1], grey, start, usual, best)
            if best is not None and best.score > USUAL * usual:
                return best
        for key in keys:
            found = self._searched(key, grey)
            if found is None or (best is not None and found.score < BETTER * best.score):
                continue
            if self._jumped(found) and found.score < FOUND_AGAIN * usual:
                continue  # what is far off and not much like it is something else
            best = found
        return best

    def _near(self, key: _Key, grey: Grey, start: Matrix, usual: float) -> _Found | None:
        found = self._descended(key, grey, start)
        if found is None or found.score < USUAL * usual:
            # half covered, what is left of it is too little in the smallest levels
            near = self._descended(key, grey, start, levels=1)
            if near is not None and (found is None or near.score > found.score):
                return near
        return found

    def _by_both(
        self, home: _Key, last: _Key, grey: Grey, start: Matrix, usual: float, found: _Found | None
    ) -> _Found | None:
        """By how the region looked last, and from there again by how it looked first: what looks otherwise now may
        fit in part in the wrong place, such as one ornament on the next, and would go on doing so."""
        by_last = self._near(last, grey, start, usual)
        if by_last is None:
            return found
        again = self._descended(home, grey, by_last.warp, levels=1)
        least = USUAL * usual if found is None else max(USUAL * usual, found.score)
        if again is not None and again.score > least:
            return again
        if found is not None and found.score > USUAL * usual:
            return found
        return by_last if found is None or by_last.score > BETTER * found.score else found

    def _jumped(self, found: _Found) -> bool:
        """Whether it lies further from where it was than it can have moved in a frame, by what it did before."""
        middle = self._home.mean(0)[None]
        here, before = mapped(found.warp, middle)[0], mapped(self._warp, middle)[0]
        span = float(np.ptp(mapped(self._warp, self._home), 0).max())
        far = float(np.hypot(*(here - before - self._speed)))
        return self._missing > 0 or far > JUMP * span + float(np.hypot(*self._speed))

    def _descended(
        self, key: _Key, grey: Grey, start: Matrix, levels: int | None = None
    ) -> _Found | None:
        """From a warp, which sends pixels of the first frame to this one, down the levels, or only the largest."""
        from_key = start @ np.linalg.inv(key.from_home)
        here = mapped(start, self._home)
        span = float(np.ptp(here, 0).max())
        reach = int(max(20, min(0.35 * span, 90)))
        width, height = self._size
        low = np.maximum(np.floor(here.min(0)).astype(int) - reach, 0)
        high = np.minimum(np.ceil(here.max(0)).astype(int) + reach, [width, height])
        if (high - low < 24).any() or not np.isfinite(here).all():
            return None
        crop = grey[low[1] : high[1], low[0] : high[0]]
        others = [crop]
        for _ in key.levels[1:]:
            size = others[-1].shape[1] // 2, others[-1].shape[0] // 2
            if min(size) < 8:
                return None
            others.append(_half(others[-1], size))
        warp = shifted(*-low.astype(float)) @ from_key @ shifted(*key.origin.astype(float))
        fit: Fit | None = None
        descent: Descent | None = None
        top = min(levels or len(key.levels), len(key.levels)) - 1
        for n in range(top, -1, -1):
            level = key.levels[n]
            model: Model = "stretch" if self.model == "plane" and n > 1 else self.model
            other = Level(
                normalised(others[n]), np.full(others[n].shape, 255, np.uint8), level.scale
            )
            descent = key.descent(n, model, other)
            at = scaled(warp, level.scale)
            # a plane keeps its perspective where steps only turn and stretch it
            at = at / at[2, 2] if self.model == "plane" else within(model, at, level.size)
            fit = descent.run(at, steps=8 if n else 12, least=0.03 if n else 0.006)
            warp = scaled(fit.warp, 1 / level.scale)
        if fit is None or descent is None or not np.isfinite(warp).all():
            return None
        if spread_of(descent, fit) > max(0.6, UNSURE * span):
            return None
        whole = shifted(*low.astype(float)) @ warp @ shifted(*-key.origin.astype(float))
        told = np.unique(key.pixels[0].block)
        hidden = float((fit.ncc[told] < HIDDEN).mean()) if told.size else 1.0
        return _Found(whole @ key.from_home, fit.score, hidden)

    def _searched(self, key: _Key, grey: Grey) -> _Found | None:
        """Where the region as it lay last is seen in the picture; after it was lost over all of it."""
        span = float(np.ptp(mapped(self._warp, self._home), 0).min())
        starts = self._alike(key, grey)
        if self._missing % FEATURES_EVERY == 1:
            starts += self._featured(key, grey)
        tried = [one for start in starts if (one := self._descended(key, grey, start)) is not None]
        if not tried:
            return None
        best = max(tried, key=lambda one: one.score)
        # two places that are as much like it: neither is known to be it
        others = (one for one in tried if apart(one.warp, best.warp, self._size) > 0.3 * span)
        if self._jumped(best) and any(one.score > TWIN * best.score for one in others):
            return None
        return best

    def _featured(self, key: _Key, grey: Grey) -> list[Matrix]:
        """Warps that features say: it may have come back turned and larger, which no tile of it would show."""
        less = 2.0 if max(self._size) > LARGE else 1.0
        pair = [key.crop, grey]
        if less > 1:
            pair = [_half(one, (one.shape[1] // 2, one.shape[0] // 2)) for one in pair]
        made = by_features(pair[0], pair[1], less, less)
        return [one @ shifted(*-key.origin.astype(float)) @ key.from_home for one in made]

    def _alike(self, key: _Key, grey: Grey) -> list[Matrix]:
        """Warps by which the region as it lay last is moved to the places that are most like it."""
        seen = self._seen(key, grey)
        if seen is None:
            return []
        like, small, off, side = seen
        starts: list[Matrix] = []
        for _ in range(PEAKS):
            v, u = np.unravel_index(int(like.argmax()), like.shape)
            if like[v, u] < 0.3:
                break
            x, y = np.array([u, v]) / small + off
            starts.append(shifted(float(x), float(y)) @ self._warp)
            near = max(3, int(side * small / 4))
            like[max(0, v - near) : v + near + 1, max(0, u - near) : u + near + 1] = -1
        return starts

    def _seen(
        self, key: _Key, grey: Grey
    ) -> tuple[NDArray[np.float32], float, NDArray[np.float64], float] | None:
        """How like the region each place is, at a reduced size: normalised correlation; pixels of it to one of the
        frame; how far the first place lies from where the region was; and the region's shorter side."""
        lay = self._warp @ np.linalg.inv(key.from_home)
        here = mapped(self._warp, self._home)
        low, high = np.floor(here.min(0)), np.ceil(here.max(0))
        span = high - low
        large = np.array(self._size, float)
        if not np.isfinite(span).all() or (span < 6).any() or (span > 2 * large).any():
            return None
        small = min(1.0, 28 / float(span.min()))
        reach = 3.0 * float(np.hypot(*self._speed)) + 0.5 * float(span.max()) + 24
        where = (low - reach, high + reach) if self._missing == 0 else (np.zeros(2), large)
        first = np.maximum(np.floor(where[0]), 0).astype(int)
        last = np.minimum(np.ceil(where[1]), large).astype(int)
        if (last - first < 8).any():
            return None
        size = np.maximum(np.round((last - first) * small), 1).astype(int)
        part = grey[first[1] : last[1], first[0] : last[0]]
        there = cv2.resize(part, tuple(size), interpolation=cv2.INTER_AREA)
        # the region as it would be seen where it was last, at that size
        to_small = np.diag([small, small, 1.0]) @ shifted(*-low)
        matrix = _by_pixels(to_small @ lay @ shifted(*key.origin.astype(float)))
        wide = tuple(np.maximum(np.round(span * small), 1).astype(int))
        tile, shape = (cv2.warpPerspective(one, matrix, wide) for one in (key.crop, key.inside))
        if (np.array(there.shape) <= tile.shape).any() or (shape > 127).sum() < 30:
            return None
        weight = (shape > 127).astype(np.float32)
        large_one, small_one = (normalised(np.asarray(one, np.uint8)) for one in (there, tile))
        like = cv2.matchTemplate(large_one, small_one, cv2.TM_CCORR_NORMED, mask=weight)
        return (
            np.where(np.isfinite(like), like, -1).astype(np.float32),
            small,
            first - low,
            float(span.min()),
        )


def _by_pixels(warp: Matrix) -> Matrix:
    """A warp between corners of pixels as one between their middles."""
    return shifted(-0.5, -0.5) @ warp @ shifted(0.5, 0.5)
