"""The plan of a picture: a chain of steps, each named by what it does and by its inputs.

A step's key is a hash of its parameters at this frame and of the keys of its inputs, so two steps
with one key give one picture: of another frame, another shot or an earlier revision.
"""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass, replace
from fractions import Fraction
from hashlib import blake2b
from typing import Any, Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.picture.blend import ground, join, to_rgb8
from velvet_seam.core.picture.box_mask import box_mask
from velvet_seam.core.picture.placement import Patch, affine, place
from velvet_seam.core.picture.screen import screen_surface
from velvet_seam.core.picture.screen_key import screen_key
from velvet_seam.core.shot.layer import ColourSource, Layer
from velvet_seam.core.shot.seam import BoxMask, ScreenKey
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.shot.words import colour_to_rgb
from velvet_seam.core.timing.animated import value_at

View = Literal["joined", "matte", "source", "layer", "below"]
"""Ways of seeing: the whole shot; a layer's coverage as grey; its footage before matte and masks;
the layer alone over the mat; what lies below the layer."""

MAT = (0x4A, 0x4A, 0x4A)

Picture = NDArray[np.uint8]


class Footage(Protocol):
    """What the engine asks of footage; see :class:`velvet_seam.core.media.material.Material`."""

    width: int
    height: int
    moving: bool
    digest: str

    def frame_at(self, time: Fraction) -> int: ...

    def read(self, number: int) -> Picture: ...


@dataclass(frozen=True, eq=False)
class Step:
    """One computation: its kind, what to call with the inputs' results, and its key.

    ``keep`` says that it is worth keeping: dear to compute and likely to be asked for again when
    something after it changes. ``lasting`` says that it does not change from frame to frame by
    itself, so even a render that passes every frame once gains by keeping it.
    """

    kind: str
    key: str
    run: Callable[..., Any]
    inputs: tuple[Step, ...] = ()
    lasting: bool = False
    keep: bool = True


def _step(
    kind: str, run: Callable[..., Any], params: object, *inputs: Step, lasting: bool = True,
    keep: bool = True,
) -> Step:  # fmt: skip
    digest = blake2b(repr((kind, params)).encode(), digest_size=16)
    for step in inputs:
        digest.update(step.key.encode())
    lasting = lasting and all(step.lasting for step in inputs)
    return Step(kind, digest.hexdigest(), run, inputs, lasting, keep)


@dataclass(frozen=True)
class Sheet:
    """The size pictures are made at: the canvas, or the canvas reduced for the preview."""

    canvas_width: int
    canvas_height: int
    width: int
    height: int

    @classmethod
    def of(cls, shot: Shot, short_side: int | None = None) -> Sheet:
        """The sheet of a shot at canvas size, or reduced to a short side.

        >>> from velvet_seam.core.shot.shot import Canvas
        >>> canvas = Canvas(width=1080, height=1920)
        >>> Sheet.of(Shot(name="s", canvas=canvas, rate="25", length=1), 540)
        Sheet(canvas_width=1080, canvas_height=1920, width=540, height=960)
        """
        width, height = shot.canvas.width, shot.canvas.height
        factor = min(1.0, short_side / min(width, height)) if short_side else 1.0
        return cls(width, height, max(1, round(width * factor)), max(1, round(height * factor)))

    def matrix(self) -> NDArray[np.float64]:
        """From canvas pixels to pixels of the sheet."""
        return np.diag([self.width / self.canvas_width, self.height / self.canvas_height, 1.0])


class Planner:
    """Makes plans for one shot at one size."""

    def __init__(self, shot: Shot, sheet: Sheet, footage: Callable[[str], Footage]) -> None:
        self._shot, self._sheet, self._footage = shot, sheet, footage

    def plan(
        self, frame: int, view: View = "joined", chosen: str | None = None,
        solo: Collection[str] = (),
    ) -> Step:  # fmt: skip
        """The last step of a picture: (height, width, 3) uint8 RGB.

        Args:
            frame: shot frame.
            chosen: the layer that a view other than ``joined`` is about.
            solo: ids of the only layers to show, where any are given.
        """
        if view in ("joined", "below") or chosen is None:
            until = chosen if view == "below" else None
            return _finished(self._stack(frame, until, chosen, solo))
        layer = self._shot.layer(chosen)
        if view == "matte":
            bed = self._bed((0, 0, 0))
            if not layer.span.holds(frame):
                return _finished(bed)
            joined = self._join(bed, self._placed(layer, frame, grey=True), "normal", 1.0)
            return _finished(joined)
        bed = self._bed(MAT)
        if not layer.span.holds(frame):
            return _finished(bed)
        placed = self._placed(layer, frame, raw=view == "source")
        return _finished(self._join(bed, placed, "normal", 1.0))

    def _stack(
        self, frame: int, until: str | None, chosen: str | None, solo: Collection[str]
    ) -> Step:
        """The joined layers. What lies below the chosen one is kept: that one is being worked on."""
        picture = self._bed(colour_to_rgb(self._shot.canvas.background))
        for layer in self._shot.layers:
            if layer.id == until:
                break
            if layer.id == chosen:
                picture = replace(picture, keep=True)
            if layer.hidden or not layer.span.holds(frame) or (solo and layer.id not in solo):
                continue
            opacity = value_at(layer.seam.opacity, frame - layer.span.first) / 100
            if opacity > 0:
                picture = self._join(picture, self._placed(layer, frame), layer.seam.blend, opacity)
        return picture

    def _bed(self, colour: tuple[int, int, int]) -> Step:
        size = (self._sheet.width, self._sheet.height)
        return _step("ground", lambda: ground(*size, colour), (size, colour), keep=False)

    def _join(self, below: Step, placed: Step, blend: str, opacity: float) -> Step:
        def run(picture: NDArray[np.uint16], patch: Patch | None) -> NDArray[np.uint16]:
            if patch is not None:
                join(picture, patch.pixels, patch.left, patch.top, blend, opacity)
            return picture

        return _step("join", run, (blend, opacity), below, placed, keep=False)

    def _placed(self, layer: Layer, frame: int, *, raw: bool = False, grey: bool = False) -> Step:
        """The layer as a patch of the sheet: keyed and masked, or ``raw``, or its coverage."""
        at = frame - layer.span.first
        picture, width, height = self._source(layer, frame)
        if not raw:
            for matte in layer.seam.matte:
                if matte.on:
                    picture = _keyed(picture, matte, at)
            for mask in layer.seam.masks:
                if mask.on:
                    scale = value_at(layer.place.scale, at) / 100
                    picture = _masked(picture, mask, at, width, height, scale)
        if grey:
            picture = _step("grey", _coverage, (), picture)
        spot = layer.place
        matrix = self._sheet.matrix() @ affine(
            value_at(spot.x, at),
            value_at(spot.y, at),
            value_at(spot.scale, at) / 100,
            value_at(spot.rotation, at),
            spot.flip_x,
            spot.flip_y,
            width,
            height,
        )
        size = (self._sheet.width, self._sheet.height)

        def run(source: Picture) -> Patch | None:
            ratio = np.diag([width / source.shape[1], height / source.shape[0], 1.0])
            return place(source, matrix @ ratio, *size)

        return _step("place", run, (matrix.tobytes(), size, width, height), picture)

    def _source(self, layer: Layer, frame: int) -> tuple[Step, int, int]:
        """The layer's picture before anything is done to it, and its size in source pixels."""
        source = layer.source
        if isinstance(source, ColourSource):
            width, height = self._sheet.canvas_width, self._sheet.canvas_height
            rgba = (*colour_to_rgb(source.colour), 255)

            def fill() -> Picture:
                return np.full((self._sheet.height, self._sheet.width, 4), rgba, np.uint8)

            size = (self._sheet.width, self._sheet.height)
            return _step("colour", fill, (rgba, size)), width, height
        footage = self._footage(source.footage)
        time = layer.time.source_in + Fraction(frame - layer.span.first) / self._shot.rate
        number = footage.frame_at(time)
        step = _step(
            "read",
            lambda: footage.read(number),
            (footage.digest, number),
            lasting=not footage.moving,
        )
        return step, footage.width, footage.height


def _finished(joined: Step) -> Step:
    return _step("finish", to_rgb8, (), joined, keep=False)


def _coverage(picture: Picture) -> Picture:
    """A picture's coverage as opaque grey."""
    grey = np.repeat(picture[..., 3:], 4, axis=2)
    grey[..., 3] = 255
    return grey


def _keyed(picture: Step, key: ScreenKey, at: int) -> Step:
    settings = {
        name: value_at(getattr(key, name), at) / 100
        for name in ("tolerance", "softness", "keep_shadows", "despill")
    }
    colour = colour_to_rgb(key.colour)

    def light(source: Picture) -> NDArray[np.float32]:
        return screen_surface(source, colour)

    def run(source: Picture, surface: NDArray[np.float32]) -> Picture:
        return screen_key(source, surface, colour, **settings)

    surface = _step("screen-surface", light, colour, picture)
    return _step("screen-key", run, (colour, sorted(settings.items())), picture, surface)


def _masked(picture: Step, mask: BoxMask, at: int, width: int, height: int, scale: float) -> Step:
    x, y = value_at(mask.x, at) + width / 2, value_at(mask.y, at) + height / 2
    half_w, half_h = value_at(mask.width, at) / 2, value_at(mask.height, at) / 2
    feather = value_at(mask.feather, at) / scale
    inside = mask.removes == "inside"
    box = (x - half_w, y - half_h, x + half_w, y + half_h)

    def run(source: Picture) -> Picture:
        k, m = source.shape[1] / width, source.shape[0] / height
        return np.asarray(
            box_mask(source, box[0] * k, box[1] * m, box[2] * k, box[3] * m, feather * k, inside)
        )

    return _step("box-mask", run, (box, feather, inside, width, height), picture)
