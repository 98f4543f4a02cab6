"""Demo shots about time and motion: reveals, a passing wipe, an echo, a freeze."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

import numpy as np

from velvet_seam.core.masks import (
    DrawnMask,
    OutlineKey,
    OutlineKeys,
    OvalMask,
    StarMask,
    Vertex,
)
from velvet_seam.core.mattes import ScreenKey
from velvet_seam.core.shot.layer import Layer, OwnSound, Place, SoundTrack, Span, TimeMap
from velvet_seam.core.shot.mark import Mark
from velvet_seam.core.shot.motion import Echo, Passage, Stir
from velvet_seam.core.shot.seam import Edge, Seam
from velvet_seam.core.shot.shot import Canvas, Shot
from velvet_seam.core.sources import ColourSource, FootageSource
from velvet_seam.core.timing.animated import Keyframe, Keyframes
from velvet_seam.core.timing.ease import Ease
from velvet_seam.demo import curtain

BEAT = 10
"""Frames from one beat of the waltz to the next: 150 a minute at 25 frames a second."""

CANVAS = Canvas(width=1080, height=1920, background="#131a40")


def keys(*given: tuple[int, float], ease: Ease = "smooth") -> Keyframes:
    return Keyframes(keys=tuple(Keyframe(frame=f, value=v, ease=ease) for f, v in given))


def _keyed(identity: str) -> tuple[ScreenKey]:
    """The acrobat's key: the blue cloth, as measured along the border."""
    return (ScreenKey(id=identity, colour="#2b52ac", colour_from="border"),)


def _clip(
    footage: dict[str, str],
    identity: str,
    name: str,
    thread: int,
    file: str,
    span: Span,
    **more: Any,
) -> Layer:
    source = FootageSource(footage=footage[file])
    place = more.pop("place", Place(x=540, y=960))
    return Layer(
        id=identity, name=name, thread=thread, source=source, span=span, place=place, **more
    )


def _shot(
    name: str, length: int, layers: tuple[Layer, ...], *sounds: SoundTrack, beats: int = BEAT
) -> Shot:
    marks = tuple(
        Mark(id=f"n-beat-{n}", frame=n * beats, name=f"Beat {n + 1}", thread=9 if n % 3 else 3)
        for n in range(-(-length // beats))
    )
    return Shot(name=name, canvas=CANVAS, rate=Fraction(25), length=length, layers=layers,
                sounds=sounds, marks=marks)  # fmt: skip


def _waltz(footage: dict[str, str], length: int) -> SoundTrack:
    span = Span(first=0, last=length - 1)
    return SoundTrack(id="t-waltz", name="Tin waltz", footage=footage["tin-waltz"], span=span)


def paper_star(footage: dict[str, str]) -> Shot:
    """Reveals in a chain, each beginning on a bar: a star opens the dancer's sheet, a round window the
    stage, a star the sea again; each with a rim of paper that runs two frames ahead."""
    length = 150

    def star(identity: str, ahead: int) -> StarMask:
        grown = keys((0, 0), (8, 330), (14, 300), (25, 3100), ease="slow-start")
        turned = keys((0, -120), (14, -18), (25, 40))
        return StarMask(id=identity, fixed="canvas", radius=grown, inner=52, rotation=turned,
                        grow=16 if ahead else 0, feather_out=1)  # fmt: skip

    def oval(identity: str, ahead: int) -> OvalMask:
        grown = keys((0, 0), (8, 520), (14, 470), (25, 3200), ease="slow-start")
        return OvalMask(id=identity, fixed="canvas", width=grown, height=grown,
                        grow=16 if ahead else 0, feather_out=1)  # fmt: skip

    layers = [
        _clip(footage, "l-sea", "Paper sea", 0, "paper-sea", Span(first=0, last=64)),
        _clip(footage, "l-moon", "Moon", 1, "moon-still", Span(first=0, last=64),
              place=Place(x=720, y=520, scale=72)),
    ]  # fmt: skip
    worlds = (
        (30, "Dancer", "dancer-backlit", star, "#f3dfae", 95),
        (60, "Foxes' stage", "fox-left", oval, "#d8ab48", 125),
        (90, "Night again", "paper-sea", star, "#f7efe0", length - 1),
    )
    for n, (first, name, file, shape, rim, last) in enumerate(worlds):
        span = Span(first=first - 2, last=min(last, first + 30))
        layers.append(
            Layer(id=f"l-rim-{n}", name=f"Rim {n + 1}", thread=3, source=ColourSource(colour=rim),
                  span=span, place=Place(x=540, y=960),
                  seam=Seam(masks=(shape(f"m-rim-{n}", 1),)))
        )  # fmt: skip
        layers.append(
            _clip(footage, f"l-world-{n}", name, 4 + n, file, Span(first=first, last=last),
                  seam=Seam(masks=(shape(f"m-world-{n}", 0),)))
        )  # fmt: skip
    return _shot("Paper star", length, tuple(layers), _waltz(footage, length))


def behind_the_curtain(footage: dict[str, str]) -> Shot:
    """A passing wipe: an outline is carried along the curtain's trailing edge frame by frame; what is
    behind it is another world. In its last frame nothing of the stage is left."""
    heights = np.linspace(-80, 2000, 14)
    outlines = []
    for frame in range(curtain.ENTERS + 13, curtain.CLEAR + 1):
        edge = curtain.trailing(frame, heights.astype(np.float32))
        rim = [Vertex(x=round(float(x) - 540, 1), y=round(float(y) - 960, 1))
               for x, y in zip(edge, heights, strict=True)]  # fmt: skip
        far = [Vertex(x=1400, y=1040), Vertex(x=1400, y=-1040)]
        outlines.append(OutlineKey(frame=frame, value=(*rim, *far)))
    # what the edge crosses while a frame is lit is half clear
    mask = DrawnMask(
        id="m-edge", outline=OutlineKeys(keys=tuple(outlines)), feather_in=30, feather_out=30
    )
    length = 80
    layers = (
        _clip(footage, "l-sea", "Paper sea", 0, "paper-sea", Span(first=12, last=length - 1),
              place=Place(x=540, y=960, scale=keys((8, 118), (50, 100), ease="slow-end"))),
        _clip(footage, "l-moon", "Moon", 1, "moon-still", Span(first=12, last=length - 1),
              place=Place(x=720, y=keys((8, 700), (56, 520), ease="slow-end"), scale=72)),
        _clip(footage, "l-curtain", "Curtain", 2, "curtain-pass", Span(first=0, last=curtain.CLEAR),
              seam=Seam(masks=(mask,))),
    )  # fmt: skip
    whoosh = SoundTrack(id="t-whoosh", name="Whoosh", footage=footage["whoosh"],
                        span=Span(first=14, last=31), gain=-6)  # fmt: skip
    return _shot("Behind the curtain", length, layers, _waltz(footage, length), whoosh)


def tumble_echo(footage: dict[str, str]) -> Shot:
    """The acrobat swings before the sea, and what she was three frames ago swings after her."""
    length = 100
    swing = _clip(
        footage, "l-acrobat", "Acrobat", 2, "acrobat-on-blue", Span(first=0, last=length - 1),
        place=Place(x=keys((0, 380), (30, 700), (60, 360), (99, 720)), y=940, scale=118,
                    rotation=keys((0, 16), (30, -16), (60, 16), (99, -16))),
        seam=Seam(matte=_keyed("k-cloth-1"), edge=Edge(density=110)),
        echo=Echo(count=6, step=3, decay=68, blend="screen"),
    )  # fmt: skip
    layers = (
        _clip(footage, "l-sea", "Paper sea", 0, "paper-sea", Span(first=0, last=length - 1),
              place=Place(x=540, y=1010, scale=112)),
        Layer(id="l-dusk", name="Dusk", thread=5, source=ColourSource(colour="#1a1038"),
              span=Span(first=0, last=length - 1), place=Place(x=540, y=960),
              seam=Seam(blend="multiply", opacity=62)),
        swing,
        _clip(footage, "l-embers", "Embers", 3, "embers", Span(first=0, last=length - 1),
              seam=Seam(blend="screen", opacity=70)),
    )  # fmt: skip
    return _shot("Tumble echo", length, layers, _waltz(footage, length))


def cape_on_the_line(footage: dict[str, str]) -> Shot:
    """A freeze cut-in: on a beat the picture stands still, and the acrobat, cut out and large, slides in
    over six frames with a shake and a whoosh on the cut; then it all goes on."""
    cut, held, length = 40, 30, 110
    at = TimeMap(source_in=Fraction(cut, 25), speed=0.0)
    silent = OwnSound(on=False)
    stage = "stage-empty"
    layers = (
        _clip(footage, "l-stage", "Stage", 0, stage, Span(first=0, last=length - 1)),
        _clip(footage, "l-before", "Acrobat", 2, "acrobat-on-blue", Span(first=0, last=cut - 1),
              place=Place(x=540, y=900, scale=84), seam=Seam(matte=_keyed("k-cloth-2"))),
        _clip(footage, "l-frozen", "Acrobat frozen", 2, "acrobat-on-blue",
              Span(first=cut, last=cut + held - 1), time=at, sound=silent,
              place=Place(x=540, y=900, scale=84), seam=Seam(matte=_keyed("k-cloth-3"))),
        Layer(id="l-dim", name="Dim", thread=5, source=ColourSource(colour="#2a1030"),
              span=Span(first=cut, last=cut + held - 1), place=Place(x=540, y=960),
              arrive=Passage(way="fade", frames=4), leave=Passage(way="fade", frames=4),
              seam=Seam(blend="multiply", opacity=78)),
        _clip(footage, "l-cape", "Cut-in", 3, "acrobat-on-blue", Span(first=cut, last=cut + held - 1),
              time=at, sound=silent, place=Place(x=560, y=1260, scale=250, rotation=-7),
              arrive=Passage(way="slide-right", frames=6, ease="slow-end"),
              leave=Passage(way="slide-left", frames=6, ease="slow-start"),
              stir=Stir(shake=keys((0, 44), (14, 0), ease="slow-end"),
                        turn=keys((0, 2.5), (14, 0), ease="slow-end"), rate=9, seed=5),
              shutter=180.0, seam=Seam(matte=_keyed("k-cloth-4"))),
        _clip(footage, "l-after", "Acrobat goes on", 2, "acrobat-on-blue",
              Span(first=cut + held, last=length - 1), time=TimeMap(source_in=Fraction(cut, 25)),
              place=Place(x=540, y=900, scale=84), seam=Seam(matte=_keyed("k-cloth-5"))),
    )  # fmt: skip
    whoosh = SoundTrack(id="t-whoosh", name="Whoosh", footage=footage["whoosh"],
                        span=Span(first=cut - 5, last=cut + 12), gain=-3)  # fmt: skip
    return _shot("Cape on the line", length, layers, _waltz(footage, length), whoosh)


def full_house(footage: dict[str, str]) -> Shot:
    """One acrobat, five of her: on every beat from the second bar on another appears, larger for a moment,
    each at another time of her swing."""
    length = 130
    spots = ((540, 1010, 62), (300, 890, 44), (780, 890, 44), (420, 640, 34), (660, 640, 34))
    clones = []
    for n, (x, y, scale) in enumerate(spots):
        pop = keys((0, scale * 0.7), (2, scale * 1.16), (6, scale), ease="slow-end")
        clones.append(
            _clip(footage, f"l-clone-{n}", f"Acrobat {n + 1}", 2 + n, "acrobat-on-blue",
                  Span(first=(3 + n) * BEAT, last=length - 1),
                  time=TimeMap(source_in=Fraction(9 * n, 25), ends="bounce"),
                  place=Place(x=x, y=y, scale=pop, flip_x=n % 2 == 1),
                  sound=OwnSound(on=False), seam=Seam(matte=_keyed(f"k-clone-{n}")))
        )  # fmt: skip
    layers = (
        _clip(footage, "l-stage", "Stage", 0, "stage-empty", Span(first=0, last=length - 1),
              time=TimeMap(ends="loop")),
        *reversed(clones),
    )  # fmt: skip
    return _shot("Full house", length, layers, _waltz(footage, length))
