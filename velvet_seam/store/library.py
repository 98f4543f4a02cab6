"""The store as one thing: footage, shots, jobs, and what the engine and the mix ask of them."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import numpy as np

from velvet_seam.core.engine.nested import Nested, levels, nested_ids
from velvet_seam.core.media.material import Material, Missing
from velvet_seam.core.media.probe import Probe
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.sound.decode import Sound, write_sound
from velvet_seam.core.sound.mix import Sounds, mix
from velvet_seam.store.arrivals import Arrivals
from velvet_seam.store.colour_tables import ColourTables
from velvet_seam.store.folder import Folder
from velvet_seam.store.footage import FootageItem, FootageShelf
from velvet_seam.store.jobs import Jobs
from velvet_seam.store.kept_looks import KeptLooks
from velvet_seam.store.regions import Regions
from velvet_seam.store.shots import Shots, Standing
from velvet_seam.store.tables import database

_PIXELS_A_SECOND = 1e8
MOST_MIXES = 4


def cost_of(probe: Probe) -> float:
    """About how many seconds it takes to make footage ready.

    >>> cost_of(Probe(kind="clip", format="x", width=1000, height=1000, times=list(range(200))))
    2.0
    """
    return probe.width * probe.height * max(1, probe.frames) / _PIXELS_A_SECOND


class Library:
    """Everything that is kept below one folder."""

    def __init__(self, root: Path) -> None:
        self.folder = Folder(root)
        self.shots = Shots()
        self.footage = FootageShelf(self.folder, self.shots)
        self._mixes: dict[str, Sound] = {}
        self.arrivals = Arrivals(self.folder)
        self.jobs = Jobs()
        self.looks = KeptLooks()
        self.tables = ColourTables(self.folder.root / "tables")
        self.regions = Regions(self.folder.root / "regions.sqlite")

    def take_in(
        self, incoming: Path, name: str, probe: Probe, *, shelf: bool = False, licence: str = "",
        whenever: bool = False,
    ) -> FootageItem:  # fmt: skip
        """Take over a probed file, and queue what makes it ready: both, or neither."""
        with database.atomic("IMMEDIATE"):
            item = self.footage.add(incoming, name, probe, shelf=shelf, licence=licence)
            try:
                self.prepare_again(item, whenever)
            except BaseException:
                item.path.replace(incoming)
                raise
        return item

    def prepare_again(self, item: FootageItem, whenever: bool = False) -> None:
        self.jobs.add(
            "prepare", item.id, item.name, total=item.probe.frames, whenever=whenever,
            cost=cost_of(item.probe),
        )  # fmt: skip

    def clear_up(self) -> None:
        """At the start of a program: what an earlier one left when it was killed."""
        self.arrivals.forget_old()
        self.regions.sweep()
        derived = self.folder.derived
        derived.sweep()
        waiting = self.jobs.open_for("prepare")
        for item in self.footage.all():
            if item.missing or item.id in waiting:
                continue
            if item.ready and derived.lacks(item.id, item.probe):
                self.footage.set_unready(item.id)
                self.prepare_again(item, whenever=True)
            elif not item.ready:
                self.prepare_again(item)
        going_on = {
            job.id for job in self.jobs.all("render") if job.state not in ("done", "cancelled")
        }
        for folder in self.folder.all_ranges():
            if folder.name.removesuffix(".ranges") not in going_on:
                shutil.rmtree(folder, ignore_errors=True)
        known = self.footage.files()
        for path in self.folder.originals():
            if path.name not in known:
                path.unlink(missing_ok=True)
        self.forget_unfinished()

    def forget_unfinished(self) -> None:
        """What was being written when the work on it was ended; it is begun again."""
        self.folder.derived.sweep()
        for path in self.folder.parts():
            path.unlink(missing_ok=True)

    def materials(
        self, *, preview: bool, steady: bool = False
    ) -> Callable[[str], Material | Missing | Nested]:
        """A function from footage id to material, which keeps files open between frames.

        Where a file is missing, a preview shows a placeholder; without ``preview`` it is a Problem. A nested shot
        is seen as it stands; where a file is written of it, ``steady``, as it stood when it was first asked for.
        """
        held: dict[str, Material] = {}
        nested: dict[str, Nested] = {}
        seen_at: dict[str, tuple[int, ...]] = {}

        def shot(identity: str) -> Nested:
            version = self.shots.version()
            if identity in nested and seen_at[identity] == version:
                return nested[identity]
            seen_at[identity] = version
            return shot_now(identity)

        def shot_now(identity: str) -> Nested:
            made = nested.get(identity)
            if made is not None and steady:
                return made
            standing = self.shots.get(identity).shot
            # what lies deeper may have become another one, too
            if made is None or made.shot is not standing or nested_ids(standing):
                made = nested[identity] = Nested(standing, lambda one: material(one).digest)
            return made

        def material(identity: str) -> Material | Missing | Nested:
            if identity in nested and seen_at[identity] == self.shots.version():
                return nested[identity]
            if identity.startswith("s") and (item := self.footage.get(identity)).nested:
                if not item.missing:
                    return shot(identity)
                if preview:
                    return Missing(identity, item.probe)
                raise Problem(f"{item.complaint} Take it out of the shot, or undo its removal.")
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
        if item.nested:
            return self._mix_of(identity)
        path = self.folder.sound(identity)
        if not path.exists():
            if item.missing:
                return None
            write_sound(item.path, path)
        return np.asarray(np.load(path, mmap_mode="r"))

    def _mix_of(self, identity: str) -> Sound:
        """What is heard of a shot that lies in another one; the last ones are held."""
        shot = self.shots.get(identity).shot
        key = self.nested_digest(identity)
        if key not in self._mixes:
            if len(self._mixes) >= MOST_MIXES:
                self._mixes.pop(next(iter(self._mixes)))
            self._mixes[key] = mix(shot, self.sounds)
        return self._mixes[key]

    def nested_digest(self, identity: str) -> str:
        """What a nested shot is made of."""

        if self.footage.get(identity).missing:
            return identity
        shot = self.shots.get(identity).shot
        deeper = nested_ids(shot)
        return Nested(shot, lambda one: self.nested_digest(one) if one in deeper else one).digest

    def inside(self, identity: str) -> set[str]:
        """All shots that lie in a shot, however deep."""
        found: set[str] = set()
        waiting = [identity]
        while waiting:
            try:
                new = nested_ids(self.shots.get(waiting.pop()).shot) - found
            except Problem:
                continue
            found |= new
            waiting += new
        return found

    def seen_as(self, standing: Standing) -> str:
        """What a shot's pictures are of: its revision, and what lies in it."""
        shown = sorted(nested_ids(standing.shot))
        return "-".join([str(standing.revision), *(self.nested_digest(one)[:8] for one in shown)])

    def check_nesting(self, identity: str, shot: Shot) -> None:
        """Raises a Problem where a shot, as it is to be, would lie in itself."""
        others = lambda one: shot if one == identity else self.shots.get(one).shot  # noqa: E731
        levels(identity, others)

    def length_of(self, identity: str) -> Fraction:
        """Seconds of footage, as far as its file is to be believed."""
        return self.footage.get(identity).probe.length

    @property
    def sounds(self) -> Sounds:
        """What every mix asks, for play, for a render and for its loudness alike."""
        return Sounds(self.sound_of, self.length_of)
