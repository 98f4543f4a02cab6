"""The demo: the footage of the Tin Lantern and the shots made from it."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import Any

from velvet_seam.core.masks import BoxMask
from velvet_seam.core.mattes import LayerMatte, LumaKey, ScreenKey
from velvet_seam.core.shot.layer import Layer, Place, SoundTrack, Span
from velvet_seam.core.shot.seam import Edge, Seam
from velvet_seam.core.shot.shot import Canvas, Shot
from velvet_seam.core.sources import ColourSource, FootageSource
from velvet_seam.demo.dressed import four_windows, the_foxs_aside, tonight_at_eight
from velvet_seam.demo.moving import (
    behind_the_curtain,
    cape_on_the_line,
    full_house,
    paper_star,
    tumble_echo,
)
from velvet_seam.demo.shelf import stock
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
    shots = (
        the_foxs_aside, four_windows, full_house, cape_on_the_line, tumble_echo, behind_the_curtain, paper_star, tonight_at_eight,
        the_backlit_dancer, moth_over_the_paper_sea,
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


def the_backlit_dancer(footage: dict[str, str]) -> Shot:
    """A double exposure: the dark figure before the sheet is filled with a paper night, by a matte
    of its own brightness; ink moves through the sheet, and embers rise from the dress."""
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
            clip("l-night", "Night", 3, "paper-sea", place=Place(x=540, y=1010, scale=112),
                 seam=Seam(matte=(shape,))),
            clip("l-embers", "Embers", 4, "embers", place=Place(x=540, y=760, scale=118),
                 seam=Seam(matte=(sparks,), blend="screen")),
            Layer(id="l-warm", name="Warm light", thread=5, source=ColourSource(colour="#e8a25a"),
                  span=whole, place=Place(x=540, y=960), seam=Seam(blend="soft-light", opacity=30)),
        ),
        sounds=(
            SoundTrack(id="t-waltz", name="Tin waltz", footage=footage["tin-waltz"], span=whole),
        ),
    )  # fmt: skip
