"""Tables of colours that were brought in: a file each, named by what it holds."""

from __future__ import annotations

from collections import OrderedDict
from pathlib import Path

from velvet_seam.core.formats.cube_file import read_cube
from velvet_seam.core.picture.cube import Cube

HELD = 8
"""Tables that are kept in memory."""


class ColourTables:
    """All that were brought in. A table is never changed, so that the same file is the same id."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._folder.mkdir(exist_ok=True)
        self._held: OrderedDict[str, Cube] = OrderedDict()

    def path(self, identity: str) -> Path:
        return self._folder / f"{identity}.cube"

    def keep(self, data: bytes) -> tuple[str, str]:
        """Keep a ``.cube``; answers its id and its title.

        Raises:
            Problem: with a sentence, where it is none.
        """
        cube, title = read_cube(data)
        identity = f"u{cube.digest[:15]}"
        path = self.path(identity)
        if not path.exists():
            part = path.with_suffix(".part")
            part.write_bytes(data)
            part.replace(path)
        return identity, title

    def get(self, identity: str) -> Cube | None:
        """A table; None where it is not here, or cannot be read any more."""
        held = self._held.get(identity)
        if held is None:
            if not identity or not identity.isalnum():
                return None
            try:
                held, _ = read_cube(self.path(identity).read_bytes())
            except (OSError, ValueError):
                return None
            self._held[identity] = held
            while len(self._held) > HELD:
                self._held.popitem(last=False)
        self._held.move_to_end(identity)
        return held
