"""*Up the tower*: three storeys, each a shot of its own, under one camera that rises through drifting cloud."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from typing import Any

from velvet_seam.core.around import Border, Shadow
from velvet_seam.core.looks.balance import Balance
from velvet_seam.core.looks.light import Light
from velvet_seam.core.looks.vignette import Vignette
from velvet_seam.core.masks import OvalMask
from velvet_seam.core.shot.around import Around
from velvet_seam.core.shot.crop import Crop
from velvet_seam.core.shot.layer import Layer, Place, SoundTrack, Span, TimeMap
from velvet_seam.core.shot.look import Look
from velvet_seam.core.shot.seam import Seam
from velvet_seam.core.shot.shot import Canvas, Shot
from velvet_seam.core.sources import (
    AdjustmentSource,
    BarsSource,
    CameraSource,
    CloudsSource,
    ColourSource,
    FootageSource,
    NestedSource,
)
from velvet_seam.demo.moving import CANVAS, keys

LENGTH = 125
WHOLE = Span(first=0, last=LENGTH - 1)
STOREY = Canvas(width=1080, height=1200, background="none")
HIGH = 840
"""A storey as it stands in the tower, canvas pixels."""


def _layer(identity: str, name: str, thread: int, source: Any, **more: Any) -> Layer:
    place = more.pop("place", Place(x=540, y=960))
    span = more.pop("span", WHOLE)
    return Layer(id=identity, name=name, thread=thread, source=source, span=span, place=place, **more)  # fmt: skip


def _storey(
    footage: dict[str, str], name: str, file: str, wall: str, place: Place, crop: Crop
) -> Shot:
    """A wall of cracked paint, and in it a lit opening with a player."""
    middle = Place(x=540, y=600)
    return Shot(
        name=name, canvas=STOREY, rate=Fraction(25), length=LENGTH,
        layers=(
            _layer("l-wall", "Wall", 8, ColourSource(colour=wall), place=middle,
                   around=Around(shadow=Shadow(on=True, x=0, y=18, blur=60, opacity=70))),
            _layer("l-cracks", "Cracks", 6, FootageSource(footage=footage["cracked-varnish"]),
                   place=Place(x=540, y=600, scale=100), seam=Seam(blend="soft-light", opacity=70)),
            _layer("l-player", name, 2, FootageSource(footage=footage[file]), place=place, crop=crop,
                   time=TimeMap(ends="bounce"),
                   around=Around(border=Border(on=True, width=26, colour="#e9d7ae"),
                                 shadow=Shadow(on=True, x=0, y=20, blur=50, opacity=70)),
                   look=Look(parts=(Light(id="p-light", contrast=10),))),
        ),
    )  # fmt: skip


def storeys(footage: dict[str, str]) -> tuple[Shot, ...]:
    """From the ground up."""
    return (
        _storey(footage, "The fox's storey", "fox-left", "#7d4a3a", Place(x=640, y=470, scale=88),
                Crop(left=5, right=30, top=36, bottom=20, radius=120)),
        _storey(footage, "The dancer's storey", "dancer-backlit", "#56506e", Place(x=540, y=590, scale=66),
                Crop(left=6, right=6, top=12, bottom=12, radius=160)),
        _storey(footage, "The hare's storey", "hare", "#6a6a48", Place(x=540, y=650, scale=74),
                Crop(left=12, right=12, top=14, bottom=18, radius=180)),
    )  # fmt: skip


def up_the_tower(footage: dict[str, str], add: Callable[[Shot], str]) -> Shot:
    """The tower before the town at night; ``add`` keeps a storey and answers its id."""
    rooms = []
    for n, storey in enumerate(storeys(footage)):
        place = Place(x=540, y=1330 - n * HIGH, scale=100 * HIGH / STOREY.height)
        rooms.append(_layer(f"l-storey-{n + 1}", storey.name, n, NestedSource(footage=add(storey)), place=place))  # fmt: skip
    town = Place(x=540, y=560, scale=112, depth=160)
    brighter = OvalMask(id="m-top", x=0, y=-1310, width=760, height=620, feather_in=160, feather_out=200)  # fmt: skip
    rise = keys((14, 960.0), (104, 960.0 + 2 * HIGH - 20))
    sounds = (
        SoundTrack(id="t-waltz", name="Tin waltz", footage=footage["tin-waltz"], span=WHOLE),
        SoundTrack(id="t-squeak", name="Squeak", footage=footage["squeak"], span=Span(first=92, last=119)),
    )  # fmt: skip
    return Shot(
        name="Up the tower", canvas=CANVAS, rate=Fraction(25), length=LENGTH,
        layers=(
            _layer("l-town", "Town", 5, FootageSource(footage=footage["paper-town"]), place=town),
            *rooms,
            _layer("l-top", "Top brightened", 7, AdjustmentSource(), seam=Seam(masks=(brighter,)),
                   place=Place(x=540, y=960),
                   look=Look(parts=(Light(id="p-top", exposure=0.7, contrast=10), Balance(id="p-warm", temperature=18)))),
            _layer("l-cloud", "Cloud", 9, CloudsSource(), place=Place(x=540, y=-340, scale=240, depth=-35),
                   seam=Seam(blend="screen", opacity=46)),
            _layer("l-camera", "Camera", 4, CameraSource(),
                   place=Place(x=540, y=rise, scale=keys((60, 100.0), (118, 116.0)))),
            _layer("l-light", "One light", 8, AdjustmentSource(),
                   look=Look(parts=(Balance(id="p-night", temperature=-8), Vignette(id="p-vignette", amount=46, size=50)))),
            _layer("l-bars", "Bars", 6, BarsSource(ratio=0.75)),
        ),
        sounds=sounds,
    )  # fmt: skip
