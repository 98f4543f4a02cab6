"""The demo: the footage of the Tin Lantern and the shots made from it."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import Any

from velvet_seam.core.around import OuterGlow
from velvet_seam.core.looks.light import Light
from velvet_seam.core.looks.tints import Tints
from velvet_seam.core.looks.vignette import Vignette
from velvet_seam.core.masks import BoxMask, OvalMask
from velvet_seam.core.mattes import LayerMatte, LumaKey, ScreenKey
from velvet_seam.core.shot.around import Around
from velvet_seam.core.shot.layer import Layer, Place, SoundTrack, Span
from velvet_seam.core.shot.look import Look
from velvet_seam.core.shot.revise import revised
from velvet_seam.core.shot.seam import Edge, Seam
from velvet_seam.core.shot.shot import Canvas, Shot
from velvet_seam.core.sources import (
    AdjustmentSource,
    ColourSource,
    FootageSource,
    NestedSource,
    ParticlesSource,
)
from velvet_seam.demo.clones import two_foxes
from velvet_seam.demo.dressed import four_windows, the_foxs_aside, tonight_at_eight
from velvet_seam.demo.follows import rail_parade, the_lanterns_flare
from velvet_seam.demo.hearing import fox_and_hare_talk, the_hare_vanishes
from velvet_seam.demo.moving import (
    behind_the_curtain,
    cape_on_the_line,
    full_house,
    keys,
    paper_star,
    tumble_echo,
)
from velvet_seam.demo.shelf import stock
from velvet_seam.demo.tower import up_the_tower
from velvet_seam.store.footage import FootageItem
from velvet_seam.store.library import Library
from velvet_seam.work.jobs.prepare import prepare


def fill(root: Path, say: Callable[[str], None] = print) -> Library:
    """Fill a folder with the demo where it is empty; returns its library."""
    library = Library(root)

    def ready(item: FootageItem) -> None:
        say(f"  making {item.name} ready")
        prepare(library, item)
        library.jobs.finish(library.jobs.open_for("prepare")[item.id].id)

    held = stock(library, ready)
    here = {standing.shot.name for standing in library.shots.all()}

    def kept(shot: Shot) -> str:
        """The id of a shot by its name, which is put on the wall where it is not there yet."""
        found = (one.id for one in library.shots.all() if one.shot.name == shot.name)
        return next(found, None) or library.shots.add(shot)

    def tower(footage: dict[str, str]) -> Shot:
        return up_the_tower(footage, kept)

    def dancer(footage: dict[str, str]) -> Shot:
        return the_backlit_dancer(footage, kept)

    shots = (
        tower, the_hare_vanishes, fox_and_hare_talk, rail_parade, the_lanterns_flare, two_foxes, the_foxs_aside, four_windows, full_house, cape_on_the_line, tumble_echo, behind_the_curtain, paper_star, tonight_at_eight,
        dancer, moth_over_the_paper_sea,
    )  # fmt: skip
    for make in shots:
        shot = make(held)
        if shot.name not in here:
            library.shots.add(shot)
    return library


def moth_over_the_paper_sea(footage: dict[str, str]) -> Shot:
    """The demo shot: a moth keyed from its card, a moon, embers, one evening light over all."""
    whole = Span(first=0, last=149)
    layers = (
        Layer(
            id="l-sea", name="Paper sea", thread=0, source=FootageSource(footage=footage["paper-sea"]),
            span=whole, place=Place(x=540, y=960),
        ),
        Layer(
            id="l-moon", name="Moon", thread=1, source=FootageSource(footage=footage["moon-still"]),
            span=whole, place=Place(x=720, y=520, scale=72),
        ),
        Layer(
            id="l-moth", name="Moth on card", thread=2,
            source=FootageSource(footage=footage["moth-on-card"]),
            span=whole, place=Place(x=560, y=935, scale=92),
            seam=Seam(
                matte=(ScreenKey(id="k-moth", colour="#45a84f", colour_from="border"),),
                masks=(
                    BoxMask(
                        id="m-card", x=-36, y=0, width=1024, height=1900, feather_in=2, feather_out=2
                    ),
                    BoxMask(
                        id="m-stick", combine="intersect", x=0, y=-120, width=1300, height=780,
                        feather_in=45, feather_out=45,
                    ),
                ),
            ),
        ),
        Layer(
            id="l-embers", name="Embers", thread=3,
            source=FootageSource(footage=footage["embers"]),
            span=Span(first=25, last=149), place=Place(x=540, y=960),
            seam=Seam(blend="screen", opacity=90),
        ),
        Layer(
            id="l-evening", name="Evening", thread=4, source=ColourSource(colour="#f2a65e"),
            span=whole, place=Place(x=540, y=960), seam=Seam(blend="soft-light", opacity=22),
        ),
    )  # fmt: skip
    return Shot(
        name="Moth over the paper sea",
        canvas=Canvas(width=1080, height=1920, background="#131a40"),
        rate=Fraction(25),
        length=150,
        layers=layers,
        sounds=(
            SoundTrack(id="t-waltz", name="Tin waltz", footage=footage["tin-waltz"], span=whole),
        ),
    )


def fire_moon(footage: dict[str, str]) -> Shot:
    """A paper moon with fire round it, as a shot of its own: three sources, clear beside them."""
    whole, middle = Span(first=0, last=99), Place(x=400, y=400)
    ring = OvalMask(id="m-ring", x=0, y=0, width=760, height=760, feather_in=150, fixed="canvas")
    return Shot(
        name="Fire moon", canvas=Canvas(width=800, height=800, background="none"),
        rate=Fraction(25), length=100,
        layers=(
            Layer(id="l-fire", name="Fire", thread=3, source=FootageSource(footage=footage["embers"]),
                  span=whole, place=Place(x=400, y=120, scale=74), seam=Seam(masks=(ring,), blend="screen")),
            Layer(id="l-moon", name="Moon", thread=1, source=FootageSource(footage=footage["moon-still"]),
                  span=whole, place=revised(middle, scale=66),
                  around=Around(glow=OuterGlow(on=True, colour="#ff9a3c", radius=90, strength=90))),
            Layer(id="l-sparks", name="Sparks", thread=4, span=whole, place=middle,
                  source=ParticlesSource(what="sparks", colour="#ffb45a", count=60, size=7, speed=120, life=2),
                  seam=Seam(masks=(revised(ring, id="m-sparks"),), blend="screen")),
        ),
    )  # fmt: skip


def the_backlit_dancer(footage: dict[str, str], add: Callable[[Shot], str]) -> Shot:
    """A double exposure: the dark figure before the sheet is opened onto a painted town at night, by a matte of its own
    brightness; ink moves through the sheet, embers rise from the dress, and she holds a moon with fire round it, which is
    a shot of its own. One look lies over all, at four fifths of its strength."""
    whole = Span(first=0, last=99)

    def clip(identity: str, name: str, thread: int, file: str, **more: Any) -> Layer:
        source = FootageSource(footage=footage[file])
        return Layer(
            id=identity, name=name, thread=thread, source=source, span=more.pop("span", whole),
            place=more.pop("place", Place(x=540, y=960)), **more,
        )  # fmt: skip

    dark = LumaKey(id="k-dark", low=0, high=22, softness=12)
    shape = LayerMatte(id="k-night", layer="l-shape")
    sparks = LayerMatte(id="k-sparks", layer="l-shape")
    return Shot(
        name="The backlit dancer",
        canvas=Canvas(width=1080, height=1920, background="#efe2c8"),
        rate=Fraction(25),
        length=100,
        layers=(
            clip("l-sheet", "Sheet", 0, "dancer-backlit"),
            clip("l-ink", "Ink", 1, "ink-in-milk", seam=Seam(blend="soft-light", opacity=46)),
            clip("l-shape", "Dancer's shape", 2, "dancer-backlit", hidden=True,
                 seam=Seam(matte=(dark,), edge=Edge(specks=120, holes=400, density=140))),
            clip("l-night", "Painted town", 3, "paper-town", place=Place(x=540, y=1010, scale=92),
                 seam=Seam(matte=(shape,))),
            clip("l-embers", "Embers", 4, "embers", place=Place(x=540, y=760, scale=118),
                 seam=Seam(matte=(sparks,), blend="screen")),
            Layer(id="l-moon", name="Fire moon", thread=6, source=NestedSource(footage=add(fire_moon(footage))),
                  span=whole, place=Place(x=320, y=keys((0, 340.0), (50, 318.0), (99, 340.0)), scale=46)),
            Layer(id="l-warm", name="Warm light", thread=5, source=ColourSource(colour="#e8a25a"),
                  span=whole, place=Place(x=540, y=960), seam=Seam(blend="soft-light", opacity=30)),
            Layer(id="l-light", name="One light", thread=8, source=AdjustmentSource(), span=whole, place=Place(x=540, y=960),
                  look=Look(strength=80, parts=(
                      Tints(id="p-tints", shadows="#2c3a6e", shadows_by=30, highlights="#f0c070", highlights_by=26),
                      Light(id="p-light", contrast=12), Vignette(id="p-vignette", amount=44, size=52)))),
        ),
        sounds=(
            SoundTrack(id="t-waltz", name="Tin waltz", footage=footage["tin-waltz"], span=whole),
        ),
    )  # fmt: skip
