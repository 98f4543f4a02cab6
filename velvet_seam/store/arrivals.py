"""Files on their way in: what has arrived stays when the connection or the program breaks off."""

from __future__ import annotations

import hashlib
import json
import re
import time
from pathlib import Path

from velvet_seam.core.problem import Problem
from velvet_seam.store.folder import Folder

MAX_BYTES = 8 << 30
KEPT_DAYS = 3


class Arrivals:
    """Unfinished files in the incoming folder, each with a note of what it will be.

    The same file of the same name, size and time of change is the same arrival, so sending it
    again goes on where it broke off.
    """

    def __init__(self, folder: Folder) -> None:
        self._root = folder.root / "incoming"

    def begin(self, name: str, size: int, modified: int) -> tuple[str, int]:
        """An arrival and how many of its bytes are here already.

        Raises:
            Problem: it will be larger than can be taken in.
        """
        if size > MAX_BYTES:
            raise Problem(f"{name} is larger than {MAX_BYTES >> 30} GB and was not taken in.")
        digest = hashlib.sha256(f"{name}\n{size}\n{modified}".encode()).hexdigest()
        identity = "a" + digest[:24]
        note = self._root / f"{identity}.json"
        note.write_text(json.dumps({"name": name, "size": size}))
        path = self.path(identity)
        path.touch()
        return identity, path.stat().st_size

    def path(self, identity: str) -> Path:
        if not re.fullmatch(r"a[0-9a-f]{24}", identity):
            raise Problem("That file is no longer on its way.")
        return self._root / f"{identity}.arriving"

    def about(self, identity: str) -> tuple[str, int, int]:
        """Name, whole size, and how many bytes are here."""
        path = self.path(identity)
        try:
            note = json.loads((self._root / f"{identity}.json").read_text())
            return str(note["name"]), int(note["size"]), path.stat().st_size
        except (OSError, ValueError, KeyError):
            raise Problem("That file is no longer on its way. Send it again.") from None

    def forget(self, identity: str) -> None:
        self.path(identity).unlink(missing_ok=True)
        (self._root / f"{identity}.json").unlink(missing_ok=True)

    def forget_old(self) -> None:
        """What nobody has gone on with for days goes."""
        for path in self._root.iterdir():
            if time.time() - path.stat().st_mtime > KEPT_DAYS * 86_400:
                path.unlink(missing_ok=True)
