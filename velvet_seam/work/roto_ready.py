"""What the first stroke of a roto will ask for, begun as soon as the brush is up: by the time the stroke is drawn it is there."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future

from velvet_seam.core.engine.clip_time import frame_shown
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.mattes.roto import RotoMatte
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.steps import Footage, Step
from velvet_seam.work.asks import Paint

BRUSH_UP = "dropped"
"""The view that a brush paints on."""


class RotoReady:
    """Begins it, for one frame after the other."""

    def __init__(self, engine: Engine, material: Callable[[str], Footage]) -> None:
        self._engine, self._material = engine, material
        self._begun: list[Future[None]] = []

    def begin(self, shot: Shot, ask: Paint) -> None:
        """Begin what a stroke on the picture that is asked for would need, if a brush may be up."""
        if ask.view != BRUSH_UP or ask.trial or ask.passing:
            return
        for one in self._begun:  # of frames that were only passed on the way here
            one.cancel()
        steps = first_steps(self._material, shot, ask)
        self._begun = [
            self._engine.begin(one, lambda _: None)
            for one in steps
            if self._engine.kept(one) is None
        ]


def first_steps(material: Callable[[str], Footage], shot: Shot, ask: Paint) -> list[Step]:
    """What the chosen layer's rotos ask of a frame before strokes count there."""
    chosen = next((one for one in shot.layers if one.id == ask.chosen), None)
    if chosen is None or not chosen.span.holds(ask.frame):
        return []
    rotos = [one for one in chosen.seam.matte if isinstance(one, RotoMatte)]
    if not rotos or chosen.source.kind != "footage" or chosen.source.shows is None:
        return []
    footage = material(chosen.source.shows).small
    here = frame_shown(footage, chosen.time, ask.frame - chosen.span.first, shot.rate)
    return [one for roto in rotos for one in roto.frames(footage).asked_first(here)]
