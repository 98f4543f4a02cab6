"""Demo shots of takes put in register: one player twice on one stage."""

from __future__ import annotations

from fractions import Fraction

from velvet_seam.core.looks.decision import Decision
from velvet_seam.core.looks.light import Light
from velvet_seam.core.looks.vignette import Vignette
from velvet_seam.core.masks import StraightMask
from velvet_seam.core.shot.layer import Layer, Place, Span
from velvet_seam.core.shot.look import Look
from velvet_seam.core.shot.seam import Seam
from velvet_seam.core.shot.shot import Canvas, Shot
from velvet_seam.core.sources import AdjustmentSource, FootageSource
from velvet_seam.demo import fox


def two_foxes(footage: dict[str, str]) -> Shot:
    """Two takes of one fox, between which the camera was nudged and the light changed: the first lies in register
    with the second, in its light, and is joined to it along a straight edge."""
    whole = Span(first=0, last=fox.FRAMES - 1)
    x, y = fox.NUDGE["right"]
    gains = [fox.WARM["right"][c] * 2 ** (fox.STOPS["right"] / 2.2) for c in range(3)]
    # the darker take is matched to the brighter one: what is cut off there could not be brought back
    matched = Decision(
        id="l-left-match", slope_red=round(gains[0], 4), slope_green=round(gains[1], 4), slope_blue=round(gains[2], 4)
    )  # fmt: skip
    edge = StraightMask(id="m-edge", x=44, feather_in=26, feather_out=26)
    right = Layer(
        id="l-right", name="Fox right", thread=0, source=FootageSource(footage=footage["fox-right"]), span=whole,
        place=Place(x=540, y=960),
    )  # fmt: skip
    left = Layer(
        id="l-left", name="Fox left", thread=3, source=FootageSource(footage=footage["fox-left"]), span=whole,
        place=Place(x=540 + x, y=960 + y), look=Look(parts=(matched,)), seam=Seam(masks=(edge,)),
    )  # fmt: skip
    light = Layer(
        id="l-light", name="Lamplight", thread=8, source=AdjustmentSource(), span=whole, place=Place(x=540, y=960),
        look=Look(parts=(Light(id="p-light", contrast=14, shadows=-6), Vignette(id="p-dark", amount=40, size=48))),
    )  # fmt: skip
    return Shot(
        name="Two foxes, one stage", canvas=Canvas(width=fox.WIDTH, height=fox.HEIGHT), rate=Fraction(25),
        length=fox.FRAMES, layers=(right, left, light),
    )  # fmt: skip
