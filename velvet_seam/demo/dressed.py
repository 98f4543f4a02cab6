"""Demo shots whose pieces are made to belong to one picture: a frame with windows, a picture in a picture, lettering."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

import numpy as np

from velvet_seam.core.around import Border, OuterGlow, Shadow
from velvet_seam.core.looks.balance import Balance
from velvet_seam.core.looks.grain import Grain
from velvet_seam.core.looks.light import Light
from velvet_seam.core.looks.monochrome import Monochrome
from velvet_seam.core.looks.tints import Tints
from velvet_seam.core.looks.vignette import Vignette
from velvet_seam.core.masks import BoxMask, OvalMask
from velvet_seam.core.mattes import ScreenKey
from velvet_seam.core.shot.around import Around
from velvet_seam.core.shot.crop import Crop
from velvet_seam.core.shot.layer import Layer, Place, SoundTrack, Span, TimeMap
from velvet_seam.core.shot.look import Look
from velvet_seam.core.shot.mark import Mark
from velvet_seam.core.shot.motion import Passage
from velvet_seam.core.shot.seam import Edge, Seam
from velvet_seam.core.shot.shot import Canvas, Shot
from velvet_seam.core.shot.windows import into
from velvet_seam.core.sources import (
    AdjustmentSource,
    ColourSource,
    FootageSource,
    PaintSource,
    ParticlesSource,
    TextSource,
    WindowsSource,
)
from velvet_seam.core.sources.paint import Stroke
from velvet_seam.demo.moving import BEAT, CANVAS, keys

SIZE = (CANVAS.width, CANVAS.height)


def _clip(
    footage: dict[str, str],
    identity: str,
    name: str,
    thread: int,
    file: str,
    span: Span,
    **more: Any,
) -> Layer:
    place = more.pop("place", Place(x=540, y=960))
    return Layer(id=identity, name=name, thread=thread, source=FootageSource(footage=footage[file]), span=span,
                 place=place, **more)  # fmt: skip


def _one_light(identity: str, span: Span, *parts: Any) -> Layer:
    """An adjustment over all below it."""
    return Layer(id=identity, name="One light", thread=8, source=AdjustmentSource(), span=span,
                 place=Place(x=540, y=960), look=Look(parts=parts))  # fmt: skip


def _waltz(footage: dict[str, str], length: int) -> tuple[tuple[SoundTrack, ...], tuple[Mark, ...]]:
    span = Span(first=0, last=length - 1)
    marks = tuple(
        Mark(id=f"n-bar-{n}", frame=n * 3 * BEAT, name=f"Bar {n + 1}", thread=9)
        for n in range(-(-length // (3 * BEAT)))
    )
    sound = SoundTrack(id="t-waltz", name="Tin waltz", footage=footage["tin-waltz"], span=span)
    return (sound,), marks


def four_windows(footage: dict[str, str]) -> Shot:
    """A split screen: four players in a frame of four windows, who change places on every bar, under one light."""
    length, bar = 120, 3 * BEAT
    whole = Span(first=0, last=length - 1)
    frame = WindowsSource(layout="grid", count=4, gap=22, margin=22, radius=34, colour="#160d1c")
    found = [frame.openings(0, SIZE)[n] for n in (0, 1, 3, 2)]  # round about
    players = (
        ("Fox", "fox-left"),
        ("Acrobat", "acrobat-on-blue"),
        ("Dancer", "dancer-backlit"),
        ("Moth", "moth-on-card"),
    )
    layers = []
    for n, (name, file) in enumerate(players):
        values = into(found[n], SIZE)
        stations = [found[(n + turn) % 4].middle for turn in range(-(-length // bar))]
        moves = [
            keys(*((max(0, turn * bar - 6 * early), stations[turn - early][axis])
                   for turn in range(len(stations)) for early in ((1, 0) if turn else (0,))))
            for axis in (0, 1)
        ]  # fmt: skip
        layers.append(_clip(
            footage, f"l-{name.lower()}", name, n, file, whole,
            place=Place(x=moves[0], y=moves[1], scale=values["place.scale"]),
            crop=Crop(left=values["crop.left"], right=values["crop.right"], top=values["crop.top"],
                      bottom=values["crop.bottom"]),
        ))  # fmt: skip
    light = _one_light(
        "l-light", whole, Light(id="p-light", contrast=14, highlights=-12, shadows=10),
        Tints(id="p-tints", shadows="#28406e", shadows_by=34, highlights="#f0b060", highlights_by=30),
        Grain(id="p-grain", amount=12, size=2.2),
    )  # fmt: skip
    window = Layer(
        id="l-windows",
        name="Windows",
        thread=6,
        source=frame,
        span=whole,
        place=Place(x=540, y=960),
    )
    sounds, marks = _waltz(footage, length)
    return Shot(name="Four windows", canvas=CANVAS, rate=Fraction(25), length=length,
                layers=(*layers, light, window), sounds=sounds, marks=marks)  # fmt: skip


def the_foxs_aside(footage: dict[str, str]) -> Shot:
    """A picture in a picture: what the fox tells of grows in beside him, with a border and a shadow, and a line
    of text writes itself."""
    length = 110
    whole, aside = Span(first=0, last=length - 1), Span(first=22, last=length - 1)
    told = _clip(
        footage, "l-aside", "What he tells", 2, "dancer-backlit", aside,
        place=Place(x=730, y=560, scale=44),
        crop=Crop(left=4, right=4, top=16, bottom=18, radius=46),
        arrive=Passage(way="grow", frames=14), leave=Passage(way="fade", frames=8),
        around=Around(border=Border(on=True, width=12, colour="#f6ead2"),
                      shadow=Shadow(on=True, x=14, y=26, blur=46, opacity=62)),
        look=Look(parts=(Balance(id="p-aside", temperature=16), Light(id="p-aside-light", contrast=12))),
        time=TimeMap(ends="bounce"),
    )  # fmt: skip
    words = Layer(
        id="l-words", name="Words", thread=7, span=aside, place=Place(x=540, y=1560),
        source=TextSource(text="and then, at nine,\nshe danced.", family="hand", size=118, weight=700, soft=3,
                          revealed=keys((14, 0.0), (58, 100.0), ease="linear"), colour="#fff2d8"),
        around=Around(shadow=Shadow(on=True, x=0, y=6, blur=22, opacity=80)),
    )  # fmt: skip
    sparks = Layer(
        id="l-sparks", name="Lamp dust", thread=4, span=whole, place=Place(x=540, y=960),
        source=ParticlesSource(what="dust", colour="#ffdf9e", count=70, size=9, speed=40, life=6),
    )  # fmt: skip
    light = _one_light(
        "l-light", whole, Balance(id="p-warm", temperature=20),
        Light(id="p-light", exposure=-0.15, contrast=16, shadows=-8), Vignette(id="p-vignette", amount=52, size=45),
    )  # fmt: skip
    sounds, marks = _waltz(footage, length)
    return Shot(
        name="The fox's aside", canvas=CANVAS, rate=Fraction(25), length=length,
        layers=(_clip(footage, "l-fox", "Fox", 0, "fox-left", whole), light, sparks, told, words),
        sounds=sounds, marks=marks,
    )  # fmt: skip


def tonight_at_eight(footage: dict[str, str]) -> Shot:
    """Lettering keyed from its orange card and turned white by a look, over the empty stage; painted specks tremble
    behind it. The thumb that holds the card goes with a garbage mask, embers drift before it."""
    whole = Span(first=0, last=74)
    source = {
        name: FootageSource(footage=footage[name])
        for name in ("stage-empty", "tonight-card", "embers")
    }
    night = BoxMask(id="m-middle", x=0, y=-60, width=900, height=900, round=300, invert=True,
                    feather_in=260, feather_out=260)  # fmt: skip
    return Shot(
        name="Tonight!",
        canvas=Canvas(width=1080, height=1920, background="#1b1216"),
        rate=Fraction(25),
        length=75,
        layers=(
            Layer(id="l-stage", name="Stage", thread=0, source=source["stage-empty"], span=whole,
                  place=Place(x=540, y=960, scale=104)),
            Layer(id="l-dusk", name="Dusk", thread=5, source=ColourSource(colour="#2a1430"), span=whole,
                  place=Place(x=540, y=960), seam=Seam(masks=(night,), blend="multiply", opacity=88)),
            Layer(id="l-shade", name="Shade behind the letters", thread=4,
                  source=ColourSource(colour="#1d0d18"), span=whole, place=Place(x=540, y=960),
                  seam=Seam(
                      masks=(OvalMask(id="m-shade", x=0, y=-20, width=760, height=420,
                                      feather_in=200, feather_out=240),),
                      blend="multiply", opacity=82)),
            Layer(id="l-specks", name="Painted specks", thread=6, source=_specks(), span=whole,
                  place=Place(x=540, y=940)),
            Layer(id="l-letters", name="Tonight!", thread=2, source=source["tonight-card"], span=whole,
                  place=Place(x=540, y=1010, scale=84),
                  seam=Seam(
                      matte=(ScreenKey(id="k-card", colour="#c06229", colour_from="border", tolerance=7,
                                       softness=80, spill_to="grey"),),
                      edge=Edge(specks=260, density=170),
                      masks=(BoxMask(id="m-thumb", use="garbage", x=440, y=860, width=420, height=700,
                                     round=120, feather_out=20),)),
                  look=Look(parts=(Monochrome(id="p-grey"), Light(id="p-white", exposure=2.4))),
                  around=Around(glow=OuterGlow(on=True, colour="#ffcf8a", radius=60, strength=70))),
            Layer(id="l-embers", name="Embers", thread=3, source=source["embers"], span=whole,
                  place=Place(x=540, y=960), seam=Seam(blend="screen", opacity=85)),
            _one_light("l-light", whole, Balance(id="p-warm", temperature=-14),
                       Light(id="p-light", contrast=18), Vignette(id="p-vignette", amount=40, size=55)),
        ),
        sounds=(
            SoundTrack(id="t-waltz", name="Tin waltz", footage=footage["tin-waltz"], span=whole),
        ),
    )  # fmt: skip


def _specks() -> PaintSource:
    """Dabs of four colours in a ring about the letters, trembling as drawn by hand frame after frame."""
    chance = np.random.Generator(np.random.Philox(9))
    strokes = []
    for n in range(110):
        turn, away = chance.uniform(0, 2 * np.pi), chance.normal(1.0, 0.2)
        x, y = (
            round(float(430 * away * np.cos(turn)), 1),
            round(float(330 * away * np.sin(turn)), 1),
        )
        leans = chance.uniform(-14, 14, 2).round(1)
        strokes.append(Stroke(
            points=((x, y), (x + float(leans[0]), y + float(leans[1]))), width=round(float(chance.uniform(7, 26)), 1),
            hardness=88, colour=("#f2b654", "#e4694f", "#f7e6c4", "#8fb8c9")[n % 4],
        ))  # fmt: skip
    return PaintSource(strokes=tuple(strokes), jitter=7, rate=8)
