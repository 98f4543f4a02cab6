"""Demo shots whose pieces are made to belong to one picture: a frame with windows, a picture in a picture."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

from velvet_seam.core.around import Border, Shadow
from velvet_seam.core.looks.balance import Balance
from velvet_seam.core.looks.grain import Grain
from velvet_seam.core.looks.light import Light
from velvet_seam.core.looks.tints import Tints
from velvet_seam.core.looks.vignette import Vignette
from velvet_seam.core.shot.around import Around
from velvet_seam.core.shot.crop import Crop
from velvet_seam.core.shot.layer import Layer, Place, SoundTrack, Span, TimeMap
from velvet_seam.core.shot.look import Look
from velvet_seam.core.shot.mark import Mark
from velvet_seam.core.shot.motion import Passage
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.shot.windows import into
from velvet_seam.core.sources import (
    AdjustmentSource,
    FootageSource,
    ParticlesSource,
    TextSource,
    WindowsSource,
)
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
