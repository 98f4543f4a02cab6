"""The plan of a picture: a chain of steps, each named by what it does and by its inputs.

A step's key is a hash of its parameters at this frame and of the keys of its inputs, so two steps
with one key give one picture: of another frame, another shot or an earlier revision.
"""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass
from fractions import Fraction
from hashlib import blake2b
from math import ceil, floor
from typing import Any, Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.picture.box_mask import Box, box_mask
from velvet_seam.core.picture.compose import Below, Join, compose, compose_rgba8
from velvet_seam.core.picture.placement import Patch, affine, place
from velvet_seam.core.picture.screen import screen_surface, study
from velvet_seam.core.picture.screen_key import screen_key, screen_light
from velvet_seam.core.shot.layer import ColourSource, Layer
from velvet_seam.core.shot.seam import BoxMask, ScreenKey
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.shot.words import colour_to_rgb
from velvet_seam.core.timing.animated import value_at

View = Literal["joined", "matte", "source", "layer", "below"]
"""Ways of seeing: the whole shot; a layer's coverage as grey; its footage before matte and masks;
the layer alone over the mat; what lies below the layer."""

MAT = (0x4A, 0x4A, 0x4A)
LAYER_BED = (0x8A, 0x8A, 0x8A)

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
    itself, so even a render that passes every frame once gains by keeping it. Steps of one ``lane``
    read one file, which is fastest in the order of the frames.
    """

    kind: str
    key: str
    run: Callable[..., Any]
    inputs: tuple[Step, ...] = ()
    lasting: bool = False
    keep: bool = True
    lane: str = ""


def _step(
    kind: str, run: Callable[..., Any], params: object, *inputs: Step, lasting: bool = True,
    keep: bool = True, lane: str = "",
) -> Step:  # fmt: skip
    digest = blake2b(repr((kind, params)).encode(), digest_size=16)
    for step in inputs:
        digest.update(step.key.encode())
    lasting = lasting and all(step.lasting for step in inputs)
    return Step(kind, digest.hexdigest(), run, inputs, lasting, keep, lane)


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
        """The last step of a picture: (height, width, 4) uint8 RGBA, opaque.

        Args:
            frame: shot frame.
            chosen: the layer that a view other than ``joined`` is about.
            solo: ids of the only layers to show, where any are given.
        """
        if view in ("joined", "below") or chosen is None:
            return self._stack(frame, chosen, solo, only_below=view == "below")
        layer = self._shot.layer(chosen)
        bed = (0, 0, 0) if view == "matte" else LAYER_BED if view == "layer" else MAT
        if not layer.span.holds(frame):
            return self._compose(bed, [], finished=True)
        placed = self._placed(layer, frame, raw=view == "source", grey=view == "matte")
        return self._compose(bed, [(placed, "normal", 1.0)], finished=True)

    def _stack(
        self, frame: int, chosen: str | None, solo: Collection[str], *, only_below: bool
    ) -> Step:
        """The joined layers. What lies below the chosen one is kept: that one is being worked on."""
        colour = colour_to_rgb(self._shot.canvas.background)
        joins: list[tuple[Step, str, float]] = []
        base: Step | None = None
        for layer in self._shot.layers:
            if layer.id == chosen:
                if only_below:
                    break
                if joins:
                    base, joins = self._compose(colour, joins, finished=False), []
            if layer.hidden or not layer.span.holds(frame) or (solo and layer.id not in solo):
                continue
            opacity = value_at(layer.seam.opacity, frame - layer.span.first) / 100
            if opacity > 0:
                joins.append((self._placed(layer, frame), layer.seam.blend, opacity))
        return self._compose(colour, joins, finished=True, base=base)

    def _compose(
        self, colour: tuple[int, int, int], joins: list[tuple[Step, str, float]], *,
        finished: bool, base: Step | None = None,
    ) -> Step:  # fmt: skip
        """Layers joined over a colour or over what has been joined already."""
        size = (self._sheet.width, self._sheet.height)
        how = [(blend, opacity) for _, blend, opacity in joins]

        def run(*inputs: Any) -> Any:
            below: Below | None = inputs[-1] if base is not None else None
            laid = [
                Join(patch, blend, opacity)
                for patch, (blend, opacity) in zip(inputs, how, strict=False)
                if patch is not None
            ]
            write = compose_rgba8 if finished else compose
            return write(*size, colour, laid, below)

        inputs = [step for step, _, _ in joins] + ([base] if base else [])
        kind = "finish" if finished else "below"
        return _step(kind, run, (size, colour, how), *inputs, keep=not finished)

    def _placed(self, layer: Layer, frame: int, *, raw: bool = False, grey: bool = False) -> Step:
        """The layer as a patch of the sheet: keyed and masked, or ``raw``, or its coverage."""
        at = frame - layer.span.first
        picture, width, height = self._source(layer, frame)
        if not raw:
            for matte in layer.seam.matte:
                if matte.on:
                    picture = _keyed(picture, matte, at, _rows_left(layer, at, height))
            masks = [mask for mask in layer.seam.masks if mask.on]
            if masks:
                scale = value_at(layer.place.scale, at) / 100
                left = _rows_left(layer, at, height)
                picture = _masked(picture, masks, at, width, height, scale, left)
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
            lane=footage.digest,
        )
        return step, footage.width, footage.height


def _coverage(picture: Picture) -> Picture:
    """A picture's coverage as opaque grey."""
    grey = np.repeat(picture[..., 3:], 4, axis=2)
    grey[..., 3] = 255
    return grey


def _rows_left(layer: Layer, at: int, height: int) -> tuple[float, float]:
    """What the masks leave of a layer's height, as parts of it: the rest need not be keyed."""
    top, bottom = 0.0, float(height)
    scale = value_at(layer.place.scale, at) / 100
    for mask in layer.seam.masks:
        if mask.on and mask.removes == "outside":
            middle = value_at(mask.y, at) + height / 2
            reach = value_at(mask.height, at) / 2 + value_at(mask.feather, at) / scale / 2 + 2
            top, bottom = max(top, middle - reach), min(bottom, middle + reach)
    # in steps of an eighth, so that dragging a mask does not key the layer anew at every pixel
    return floor(max(top, 0) / height * 8) / 8, ceil(max(bottom, 0) / height * 8) / 8


def _keyed(picture: Step, key: ScreenKey, at: int, left: tuple[float, float]) -> Step:
    settings = {
        name: value_at(getattr(key, name), at) / 100
        for name in ("tolerance", "softness", "keep_shadows", "despill")
    }
    colour = colour_to_rgb(key.colour)

    def light(small: NDArray[np.float32], source: Picture) -> NDArray[np.float32]:
        return screen_light(source, screen_surface(small, colour))

    def run(source: Picture, surface: NDArray[np.float32]) -> Picture:
        height = source.shape[0]
        rows = (floor(left[0] * height), ceil(left[1] * height))
        return screen_key(source, surface, colour, **settings, rows=rows)

    small = _step("screen-study", study, (), picture)
    surface = _step("screen-surface", light, colour, small, picture)
    return _step("screen-key", run, (colour, sorted(settings.items()), left), picture, surface)


def _masked(
    picture: Step, masks: list[BoxMask], at: int, width: int, height: int, scale: float,
    left: tuple[float, float],
) -> Step:  # fmt: skip
    boxes = []
    for mask in masks:
        x, y = value_at(mask.x, at) + width / 2, value_at(mask.y, at) + height / 2
        half_w, half_h = value_at(mask.width, at) / 2, value_at(mask.height, at) / 2
        feather = value_at(mask.feather, at) / scale
        inside = mask.removes == "inside"
        boxes.append(Box(x - half_w, y - half_h, x + half_w, y + half_h, feather, inside))

    def run(source: Picture) -> Picture:
        k, m = source.shape[1] / width, source.shape[0] / height
        rows = (floor(left[0] * source.shape[0]), ceil(left[1] * source.shape[0]))
        scaled = [
            Box(b.left * k, b.top * m, b.right * k, b.bottom * m, b.feather * k, b.inside)
            for b in boxes
        ]
        return box_mask(source, scaled, rows)

    return _step("box-mask", run, (boxes, width, height, left), picture)
