"""A shot as footage of another one."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from hashlib import blake2b

from velvet_seam.core.media.probe import Probe
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.shot.written import written
from velvet_seam.core.sources import BakedSource, NestedSource
from velvet_seam.core.steps import Picture

MOST_LEVELS = 16
"""So deep shots may lie in each other."""


class Nested:
    """A shot by frame number (``steps.Footage``); its pictures are planned from its layers, and never read.

    Its ``digest`` says all that its pictures are made of: its document, and the digests of what it shows.
    """

    moving = True
    in_planes = False

    def __init__(self, shot: Shot, digest_of: Callable[[str], str]) -> None:
        self.shot = shot
        self.probe = probe_of(shot)
        self.width, self.height = shot.canvas.width, shot.canvas.height
        self.picture_size = self.width, self.height
        shown = [digest_of(identity) for identity in sorted(shot.footage_ids())]
        whole = "\n".join([written(shot).digest, *shown])
        self.digest = blake2b(whole.encode(), digest_size=16).hexdigest()

    @property
    def frames(self) -> int:
        return self.shot.length

    @property
    def length(self) -> Fraction:
        return self.shot.length / self.shot.rate

    def frame_at(self, time: Fraction) -> int:
        return min(max(0, int(time * self.shot.rate)), self.shot.length - 1)

    def begins(self, number: int) -> Fraction:
        return number / self.shot.rate

    def read(self, number: int) -> Picture:
        raise Problem("A shot has no file to read pictures from.")

    def read_planes(self, number: int) -> Picture:
        return self.read(number)

    @property
    def small(self) -> Nested:
        return self


def probe_of(shot: Shot, sounding: bool = False) -> Probe:
    """A shot's facts as those of a clip.

    >>> from velvet_seam.core.shot.shot import Canvas
    >>> shot = Shot(name="s", canvas=Canvas(width=64, height=36), rate="25", length=50)
    >>> told = probe_of(shot)
    >>> told.length, told.width, told.has_sound
    (Fraction(2, 1), 64, False)
    """
    return Probe(
        kind="clip", format="shot", width=shot.canvas.width, height=shot.canvas.height,
        rate=shot.rate, regular=True, times=list(range(shot.length)), tick=1 / shot.rate,
        sound_channels=2 if sounding else 0, seconds=float(shot.length / shot.rate),
        alpha=shot.canvas.background == "none",
    )  # fmt: skip


def nested_ids(shot: Shot) -> set[str]:
    """The shots that a shot shows, or would show if they were unbaked."""
    sources = [layer.source for layer in shot.layers]
    shown = {source.footage for source in sources if isinstance(source, NestedSource)}
    return shown | {source.of for source in sources if isinstance(source, BakedSource)}


def levels(identity: str, shot_of: Callable[[str], Shot], above: tuple[str, ...] = ()) -> int:
    """How deep shots lie in a shot; 0 where none does.

    Raises:
        Problem: one of them lies in itself, or they lie too deep.
    """
    if identity in above:
        raise Problem(f"{shot_of(identity).name} would lie in itself. Nothing was changed.")
    if len(above) > MOST_LEVELS:
        raise Problem(f"Shots lie in each other at most {MOST_LEVELS} deep. Nothing was changed.")
    inside = nested_ids(shot_of(identity))
    return max((1 + levels(one, shot_of, (*above, identity)) for one in inside), default=0)
