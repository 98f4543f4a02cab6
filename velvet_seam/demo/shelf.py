"""The shelf: footage and sounds that ship with the application, drawn and composed by the project."""

from __future__ import annotations

import shutil
from collections.abc import Callable

from velvet_seam.core.media.probe import probe
from velvet_seam.demo.draw import FOLDER
from velvet_seam.store.footage import FootageItem
from velvet_seam.store.library import Library

FILES = (
    "smoke-trail.mp4", "fox-in-fur.mp4", "tin-cart.mp4",
    "talk-plate.jpg", "fox-and-hare-talk-b.mp4", "fox-and-hare-talk-a.mp4", "fox-knocked.mp4",
    "squeak.wav", "sheet-thunder.wav", "drum-roll.wav", "cracked-varnish.jpg", "lantern-flare.mp4", "glitter-burst.mp4",
    "rail-parade.mp4", "lantern-walk.mp4", "hare.mp4", "paper-town.jpg",
    "stage-empty.mp4", "fox-left.mp4", "fox-right.mp4", "cut-hand-still.jpg", "acrobat-on-blue.mp4",
    "dancer-backlit.mp4", "ink-in-milk.mp4", "tonight-card.mp4", "tin-waltz.wav", "moon-still.png",
    "curtain-pass.mp4", "whoosh.wav", "embers.mp4", "moth-on-card.mp4", "paper-sea.mp4",
)  # fmt: skip

LICENCE = "CC0 1.0"
"""Drawn and composed by this project, given to the public domain; see footage/LICENCE.md."""


def stock(library: Library, each: Callable[[FootageItem], None]) -> dict[str, str]:
    """Put on the shelf what is not there yet; ids by name. ``each`` makes a new one ready."""
    held = {item.name: item.id for item in library.footage.all() if item.shelf}
    for file in FILES:
        name = file.rsplit(".", 1)[0]
        if name in held:
            continue
        incoming = library.folder.incoming()
        shutil.copyfile(FOLDER / file, incoming)
        found = probe(incoming)
        item = library.take_in(incoming, name, found, shelf=True, licence=LICENCE, whenever=True)
        each(item)
        held[name] = item.id
    return held
