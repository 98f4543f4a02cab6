"""Paint: strokes drawn on the picture."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from hashlib import blake2b
from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from velvet_seam.core.picture.strokes import stroked
from velvet_seam.core.sources.base import Asked
from velvet_seam.core.sources.generated import GeneratedBase, Seed
from velvet_seam.core.steps import Picture, Step, step
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.bounds import Bounds
from velvet_seam.core.words import Colour, Part, colour_to_rgb

MOST_POINTS = 4000
MOST_STROKES = 400

Coordinate = Annotated[float, Field(ge=-32768, le=32768)]


class Stroke(Part):
    """Where a brush went: points from the middle of the canvas, canvas pixels. It erases what lies below it in the
    same paint, or covers it with its colour."""

    points: tuple[tuple[Coordinate, Coordinate], ...] = Field(min_length=1, max_length=MOST_POINTS)
    width: float = Field(24.0, ge=0.5, le=2000)
    hardness: float = Field(80.0, ge=0, le=100)
    opacity: float = Field(100.0, ge=0, le=100)
    colour: Colour = "#f3e4c8"
    erase: bool = False


@dataclass(frozen=True)
class Strokes:
    """Strokes, known by a digest."""

    held: tuple[Stroke, ...]
    digest: str


class PaintSource(GeneratedBase):
    """Strokes from the first to the last, written over time as ``written`` rises, trembling if wished. They are points in
    the document, never pixels."""

    label: ClassVar[str] = "Paint"
    says: ClassVar[str] = "Strokes that you draw on the picture"
    find: ClassVar[str] = "brush draw paint sketch scribble write handwriting hand drawn annotate"

    kind: Literal["paint"] = "paint"
    strokes: tuple[Stroke, ...] = Field((), max_length=MOST_STROKES)
    written: Annotated[
        Animated, Bounds(0, 100, "%", "Written", "How much of it is there, along the strokes: keyed from 0 to 100 it draws itself", find="reveal write on draw")
    ] = 100.0  # fmt: skip
    jitter: Annotated[
        Animated, Bounds(0, 500, "px", "Tremble", "How far lines stray from where they were drawn", step=0.5, shown=(0, 30), find="wiggle boil shake")
    ] = 0.0  # fmt: skip
    rate: Annotated[
        Animated,
        Bounds(
            0,
            60,
            "/s",
            "Rate",
            "How often in a second they stray elsewhere",
            step=0.5,
            shown=(0, 24),
        ),
    ] = 8.0
    seed: Seed = 1.0

    @cached_property
    def _strokes(self) -> Strokes:
        text = "\n".join(one.model_dump_json() for one in self.strokes)
        return Strokes(self.strokes, blake2b(text.encode(), digest_size=12).hexdigest())

    def picture(self, asked: Asked, planes: bool = False) -> Step:
        at = asked.at
        jitter = at(self.jitter) * asked.per
        beat = int(np.floor(asked.seconds * at.mean(self.rate, asked.age) + 1e-6)) if jitter else 0
        stray = (jitter, max(beat, 0), at.whole(self.seed))
        args = (self._strokes, asked.sheet, asked.per, at.part(self.written), stray)
        return step("paint", _painted, args)


def _painted(
    strokes: Strokes,
    size: tuple[int, int],
    per: float,
    written: float,
    stray: tuple[float, int, int],
) -> Picture:
    out = np.zeros((size[1], size[0], 4), np.uint8)
    lines = [
        np.array(one.points, np.float64) * per + (size[0] / 2, size[1] / 2) for one in strokes.held
    ]
    long = [max(1.0, float(np.hypot(*np.diff(line, axis=0).T).sum())) for line in lines]
    left = written * sum(long)
    for number, (one, line, length) in enumerate(zip(strokes.held, lines, long, strict=True)):
        if left <= 0:
            break
        if left < length:
            line = _until(line, left)
        left -= length
        if stray[0]:
            line = _strayed(line, stray, number)
        made = stroked(line, size, one.width * per / 2, one.hardness / 100)
        if made is not None:
            _lay(out, *made, one)
    return out


def _until(line: NDArray[np.float64], length: float) -> NDArray[np.float64]:
    """The beginning of a line, so many pixels long."""
    steps = np.hypot(*np.diff(line, axis=0).T)
    ends = np.concatenate([[0.0], np.cumsum(steps)])
    n = int(np.searchsorted(ends, length))
    if n >= len(line):
        return line
    part = (length - ends[n - 1]) / max(ends[n] - ends[n - 1], 1e-9) if n else 0.0
    last = line[n - 1] + part * (line[n] - line[n - 1]) if n else line[0]
    return np.vstack([line[:n], last])


def _strayed(
    line: NDArray[np.float64], stray: tuple[float, int, int], number: int
) -> NDArray[np.float64]:
    """A line whose points stray smoothly along it, elsewhere at each beat."""
    far, beat, seed = stray
    rng = np.random.Generator(np.random.Philox(key=seed << 24 | number << 8 | 35, counter=beat))
    count = max(2, min(len(line), 12))
    knots = rng.uniform(-far, far, (count, 2))
    at = np.linspace(0, count - 1, len(line))
    moved = np.stack([np.interp(at, np.arange(count), knots[:, n]) for n in (0, 1)], -1)
    return np.asarray(line + moved)


def _lay(out: Picture, left: int, top: int, plane: NDArray[np.uint8], one: Stroke) -> None:
    """A stroke over what is painted, or out of it."""
    h, w = plane.shape
    piece = out[top : top + h, left : left + w].astype(np.float32)
    a = plane[..., None].astype(np.float32) * np.float32(one.opacity / 100 / 255)
    own = np.array([*colour_to_rgb(one.colour), 255], np.float32) * (0.0 if one.erase else 1.0)
    out[top : top + h, left : left + w] = piece + a * (own - piece) + np.float32(0.5)
