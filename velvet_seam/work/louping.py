"""Single pixels of a picture, under the loupe."""

from __future__ import annotations

from math import floor

from velvet_seam.core.engine.engine import PREVIEW_SHORT_SIDE, Engine
from velvet_seam.core.engine.plan import Picture, View
from velvet_seam.core.shot.edits import SetValues, apply
from velvet_seam.core.shot.shot import Shot
from velvet_seam.work.asks import LOUPE_SIDE, Loupe, Seen


class Louping:
    """Looks at pictures of one engine, or of another at canvas size."""

    def __init__(self, engine: Engine, full: Engine) -> None:
        self._engine, self._full = engine, full
        self._seen: dict[str, tuple[str, Picture]] = {}

    def seen(self, shot: Shot, ask: Loupe) -> Seen:
        """The pixels around a place, their coverage, and the middle one before the layer's look."""
        picture = self._looked_at(shot, ask, ask.view)
        height, width = picture.shape[:2]
        j = floor(ask.x / shot.canvas.width * width) - LOUPE_SIDE // 2
        i = floor(ask.y / shot.canvas.height * height) - LOUPE_SIDE // 2
        places = [(i + v, j + u) for v in range(LOUPE_SIDE) for u in range(LOUPE_SIDE)]
        inside = [0 <= y < height and 0 <= x < width for y, x in places]
        both = list(zip(places, inside, strict=True))
        colours = ["#" + bytes(picture[at][:3]).hex() if known else "" for at, known in both]
        if ask.layer is None:
            return Seen(colours, None)
        middle, before = (i + LOUPE_SIDE // 2, j + LOUPE_SIDE // 2), ""
        if shot.layer(ask.layer).look.parts and inside[len(inside) // 2]:
            bare = apply(shot, SetValues(target=ask.layer, values={"look.on": False}))
            before = "#" + bytes(self._looked_at(bare, ask, ask.view, "bare")[middle][:3]).hex()
        grey = self._looked_at(shot, ask, "matte")
        coverage = [round(int(grey[at][0]) / 2.55, 1) if known else 0.0 for at, known in both]
        return Seen(colours, coverage, before)

    def _looked_at(self, shot: Shot, ask: Loupe, view: View, of: str = "") -> Picture:
        """A finished picture; the last ones are held, for the hand moves over one and the same."""
        engine, side = (self._full, None) if ask.full else (self._engine, PREVIEW_SHORT_SIDE)
        step = engine.plan(shot, ask.frame, short_side=side, view=view, chosen=ask.layer)
        held = self._seen.get(of + view)
        if held is None or held[0] != step.key:
            held = self._seen[of + view] = (step.key, engine.picture(step))
        return held[1]
