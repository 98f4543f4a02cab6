"""What *Save as files* wrote, taken out of its archive again, and its ids brought up to those it has here."""

from __future__ import annotations

import json
import zipfile
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from velvet_seam.core.formats.shot_file import MAX_BYTES, ShotFile, read_shot_file, sources_of
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.shot import Shot

_ROOM = 1 << 30
"""An archive holds at most as much more than its own size as this: media does not become smaller."""


def unpacked(archive: Path, folder: Path) -> ShotFile:
    """The shot of an archive, with its files below an empty folder. Only what the shot names is written there, under
    the names that it gives them.

    Raises:
        Problem: no archive, none of a shot, or one that holds far more than it is large.
    """
    try:
        with zipfile.ZipFile(archive) as held:
            return _unpacked(held, folder, archive.stat().st_size + _ROOM)
    except (zipfile.BadZipFile, NotImplementedError, EOFError, ValueError, RuntimeError) as error:
        if isinstance(error, Problem):
            raise
        raise Problem("This is not an archive of a shot, or it is damaged.") from None


def _unpacked(held: zipfile.ZipFile, folder: Path, most: int) -> ShotFile:
    try:
        about = held.getinfo("shot.json")
    except KeyError:
        raise Problem("This archive holds no shot: there is no shot.json in it.") from None
    if about.file_size > MAX_BYTES:
        raise Problem("The shot in this archive is too large.")
    text = held.read(about)
    (folder / "shot.json").write_bytes(text)
    document = _document(text)
    named = [
        one.file
        for family in ("footage", "tables")
        for one in sources_of(document.get(family)).values()
    ]
    for name in sorted(set(named)):
        try:
            one = held.getinfo(name)
        except KeyError:
            raise Problem(f"The source {name} is missing in the archive.") from None
        most -= one.file_size
        if most < 0:
            raise Problem("This archive holds far more than it is large, and is not opened.")
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        with held.open(one) as source, path.open("wb") as to:
            left = one.file_size
            while chunk := source.read(min(1 << 20, left + 1)):
                left -= len(chunk)
                if left < 0:
                    raise Problem("This archive holds more than it says, and is not opened.")
                to.write(chunk)
    return read_shot_file(folder / "shot.json")


def _document(text: bytes) -> dict[str, Any]:
    try:
        document = json.loads(text)
    except (ValueError, RecursionError):
        document = None
    if not isinstance(document, dict):
        raise Problem("The shot in this archive is not JSON.")
    return document


def brought_over(shot: Shot, ids: Mapping[str, str]) -> Shot:
    """A shot whose footage, tables and shots go by other ids."""

    def walked(part: Any, name: str = "") -> Any:
        if isinstance(part, dict):
            return {key: walked(one, key) for key, one in part.items()}
        if isinstance(part, list):
            return [walked(one) for one in part]
        return ids.get(part, part) if name in ("footage", "table") else part

    return Shot.model_validate(walked(shot.model_dump(mode="json")))
