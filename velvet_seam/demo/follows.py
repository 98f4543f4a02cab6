"""Demo shots of things that follow: a lantern's glow and flare, and five passes of one slide along a town."""

from __future__ import annotations

from fractions import Fraction

import numpy as np

from velvet_seam.core.looks.light import Light
from velvet_seam.core.looks.tints import Tints
from velvet_seam.core.looks.vignette import Vignette
from velvet_seam.core.masks import OvalMask
from velvet_seam.core.shot.edits import Trim, apply
from velvet_seam.core.shot.layer import Layer, OwnSound, Place, SoundTrack, Span, TimeMap
from velvet_seam.core.shot.look import Look
from velvet_seam.core.shot.mark import Mark
from velvet_seam.core.shot.motion import Passage
from velvet_seam.core.shot.pass_layers import shows, shows_from
from velvet_seam.core.shot.seam import Seam
from velvet_seam.core.shot.shot import Canvas, Shot
from velvet_seam.core.shot.track import Track
from velvet_seam.core.sources import AdjustmentSource, FootageSource, RaysSource
from velvet_seam.core.timing.animated import Keyframe, Keyframes
from velvet_seam.core.timing.following import Follow
from velvet_seam.demo import flare, lantern, parade
from velvet_seam.demo.moving import BEAT

BEHIND = range(71, 99)
"""Frames in which the post hides what is followed."""


def the_lanterns_flare(footage: dict[str, str]) -> Shot:
    """A walk with a lantern: rays and a flare come from it wherever it goes, and the evening is warm around it."""
    whole, middle = Span(first=0, last=lantern.FRAMES - 1), Place(x=540, y=960)
    pane = Track(
        id="t-pane", name="Pane", kind="plane", first=0, by_hand=(20,), again=(BEHIND.stop,),
        path=tuple(
            None if n in BEHIND else tuple(round(float(one), 2) for one in lantern.pane(n).ravel())
            for n in range(lantern.FRAMES)
        ),
    )  # fmt: skip
    x, y = lantern.pane(20).mean(0)
    follow = Follow(layer="l-walk", tracks=("t-pane",), how="shift", frame=20)
    walk = Layer(
        id="l-walk", name="Lantern walk", thread=0, source=FootageSource(footage=footage["lantern-walk"]), span=whole,
        place=middle, tracks=(pane,),
    )  # fmt: skip
    rays = Layer(
        id="l-rays", name="Rays", thread=4, span=whole, place=Place(x=float(x), y=float(y), scale=160), follow=follow,
        source=RaysSource(colour="#ffcf86", across=50, down=50), seam=Seam(blend="screen", opacity=34),
    )  # fmt: skip
    # upside down and large: its brightest place lies on the pane, and its edges beyond the picture
    at, size = lantern.pane(108).mean(0), 2.1
    burst = Layer(
        id="l-flare", name="Flare", thread=6, source=FootageSource(footage=footage["lantern-flare"]),
        span=Span(first=98, last=lantern.FRAMES - 1), time=TimeMap(source_in=Fraction(flare.BRIGHTEST - 16, 25)),
        place=Place(
            x=float(at[0]) - size * (flare.SHINES[0] - 540), y=float(at[1]) + size * (flare.SHINES[1] - 960),
            scale=100 * size, flip_y=True,
        ),
        follow=follow.model_copy(update={"frame": 108}), seam=Seam(blend="screen", opacity=70),
    )  # fmt: skip
    near = OvalMask(
        id="m-near", fixed="canvas", x=float(x) - 540, y=float(y) - 960, width=760, height=900, feather_in=320, feather_out=120,
        follow=follow.model_copy(update={"how": "stretch"}),
    )  # fmt: skip
    warmth = Layer(
        id="l-warm", name="Lamplight", thread=8, source=AdjustmentSource(), span=whole, place=middle,
        look=Look(parts=(Light(id="p-warm", exposure=0.55, contrast=8), Tints(id="p-tint", strength=40))),
        seam=Seam(masks=(near,)),
    )  # fmt: skip
    dusk = Layer(
        id="l-dusk", name="Dusk", thread=9, source=AdjustmentSource(), span=whole, place=middle,
        look=Look(parts=(Light(id="p-dusk", exposure=-0.35, contrast=12), Vignette(id="p-dark", amount=45, size=46))),
    )  # fmt: skip
    return Shot(
        name="The lantern's flare", canvas=Canvas(width=lantern.WIDTH, height=lantern.HEIGHT), rate=Fraction(25),
        length=lantern.FRAMES, layers=(walk, dusk, warmth, rays, burst),
    )  # fmt: skip


class _Frames:
    """The frames of a clip of 25 a second, for its time map."""

    moving, frames = True, parade.FRAMES
    length = Fraction(parade.FRAMES, 25)

    def begins(self, number: int) -> Fraction:
        return Fraction(number, 25)

    def frame_at(self, time: Fraction) -> int:
        return min(max(int(time * 25), 0), self.frames - 1)


def rail_parade(footage: dict[str, str]) -> Shot:
    """Five passes of one slide along the town lie above each other, frame by frame at the same place: five foxes, who
    come in on the beats of the waltz."""
    path, legs = parade.camera()
    first, last = legs[0]
    length = last - first + 1
    whole = Span(first=0, last=length - 1)
    clip = _Frames()
    source, middle = FootageSource(footage=footage["rail-parade"]), Place(x=540, y=960)
    layers = []
    for k, (low, high) in enumerate(legs):
        numbers = np.arange(low, high + 1)
        order = np.argsort(path[low : high + 1], kind="stable")
        at = np.interp(path[first : last + 1], path[low : high + 1][order], numbers[order])
        time = (
            shows_from(clip, first, TimeMap())
            if k == 0
            else shows(clip, [float(n) for n in at], TimeMap(), Fraction(25))
        )
        xs = parade.STANDS[k] - 60 - parade.WAY * path[first : last + 1] - 540
        keys = Keyframes(
            keys=tuple(Keyframe(frame=n, value=round(float(xs[n]), 2)) for n in range(0, length, 3))
        )
        mask = OvalMask(
            id=f"m-fox-{k + 1}", x=keys, y=440, width=430, height=920, feather_in=30, feather_out=30
        )
        layers.append(
            Layer(
                id=f"l-pass-{k + 1}", name=f"Pass {k + 1}", thread=2 * k, source=source, span=whole, place=middle, time=time,
                sound=OwnSound(on=False),
                arrive=Passage(way="fade", frames=4.0) if k else Passage(),
                seam=Seam(masks=(mask,)) if k else Seam(),
            )
        )  # fmt: skip
        if k:
            begin = BEAT * k - 4
            cut = Span(first=begin, last=length - 1)
            layers[-1] = apply(
                _only(layers[-1], length), Trim(target=layers[-1].id, edge="first", to=cut.first)
            ).layers[0]
    waltz = SoundTrack(id="t-waltz", name="Tin waltz", footage=footage["tin-waltz"], span=whole)
    return Shot(
        name="Rail parade", canvas=Canvas(width=parade.WIDTH, height=parade.HEIGHT), rate=Fraction(25), length=length,
        layers=tuple(layers), sounds=(waltz,),
        marks=tuple(Mark(id=f"b-{n}", frame=BEAT * n, name="beat") for n in range(1, 5)),
    )  # fmt: skip


def _only(layer: Layer, length: int) -> Shot:
    """A shot of one layer, to be changed by an edit."""
    return Shot(
        name="one", canvas=Canvas(width=parade.WIDTH, height=parade.HEIGHT), rate=Fraction(25), length=length, layers=(layer,)
    )  # fmt: skip
