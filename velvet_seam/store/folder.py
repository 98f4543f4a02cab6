"""The folder in which everything lies: one place to keep, to move, to throw away."""

from __future__ import annotations

import contextlib
import fcntl
import secrets
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO

from velvet_seam.store.tables import connect


def new_id(letter: str) -> str:
    """A fresh id that starts with a letter: 60 random bits, so that ids never meet.

    >>> len(new_id("f")), new_id("f")[0]
    (16, 'f')
    """
    return letter + secrets.token_hex(8)[:15]


class Folder:
    """Paths below one folder. Names of files in it are made here, never outside."""

    def __init__(self, root: Path) -> None:
        self.root = root.resolve()
        self.root.mkdir(parents=True, exist_ok=True)
        with contextlib.suppress(OSError):  # a disk without owners
            self.root.chmod(0o700)  # what is kept here is its owner's alone
        for part in ("footage", "derived", "renders", "incoming"):
            (self.root / part).mkdir(exist_ok=True)
        self.database = connect(self.root / "velvet-seam.sqlite")

    def original(self, file: str) -> Path:
        return self.root / "footage" / file

    def proxy(self, footage: str) -> Path:
        return self.root / "derived" / f"{footage}.proxy.mp4"

    def poster(self, footage: str) -> Path:
        return self.root / "derived" / f"{footage}.poster.jpg"

    def strip(self, footage: str) -> Path:
        """Sixteen frames side by side, for scrubbing under the pointer."""
        return self.root / "derived" / f"{footage}.strip.jpg"

    def sound(self, footage: str) -> Path:
        """The decoded sound, 48 kHz stereo float32, to be mapped into memory."""
        return self.root / "derived" / f"{footage}.sound.npy"

    def wave(self, footage: str) -> Path:
        """Peaks of the sound for drawing, a JSON list of numbers in 0 to 1."""
        return self.root / "derived" / f"{footage}.wave.json"

    def first_look(self, footage: str) -> Path:
        return self.root / "derived" / f"{footage}.look.json"

    def shot_strip(self, shot: str, revision: int) -> Path:
        """Frames of a shot side by side, as it stood at a revision."""
        return self.root / "derived" / f"{shot}.{revision}.shot.jpg"

    def forget_shot_strips(self, shot: str) -> None:
        for path in (self.root / "derived").glob(f"{shot}.*.shot.jpg"):
            path.unlink(missing_ok=True)

    def mix(self, key: str) -> Path:
        """The mix of a shot, under what it was made from."""
        return self.root / "derived" / f"{key}.mix.wav"

    def render(self, file: str) -> Path:
        return self.root / "renders" / file

    def ranges(self, job: str) -> Path:
        """The folder of what a render has finished so far."""
        return self.root / "renders" / f"{job}.ranges"

    def all_ranges(self) -> list[Path]:
        return list((self.root / "renders").glob("*.ranges"))

    def originals(self) -> list[Path]:
        return list((self.root / "footage").iterdir())

    def parts(self) -> list[Path]:
        """Files that were being written when the program ended."""
        return [p for name in ("derived", "renders") for p in (self.root / name).glob("*.part")]

    def work_picture(self, job: str) -> Path:
        """The frame a render is working on."""
        return self.root / "derived" / f"{job}.work.jpg"

    @contextmanager
    def only_one(self, kind: str) -> Iterator[None]:
        """Waits until no other process does work of this kind in the folder."""
        with (self.root / f"{kind}.lock").open("w") as file:
            fcntl.flock(file, fcntl.LOCK_EX)
            yield

    def lead(self) -> IO[str] | None:
        """The first program on this folder may clear up what others left behind, for as long as it holds what
        it gets; a second one beside it gets nothing."""
        file = (self.root / "lead.lock").open("w")
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            file.close()
            return None
        return file

    def incoming(self) -> Path:
        return self.root / "incoming" / new_id("u")
