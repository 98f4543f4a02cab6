"""Files on their way in: what has arrived stays when the connection or the program breaks off."""

from __future__ import annotations

import hashlib
import json
import re
import time
import zlib
from pathlib import Path

from velvet_seam.core.problem import Gone, Problem
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
            raise Gone("That file is no longer on its way.")
        return self._root / f"{identity}.arriving"

    def about(self, identity: str) -> tuple[str, int, int]:
        """Name, whole size, and how many bytes are here."""
        path = self.path(identity)
        try:
            note = json.loads((self._root / f"{identity}.json").read_text())
            return str(note["name"]), int(note["size"]), path.stat().st_size
        except (OSError, ValueError, KeyError):
            raise Gone("That file is no longer on its way. Send it again.") from None

    def checked(self, identity: str, crc: int | None) -> None:
        """Compare what has arrived with what was to come, before it is used.

        Args:
            crc: CRC-32 of the whole, where the sender knows it.

        Raises:
            Problem: it is not all here; or it is another file than was sent, and has been thrown away.
        """
        name, size, have = self.about(identity)
        if have < size:
            raise Problem(f"{name} is not here yet: {have} of {size} bytes have arrived.")
        if have > size or (crc is not None and crc != crc_of(self.path(identity))):
            self.forget(identity)
            raise Problem(
                f"{name} arrived other than it was sent, and was thrown away. Send it again."
            )

    def forget(self, identity: str) -> None:
        self.path(identity).unlink(missing_ok=True)
        (self._root / f"{identity}.json").unlink(missing_ok=True)

    def forget_old(self) -> None:
        """What nobody has gone on with for days goes, and what a killed program left at once: only what is
        announced can be gone on with."""
        for path in self._root.iterdir():
            announced = re.fullmatch(r"a[0-9a-f]{24}\.(json|arriving)", path.name)
            if not announced or time.time() - path.stat().st_mtime > KEPT_DAYS * 86_400:
                path.unlink(missing_ok=True)


def crc_of(path: Path) -> int:
    """CRC-32 of a file, as of ISO 3309 and PNG."""
    crc = 0
    with path.open("rb") as file:
        while block := file.read(1 << 20):
            crc = zlib.crc32(block, crc)
    return crc
