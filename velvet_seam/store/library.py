"""The store as one thing: footage, shots, jobs, and what the engine and the mix ask of them."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np

from velvet_seam.core.media.material import Material, Missing
from velvet_seam.core.problem import Problem
from velvet_seam.core.sound.decode import Sound, decode_sound
from velvet_seam.store.arrivals import Arrivals
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
        self.arrivals = Arrivals(self.folder)
        self.jobs = Jobs()

    def materials(self, *, preview: bool) -> Callable[[str], Material | Missing]:
        """A function from footage id to material, which keeps files open between frames.

        Where a file is missing, a preview shows a placeholder; without ``preview`` it is a Problem.
        """
        held: dict[str, Material] = {}

        def material(identity: str) -> Material | Missing:
            known = held.get(identity)
            if known and (not preview or not known.moving or known.digest.endswith("/proxy")):
                return known
            item = self.footage.get(identity)
            proxy = self.folder.proxy(identity)
            if known and not proxy.exists():
                return known
            if item.missing and not (preview and item.probe.kind == "clip" and proxy.exists()):
                if preview:
                    return Missing(identity, item.probe)  # not held: it may be found again
                raise Problem(f"{item.complaint} Find it again on the footage page.")
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
        if item.missing:
            return None
        return decode_sound(item.path)
