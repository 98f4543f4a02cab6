"""The folder in which everything lies: one place to keep, to move, to throw away."""

from __future__ import annotations

import contextlib
import fcntl
import secrets
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO

from velvet_seam.store import derived
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
        for part in ("footage", "renders", "incoming"):
            (self.root / part).mkdir(exist_ok=True)
        self.derived = derived.Derived(self.root / "derived")
        self.database = connect(self.root / "velvet-seam.sqlite")

    def original(self, file: str) -> Path:
        return self.root / "footage" / file

    def proxy(self, footage: str) -> Path:
        return self.derived.path(derived.PROXY, footage)

    def poster(self, footage: str) -> Path:
        return self.derived.path(derived.POSTER, footage)

    def strip(self, footage: str) -> Path:
        return self.derived.path(derived.STRIP, footage)

    def sound(self, footage: str) -> Path:
        return self.derived.path(derived.SOUND, footage)

    def wave(self, footage: str) -> Path:
        return self.derived.path(derived.WAVE, footage)

    def unsure(self, footage: str) -> Path:
        return self.derived.path(derived.UNSURE, footage)

    def first_look(self, footage: str) -> Path:
        return self.derived.path(derived.FIRST_LOOK, footage)

    def shot_strip(self, shot: str, seen_as: str) -> Path:
        return self.derived.path(derived.SHOT_STRIP, f"{shot}.{seen_as[:120]}")

    def forget_shot_strips(self, shot: str) -> None:
        self.derived.forget(shot, derived.SHOT_STRIP)

    def mix(self, key: str) -> Path:
        return self.derived.path(derived.MIX, key)

    def work_picture(self, job: str) -> Path:
        return self.derived.path(derived.WORK_PICTURE, job)

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
        """Renders that were being written when the program ended."""
        return list((self.root / "renders").glob("*.part"))

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
