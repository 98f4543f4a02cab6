"""A track: where a point, or the corners of a plane, of a clip lie in each of its frames."""

from __future__ import annotations

from functools import cached_property
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import ConfigDict, Field, field_validator, model_validator

from velvet_seam.core.words import Id, Name, Part

MOST_FRAMES = 20_000

REACH = 3.0
"""Spreads within which a Gaussian is taken."""


class Track(Part):
    """Measured in the pixels and frames of its layer's own clip, so that it stays right however the layer is placed,
    trimmed or slowed.

    >>> made = Track(id="t-a", name="Nose", first=4, path=((0, 0), None, (4, 2)), by_hand=(4,))
    >>> made.at(5).tolist(), made.at(4.5).tolist(), made.at(99).tolist(), made.lost
    ([[2.0, 1.0]], [[1.0, 0.5]], [[4.0, 2.0]], (5,))
    """

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)

    id: Id
    name: Name
    kind: Literal["point", "plane"] = "point"
    size: float = Field(
        96.0, ge=8, le=4096, description="side of what is looked at around a point, source pixels"
    )
    first: int = Field(ge=0, le=10_000_000, description="the source frame that the path begins at")
    path: tuple[tuple[float, ...] | None, ...] = Field(
        min_length=1, max_length=MOST_FRAMES,
        description="for each source frame x and y, source pixels: of the point, or of four corners clockwise from the "
        "top left; null where it is lost",
    )  # fmt: skip
    by_hand: tuple[int, ...] = Field(
        (), max_length=2000, description="source frames where it was set by hand"
    )
    again: tuple[int, ...] = Field(
        (), max_length=MOST_FRAMES, description="source frames where it was found again"
    )
    smooth: float = Field(0.0, ge=0, le=30, description="frames over which its path is smoothed")

    @field_validator("by_hand", "again")
    @classmethod
    def _in_order(cls, frames: tuple[int, ...]) -> tuple[int, ...]:
        return tuple(sorted(set(frames)))

    @model_validator(mode="after")
    def _whole(self) -> Track:
        count = 2 if self.kind == "point" else 8
        if any(one is not None and len(one) != count for one in self.path):
            raise ValueError(f"each place of a {self.kind} has {count} numbers")
        if all(one is None for one in self.path):
            raise ValueError("it is known on one frame at least")
        return self

    @property
    def last(self) -> int:
        return self.first + len(self.path) - 1

    @property
    def lost(self) -> tuple[int, ...]:
        """Source frames where it is lost."""
        return tuple(self.first + n for n, one in enumerate(self.path) if one is None)

    @cached_property
    def places(self) -> NDArray[np.float64]:
        """(frames, points, 2): between two frames where it is known it goes straight, beyond the outer ones it holds;
        smoothed, where it is to be."""
        known = np.array([n for n, one in enumerate(self.path) if one is not None])
        values = np.array([one for one in self.path if one is not None], float)
        every = np.arange(len(self.path))
        full = np.column_stack([np.interp(every, known, column) for column in values.T])
        if self.smooth > 0 and len(full) > 2:
            full = _smoothed(full, self.smooth)
        return full.reshape(len(full), -1, 2)

    def at(self, frame: float) -> NDArray[np.float64]:
        """(points, 2), source pixels, at a source frame; between two, too."""
        places = self.places
        at = min(max(frame - self.first, 0.0), len(places) - 1.0)
        low = int(at)
        part = at - low
        here = places[low]
        return here if part == 0 else here + part * (places[low + 1] - here)

    def home(self, frame: int) -> NDArray[np.float64] | None:
        """The four corners of what is looked at in a source frame; None where it is lost."""
        if not self.first <= frame <= self.last:
            return None
        place = self.path[frame - self.first]
        if place is None:
            return None
        return corners_of(self.kind, np.array(place, float), self.size)


def corners_of(kind: str, place: NDArray[np.float64], size: float) -> NDArray[np.float64]:
    """The corners, (4, 2), of what is looked at for a place of a track."""
    if kind == "plane":
        return place.reshape(4, 2)
    half = size / 2
    return place + np.array([[-half, -half], [half, -half], [half, half], [-half, half]])


def _smoothed(path: NDArray[np.float64], sigma: float) -> NDArray[np.float64]:
    """A path, (frames, n), by a Gaussian over time; at its ends it goes on as it came, so that they stay."""
    reach = min(int(np.ceil(REACH * sigma)), len(path) - 1)
    weight = np.exp(-0.5 * (np.arange(-reach, reach + 1) / max(sigma, 0.05)) ** 2)  # less is none
    weight /= weight.sum()
    wide = np.pad(path, ((reach, reach), (0, 0)), mode="reflect", reflect_type="odd")
    return np.column_stack([np.convolve(column, weight, "valid") for column in wide.T])
