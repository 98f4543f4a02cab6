"""The screen of a layer, measured on its own frames."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from velvet_seam.core.engine.clip_time import frame_shown
from velvet_seam.core.engine.engine import PREVIEW_SHORT_SIDE, Engine
from velvet_seam.core.engine.lying import Lying
from velvet_seam.core.engine.nested import Nested
from velvet_seam.core.engine.plan import Picture
from velvet_seam.core.media.material import Material, Missing
from velvet_seam.core.picture.screen import ScreenReading, measure_area, measure_border
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.shot import Shot
from velvet_seam.work.asks import Measure

Materials = Callable[[str], Material | Missing | Nested]
"""Footage, and baked shots, by their ids."""


class ScreenReader:
    """Reads frames as they are seen while working, and doubtful ones as they were filmed."""

    def __init__(self, engine: Engine, material: Materials, original: Materials) -> None:
        self._engine, self._material, self._original = engine, material, original

    def measured(self, shot: Shot, ask: Measure) -> ScreenReading:
        """The screen in an area of the picture, or at a layer's border.

        Raises:
            Problem: the layer shows nothing that is filmed.
        """
        layer = shot.layer(ask.layer)
        if layer.source.shows is None:
            raise Problem("What is not filmed has no screen to key.")
        material = self._material(layer.source.shows)
        frames = self._source_frames(shot, layer, material, ask)
        pictures = self._read(material, frames)
        if ask.area is None:
            reading = measure_border(pictures)
            if reading.found or isinstance(material, Nested):
                return reading
            return self._looked_closer(layer.source.shows, frames, reading)
        left, top, right, bottom = ask.area
        corners = np.array([[left, top, 1], [right, top, 1], [right, bottom, 1], [left, bottom, 1]])
        lies = Lying(shot, self._material)
        at = min(max(ask.frame, layer.span.first), layer.span.last)
        whole, moved = lies.matrix(layer, at), lies.moved(layer, at)
        there = corners @ np.linalg.inv(whole if moved is None else moved @ whole).T
        there /= there[:, 2:]
        height, width = pictures[0].shape[:2]
        per = (width / material.width, height / material.height)
        return measure_area(pictures[0], there[:, :2] * per)

    def _read(self, material: Material | Missing | Nested, numbers: list[int]) -> list[Picture]:
        if isinstance(material, Nested):
            plans = [
                self._engine.plan(material.shot, one, short_side=PREVIEW_SHORT_SIDE)
                for one in numbers
            ]
            return [self._engine.picture(one) for one in plans]
        if isinstance(material, Missing):
            return [material.read(one) for one in numbers]
        return material.glances(numbers)

    def _looked_closer(
        self, footage: str, frames: list[int], reading: ScreenReading
    ) -> ScreenReading:  # fmt: skip
        """What tells a screen from a wall was measured on pictures as they come; a proxy has softer edges, so that
        what is doubted there is looked at in the original, which takes longer."""
        try:
            original = self._original(footage)
        except Problem:  # its file is missing
            return reading
        return measure_border(self._read(original, frames[::2]))

    def _source_frames(
        self, shot: Shot, layer: Layer, material: Material | Missing | Nested, ask: Measure
    ) -> list[int]:
        """The frame under the playhead for an area; five over the layer's span for the border."""
        span = layer.span
        if ask.area is not None:
            frames = [min(max(ask.frame, span.first), span.last)]
        else:
            frames = [span.first + (span.length - 1) * k // 4 for k in range(5)]
        return sorted(
            {frame_shown(material, layer.time, f - span.first, shot.rate) for f in frames}
        )
