"""Demo shots of takes put in time, and of a clean plate: two who talk, and one who vanishes."""

from __future__ import annotations

from fractions import Fraction

from velvet_seam.core.looks.light import Light
from velvet_seam.core.looks.vignette import Vignette
from velvet_seam.core.masks import OvalMask, StraightMask
from velvet_seam.core.shot.layer import Layer, OwnSound, Place, SoundTrack, Span, TimeMap
from velvet_seam.core.shot.look import Look
from velvet_seam.core.shot.seam import Seam
from velvet_seam.core.shot.shot import Canvas, Shot
from velvet_seam.core.sources import AdjustmentSource, ColourSource, FootageSource
from velvet_seam.demo import talk
from velvet_seam.demo.moving import keys

RATE = Fraction(25)


def fox_and_hare_talk(footage: dict[str, str]) -> Shot:
    """A dialogue in two halves: what two cameras took, in time by what both heard, one above the other. The knock that
    the first was given is not heard: the sound is the second one's."""
    later = Fraction(str(talk.LATER))
    begin = (
        int(later * RATE) + 1
    )  # the first frame of the first camera that lies wholly within both
    length = talk.FRAMES - begin
    whole = Span(first=0, last=length - 1)
    fox = Layer(
        id="l-a", name="Fox's camera", thread=3, source=FootageSource(footage=footage["fox-and-hare-talk-a"]),
        span=whole, time=TimeMap(source_in=Fraction(begin) / RATE), place=Place(x=540, y=560), sound=OwnSound(on=False),
        seam=Seam(masks=(StraightMask(id="m-upper", fixed="canvas", x=0, y=0, rotation=90),)),
    )  # fmt: skip
    hare = Layer(
        id="l-b", name="Hare's camera", thread=1, source=FootageSource(footage=footage["fox-and-hare-talk-b"]),
        span=whole, time=TimeMap(source_in=Fraction(begin) / RATE - later), place=Place(x=540, y=1490), sound=OwnSound(on=True),
    )  # fmt: skip
    line = Layer(
        id="l-line", name="Line", thread=6, source=ColourSource(colour="#f3e2c6"), span=whole, place=Place(x=540, y=960),
        seam=Seam(masks=(StraightMask(id="m-over", fixed="canvas", x=0, y=5, rotation=90),
                         StraightMask(id="m-under", fixed="canvas", x=0, y=-5, rotation=-90, combine="intersect"))),
    )  # fmt: skip
    light = Layer(
        id="l-light", name="Lamplight", thread=8, source=AdjustmentSource(), span=whole, place=Place(x=540, y=960),
        look=Look(parts=(Light(id="p-light", contrast=10), Vignette(id="p-dark", amount=26, size=62))),
    )  # fmt: skip
    return Shot(
        name="Fox and hare talk", canvas=Canvas(width=talk.WIDTH, height=talk.HEIGHT), rate=RATE, length=length,
        layers=(hare, fox, line, light),
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
