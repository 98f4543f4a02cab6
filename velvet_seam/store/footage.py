"""Footage in the store."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

from pydantic import ValidationError

from velvet_seam.core.analyse.first_look import FirstLook
from velvet_seam.core.engine.nested import probe_of
from velvet_seam.core.media.probe import Probe
from velvet_seam.core.problem import Gone, Problem
from velvet_seam.core.words import NAME_LENGTH, clean_name
from velvet_seam.store.folder import Folder, new_id
from velvet_seam.store.shots import Shots
from velvet_seam.store.tables import FootageRow

_SUFFIXES = {"PNG": ".png", "JPEG": ".jpg", "WEBP": ".webp", "TIFF": ".tif", "mov": ".mp4",
             "matroska": ".mkv", "wav": ".wav", "mp3": ".mp3", "flac": ".flac", "ogg": ".ogg"}  # fmt: skip


@dataclass(frozen=True)
class FootageItem:
    """One piece of footage as the rest of the program sees it."""

    id: str
    name: str
    path: Path
    bytes: int
    probe: Probe
    ready: bool
    shelf: bool
    licence: str = ""

    @property
    def stem(self) -> str:
        """Its name without what says what kind of file it is; a shot is no file."""
        return self.name if self.nested else self.name.rsplit(".", 1)[0] or self.name

    @property
    def missing(self) -> bool:
        """Its file is not where it was kept: moved, deleted, or on a disk that is not there."""
        return not self.path.exists()

    @property
    def complaint(self) -> str:
        if self.nested:
            return f"{self.name} cannot be shown."
        return f"{self.name} is missing: its file is no longer in the folder."

    @property
    def nested(self) -> bool:
        """It is a shot, shown inside another one."""
        return self.probe.format == "shot"


def shown_name(given: str) -> str:
    """A name for footage from the name its file had: cleaned, without folders, at most so long.

    >>> shown_name("../../etc/my “best”  take.mov"), len(shown_name("x" * 300))
    ('my “best” take.mov', 120)
    """
    last = clean_name(given.replace("\\", "/").rsplit("/", 1)[-1]) or "Untitled"
    return last if len(last) <= NAME_LENGTH else last[: NAME_LENGTH - 1] + "…"


class FootageShelf:
    """The footage table and its files."""

    def __init__(self, folder: Folder, shots: Shots) -> None:
        self._folder, self._shots = folder, shots
        self._held: dict[str, FootageItem] = {}

    def add(
        self, incoming: Path, name: str, probe: Probe, *, shelf: bool = False, licence: str = ""
    ) -> FootageItem:
        """Take a probed file over: it moves to a generated name."""
        identity = new_id("f")
        file = identity + _SUFFIXES.get(probe.format, ".media")
        size, kept = incoming.stat().st_size, self._folder.original(file)
        incoming.replace(kept)
        try:
            FootageRow.create(
                id=identity, name=shown_name(name), file=file, bytes=size,
                probe=probe.model_dump_json(), shelf=shelf, licence=licence,
            )  # fmt: skip
        except BaseException:
            kept.replace(incoming)
            raise
        return self.get(identity)

    def files(self) -> set[str]:
        """The names of all files that belong to footage."""
        rows: Iterable[FootageRow] = FootageRow.select(FootageRow.file)
        return {row.file for row in rows}

    def put_back(self, identity: str, incoming: Path, probe: Probe) -> FootageItem:
        """Give missing footage its file again.

        Raises:
            Problem: it is not missing, or the file is not the one that is missed.
        """
        item = self.get(identity)
        if not item.missing:
            raise Problem(f"{item.name} is not missing. Nothing was changed.")
        alike = ("kind", "width", "height", "rate", "times", "tick", "sound_rate")
        if any(getattr(probe, name) != getattr(item.probe, name) for name in alike):
            raise Problem(
                f"This is not {item.name}: it has {_facts(probe)}, the missing one "
                f"{_facts(item.probe)}. Bring it in as new footage to use it instead."
            )
        incoming.replace(item.path)
        FootageRow.update(removed=False, bytes=item.path.stat().st_size).where(
            FootageRow.id == identity
        ).execute()
        self._held.pop(identity, None)
        return self.get(identity)

    def get(self, identity: str) -> FootageItem:
        """Footage by id; a :class:`Problem` where there is none."""
        held = self._held.get(identity)
        if held:
            return held
        row = FootageRow.get_or_none(FootageRow.id == identity)
        if row is None:
            return self._shot(identity)
        item = self._item(row)
        if item.ready:  # what is ready does not change any more
            self._held[identity] = item
        return item

    def _shot(self, identity: str) -> FootageItem:
        """A shot, as footage of another one."""
        if not identity.startswith("s"):
            raise Gone("That footage is no longer here.")
        try:
            shot = self._shots.get(identity).shot
        except Gone:  # undo may bring back a layer that shows it
            gone = Probe(kind="clip", format="shot", width=1080, height=1920, times=[0])
            nowhere = self._folder.root / identity
            return FootageItem(identity, "A shot that was removed", nowhere, 0, gone, True, False)
        sounding = bool(shot.sounds) or any(
            layer.sound.on and self._sounds(layer.source.shows) for layer in shot.layers
        )
        return FootageItem(
            identity, shot.name, self._folder.root, 0, probe_of(shot, sounding), True, False
        )

    def _sounds(self, shown: str | None) -> bool:
        try:
            return shown is not None and self.get(shown).probe.has_sound
        except Problem:
            return False

    def all(self) -> list[FootageItem]:
        """All footage, the newest first."""
        rows: Iterable[FootageRow] = (
            FootageRow.select().where(~FootageRow.removed).order_by(FootageRow.added.desc())
        )
        return [self._item(row) for row in rows]

    def first_look(self, identity: str) -> FirstLook | None:
        """What the first look found, once it is done."""
        path = self._folder.first_look(identity)
        try:
            return FirstLook.model_validate_json(path.read_bytes())
        except (OSError, ValidationError):
            return None

    def set_ready(self, identity: str) -> None:
        FootageRow.update(ready=True).where(FootageRow.id == identity).execute()

    def set_unready(self, identity: str) -> None:
        """Something that is made from it is no longer there."""
        FootageRow.update(ready=False).where(FootageRow.id == identity).execute()
        self._held.pop(identity, None)

    def set_unheard(self, identity: str) -> None:
        """The sound of a clip cannot be decoded: it is used as one that has none."""
        probe = self.get(identity).probe.model_copy(update={"sound_channels": 0})
        FootageRow.update(probe=probe.model_dump_json()).where(FootageRow.id == identity).execute()
        self._held.pop(identity, None)

    def remove(self, identity: str, shots: Shots) -> None:
        """Remove footage and its files; refused while a shot uses it."""
        item = self.get(identity)
        users = [name for _, name in shots.using(identity)]
        if users:
            names = ", ".join(f"“{name}”" for name in users[:3])
            raise Problem(f"{item.name} is used in {names} and was kept. Remove it there first.")
        FootageRow.update(removed=True, ready=False).where(FootageRow.id == identity).execute()
        self._held.pop(identity, None)
        item.path.unlink(missing_ok=True)
        self._folder.derived.forget(identity)

    def _item(self, row: FootageRow) -> FootageItem:
        return FootageItem(
            id=row.id,
            name=row.name,
            path=self._folder.original(row.file),
            bytes=row.bytes,
            probe=Probe.model_validate_json(row.probe),
            ready=row.ready,
            shelf=row.shelf,
            licence=row.licence,
        )


def _facts(probe: Probe) -> str:
    """A few numbers by which two files are told apart.

    >>> _facts(Probe(kind="still", format="PNG", width=64, height=48))
    '64 × 48 pixels'
    """
    size = f"{probe.width} × {probe.height} pixels"
    if probe.kind == "sound":
        return f"{probe.seconds:.2f} s of sound at {probe.sound_rate} Hz"
    return f"{size} and {probe.frames} frames" if probe.kind == "clip" else size
