"""The demo: the footage of the Tin Lantern and the shots made from it."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

from velvet_seam.core.media.probe import probe
from velvet_seam.core.shot.layer import ColourSource, FootageSource, Layer, Place, SoundTrack, Span
from velvet_seam.core.shot.seam import BoxMask, ScreenKey, Seam
from velvet_seam.core.shot.shot import Canvas, Shot
from velvet_seam.demo.draw import FOLDER
from velvet_seam.store.library import Library
from velvet_seam.work.prepare import prepare

FILES = (
    "stage-empty.mp4", "tin-waltz.wav", "moon-still.png", "embers.mp4", "moth-on-card.mp4",
    "paper-sea.mp4",
)  # fmt: skip


def fill(root: Path, say: Callable[[str], None] = print) -> Library:
    """Fill a folder with the demo where it is empty; returns its library."""
    library = Library(root)
    held = {item.name: item.id for item in library.footage.all() if item.shelf}
    for file in FILES:
        name = file.rsplit(".", 1)[0]
        if name in held:
            continue
        say(f"  making {name} ready")
        incoming = library.folder.incoming()
        shutil.copyfile(FOLDER / file, incoming)
        item = library.footage.add(incoming, name, probe(incoming), shelf=True)
        prepare(library, item)
        held[name] = item.id
    if not library.shots.all():
        library.shots.add(moth_over_the_paper_sea(held))
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
                    BoxMask(id="m-card", x=-36, y=0, width=1024, height=1900, feather=4),
                    BoxMask(id="m-stick", x=0, y=-120, width=1300, height=780, feather=90),
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
