"""The store as one thing: footage, shots, jobs, and what the engine and the mix ask of them."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np

from velvet_seam.core.media.material import Material
from velvet_seam.core.sound.decode import Sound, decode_sound
from velvet_seam.store.folder import Folder
from velvet_seam.store.footage import FootageShelf
from velvet_seam.store.jobs import Jobs
from velvet_seam.store.shots import Shots


class Library:
    """Everything that is kept below one folder."""

    def __init__(self, root: Path) -> None:
        self.folder = Folder(root)
        self.footage = FootageShelf(self.folder)
        self.shots = Shots()
        self.jobs = Jobs()

    def materials(self, *, preview: bool) -> Callable[[str], Material]:
        """A function from footage id to material, which keeps files open between frames."""
        held: dict[str, Material] = {}

        def material(identity: str) -> Material:
            known = held.get(identity)
            if known and (not preview or not known.moving or known.digest.endswith("/proxy")):
                return known
            item = self.footage.get(identity)
            proxy = self.folder.proxy(identity)
            if known and not proxy.exists():
                return known
            held[identity] = Material(identity, item.path, item.probe, preview=preview, proxy=proxy)
            return held[identity]

        return material

    def sound_of(self, identity: str) -> Sound | None:
        """The decoded sound of footage, or None where it has none."""
        item = self.footage.get(identity)
        if not item.probe.has_sound:
            return None
        path = self.folder.sound(identity)
        if path.exists():
            return np.asarray(np.load(path, mmap_mode="r"))
        return decode_sound(item.path)
