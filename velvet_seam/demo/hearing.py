"""Demo shots of takes put in time, and of a clean plate: two who talk, and one who vanishes."""

from __future__ import annotations

from fractions import Fraction

import numpy as np

from velvet_seam.core.looks.light import Light
from velvet_seam.core.looks.vignette import Vignette
from velvet_seam.core.masks import DrawnMask, OvalMask, StraightMask, Vertex
from velvet_seam.core.shot.layer import Layer, OwnSound, Place, SoundTrack, Span, TimeMap
from velvet_seam.core.shot.look import Look
from velvet_seam.core.shot.seam import Seam
from velvet_seam.core.shot.shot import Canvas, Shot
from velvet_seam.core.sources import AdjustmentSource, FootageSource
from velvet_seam.demo import talk
from velvet_seam.demo.moving import keys

RATE = Fraction(25)
NEARER = 106
"""Percent by which the two halves of the talk are enlarged, so that they fill the canvas where they are lined up."""


def at_the_curtain() -> tuple[Vertex, ...]:
    """What lies left of the curtain's right edge, as an outline around the middle of the canvas, on which that edge
    hangs in the middle."""
    near = talk.CAMERAS["b"][2] * NEARER / 100
    half = talk.HEIGHT / 2
    heights = np.linspace(-40, talk.HEIGHT + 40, 24)
    # the stage as high as it lies between both cameras
    middle = sum(camera[1] for camera in talk.CAMERAS.values()) / 2
    edge = (
        talk.curtain_edge(((heights - half) / near + middle).astype(np.float32), 1)
        - talk.CURTAIN_AT
    )
    rim = [
        Vertex(x=round(float(x) * near, 1), y=round(float(y) - half, 1))
        for x, y in zip(edge, heights, strict=True)
    ]
    return (*rim, Vertex(x=-640, y=half + 40), Vertex(x=-640, y=-half - 40))


def fox_and_hare_talk(footage: dict[str, str]) -> Shot:
    """A dialogue in two halves: what two cameras took, in time by what both heard, joined at the edge of the curtain
    that both saw. The knock that the first was given is not heard: the sound is the second one's. One light is over
    both."""
    later = Fraction(str(talk.LATER))
    # the first frame of the first camera that lies wholly within both
    begin = int(later * RATE) + 1
    length = talk.FRAMES - begin
    whole = Span(first=0, last=length - 1)

    def laid(camera: str) -> Place:
        """Where a camera's picture lies when its curtain hangs in the middle, as high as the other's."""
        middle = sum(one[1] for one in talk.CAMERAS.values()) / 2
        x, y = talk.on_camera(camera, talk.CURTAIN_AT, middle)
        return Place(
            x=540 + NEARER / 100 * (540 - x), y=960 + NEARER / 100 * (960 - y), scale=NEARER
        )

    hare = Layer(
        id="l-b", name="Hare's camera", thread=1, source=FootageSource(footage=footage["fox-and-hare-talk-b"]),
        span=whole, time=TimeMap(source_in=Fraction(begin) / RATE - later), place=laid("b"), sound=OwnSound(on=True),
    )  # fmt: skip
    fox = Layer(
        id="l-a", name="Fox's camera", thread=3, source=FootageSource(footage=footage["fox-and-hare-talk-a"]),
        span=whole, time=TimeMap(source_in=Fraction(begin) / RATE), place=laid("a"), sound=OwnSound(on=False),
        seam=Seam(masks=(DrawnMask(id="m-curtain", fixed="canvas", outline=at_the_curtain(), feather_in=2, feather_out=0),)),
    )  # fmt: skip
    light = Layer(
        id="l-light", name="Lamplight", thread=8, source=AdjustmentSource(), span=whole, place=Place(x=540, y=960),
        look=Look(parts=(Light(id="p-light", contrast=10), Vignette(id="p-dark", amount=26, size=62))),
    )  # fmt: skip
    return Shot(
        name="Fox and hare talk", canvas=Canvas(width=talk.WIDTH, height=talk.HEIGHT), rate=RATE, length=length,
        layers=(hare, fox, light),
    )  # fmt: skip


def the_hare_vanishes(footage: dict[str, str]) -> Shot:
    """The hare is gone in a puff of glitter, and the stage behind her stays: below her take lies its clean plate, and
    the oval that held her shrinks to nothing. She was never painted out."""
    whole, gone = Span(first=0, last=89), 60
    middle = Place(x=540, y=960)
    held = OvalMask(
        id="m-hare", fixed="canvas", x=0, y=keys((gone - 4, 10.0), (gone + 10, -60.0)), rotation=0,
        width=keys((gone - 4, 980.0), (gone + 10, 2.0)), height=keys((gone - 4, 1500.0), (gone + 10, 2.0)),
        feather_in=70, feather_out=30,
    )  # fmt: skip
    plate = Layer(
        id="l-plate", name="Clean plate", thread=0, source=FootageSource(footage=footage["talk-plate"]), span=whole,
        place=middle,
    )  # fmt: skip
    hare = Layer(
        id="l-hare", name="Hare's take", thread=3, source=FootageSource(footage=footage["fox-and-hare-talk-b"]),
        span=Span(first=0, last=gone + 11), time=TimeMap(source_in=Fraction(42) / RATE), place=middle, seam=Seam(masks=(held,)), sound=OwnSound(on=False),
    )  # fmt: skip
    # he moves on all the while, so on his side the take itself is seen
    fox = Layer(
        id="l-fox", name="Fox's side", thread=7, source=FootageSource(footage=footage["fox-and-hare-talk-b"]), span=whole,
        time=TimeMap(source_in=Fraction(42) / RATE), place=middle, sound=OwnSound(on=False),
        seam=Seam(masks=(StraightMask(id="m-side", fixed="canvas", x=-285, feather_in=40, feather_out=40),)),
    )  # fmt: skip
    puff = Layer(
        id="l-puff", name="Puff", thread=5, source=FootageSource(footage=footage["glitter-burst"]),
        span=Span(first=gone - 6, last=89), place=Place(x=540, y=900, scale=120), seam=Seam(blend="screen"),
    )  # fmt: skip
    sounds = (
        SoundTrack(id="t-roll", name="Drum roll", footage=footage["drum-roll"], span=Span(first=0, last=79)),
        SoundTrack(id="t-puff", name="Whoosh", footage=footage["whoosh"], span=Span(first=gone - 4, last=89)),
    )  # fmt: skip
    return Shot(
        name="The hare vanishes", canvas=Canvas(width=talk.WIDTH, height=talk.HEIGHT), rate=RATE, length=90,
        layers=(plate, hare, fox, puff), sounds=sounds,
    )  # fmt: skip
