"""A tint for shadows and one for highlights."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np

from velvet_seam.core.kernels import kernel
from velvet_seam.core.looks.base import Planes, Stage, Tone
from velvet_seam.core.picture.colour import to_oklab
from velvet_seam.core.picture.light import lab_of, of_lab
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds
from velvet_seam.core.words import Colour, colour_to_rgb


class Tints(Tone):
    """The hue of one colour added to the shadows and of another to the highlights: each weighed by a hump of
    OKLab's lightness, so that black, white and brightness stay."""

    label: ClassVar[str] = "Tints"
    says: ClassVar[str] = "One colour for shadows, another for highlights"
    find: ClassVar[str] = "split tone teal orange sepia duotone colour cast"

    kind: Literal["tints"] = "tints"
    shadows: Colour = "#2f5d8a"
    shadows_by: Annotated[
        Animated, Bounds(0, 100, "%", "Shadows", "How much of its colour the shadows take")
    ] = 30.0
    highlights: Colour = "#e8a14b"
    highlights_by: Annotated[
        Animated, Bounds(0, 100, "%", "Highlights", "How much of its colour the highlights take")
    ] = 30.0

    def stages(self, at: At, frame: int) -> tuple[Stage, ...]:
        dark, bright = at.part(self.shadows_by), at.part(self.highlights_by)
        if not dark and not bright:
            return ()
        low, high = _hue(self.shadows), _hue(self.highlights)
        return (Stage(_tinted, (low[0] * dark, low[1] * dark, high[0] * bright, high[1] * bright)),)


def _hue(colour: str) -> tuple[float, float]:
    _, a, b = to_oklab(np.array(colour_to_rgb(colour)) / 255).tolist()
    return a, b


@kernel()
def _tinted_kernel(planes, low_a, low_b, high_a, high_b):
    red, green, blue = planes[0], planes[1], planes[2]
    one, gain = np.float32(1), np.float32(6.75)
    for k in range(red.size):
        level, x, y = lab_of(red[k], green[k], blue[k])
        inside = min(max(level, np.float32(0)), one)
        low = gain * inside * (one - inside) * (one - inside)
        high = gain * inside * inside * (one - inside)
        r, g, b = of_lab(level, x + low * low_a + high * high_a, y + low * low_b + high * high_b)
        red[k], green[k], blue[k] = r, g, b


def _tinted(planes: Planes, *numbers: float) -> None:
    _tinted_kernel(planes, *(np.float32(number) for number in numbers))
