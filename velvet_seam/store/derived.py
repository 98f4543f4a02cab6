"""Derived files: what can be made again at any time, each under what it was made from and by which method.

All of them may be thrown away. When a program starts, those of another version of their method, and of what is
no longer there, go; and what footage lacks is made again.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from velvet_seam.core.media.probe import Probe


@dataclass(frozen=True)
class Kind:
    """A kind of derived file.

    Args:
        version: of the method that makes it; a new one makes all of them anew.
        of: whether it is made from footage, and when that is brought in, or from a shot or a render, when it is
            asked for.
    """

    name: str
    suffix: str
    of: Literal["footage", "shot", "render"]
    version: int = 1

    @property
    def ending(self) -> str:
        again = "" if self.version == 1 else f"-{self.version}"
        return f".{self.name}{again}{self.suffix}"


PROXY = Kind("proxy", ".mp4", "footage", 2)
POSTER = Kind("poster", ".jpg", "footage", 2)
STRIP = Kind("strip", ".jpg", "footage")
"""Sixteen frames side by side, for scrubbing under the pointer."""
SOUND = Kind("sound", ".npy", "footage", 2)
"""The decoded sound, 48 kHz stereo float32, to be mapped into memory; made when it is first heard."""
WAVE = Kind("wave", ".json", "footage", 2)
"""Peaks of the sound for drawing, a JSON list of numbers in 0 to 1."""
UNSURE = Kind("unsure", ".jpg", "footage")
"""Where a clean plate is unsure."""
FIRST_LOOK = Kind("look", ".json", "footage")
SHOT_STRIP = Kind("shot", ".jpg", "shot")
"""Frames of a shot side by side, as it stood at a revision."""
MIX = Kind("mix", ".wav", "shot", 2)
"""The mix of a shot, under what it was made from."""
WORK_PICTURE = Kind("work", ".jpg", "render")
"""The frame a render is working on."""

KINDS: tuple[Kind, ...] = (
    PROXY, POSTER, STRIP, SOUND, WAVE, UNSURE, FIRST_LOOK, SHOT_STRIP, MIX, WORK_PICTURE,
)  # fmt: skip
"""All kinds; a new one is named here."""


def needed(probe: Probe) -> tuple[Kind, ...]:
    """What footage has to have to be ready.

    >>> [kind.name for kind in needed(Probe(kind="still", format="PNG", width=4, height=4))]
    ['poster', 'strip']
    """
    kinds = {
        "clip": (PROXY, POSTER, STRIP, FIRST_LOOK), "still": (POSTER, STRIP), "sound": (FIRST_LOOK,)
    }[probe.kind]  # fmt: skip
    return (*kinds, WAVE) if probe.has_sound else kinds


class Derived:
    """The folder of all derived files."""

    def __init__(self, root: Path) -> None:
        self.root = root
        self.root.mkdir(exist_ok=True)

    def path(self, kind: Kind, made_from: str) -> Path:
        return self.root / f"{made_from}{kind.ending}"

    def forget(self, made_from: str, kind: Kind | None = None) -> None:
        """Throw away what was made from something, whatever version of it."""
        for path in self.root.glob(f"{made_from}.*{kind.ending if kind else ''}"):
            path.unlink(missing_ok=True)

    def lacks(self, footage: str, probe: Probe) -> bool:
        """Whether footage is not ready to be worked with."""
        return any(not self.path(kind, footage).exists() for kind in needed(probe))

    def sweep(self) -> None:
        """Throw away what no program of this version asks for, and what was being written."""
        endings = tuple(kind.ending for kind in KINDS)
        for path in self.root.iterdir():
            if not path.name.endswith(endings):
                path.unlink(missing_ok=True)
