"""The plan of a picture: a chain of steps, each named by what it does and by its inputs.

A step's key is a hash of its parameters at this frame and of the keys of its inputs, so two steps
with one key give one picture: of another frame, another shot or an earlier revision.
"""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import replace
from typing import Any, Literal

import numpy as np

from velvet_seam.core.engine.cut import Cutter, laid_over, loose
from velvet_seam.core.engine.lying import Lying
from velvet_seam.core.engine.sheet import Sheet
from velvet_seam.core.engine.show import show_dropped, show_on_checker
from velvet_seam.core.engine.showing import Showing
from velvet_seam.core.mattes import Cut, DifferenceKey, Home, LayerMatte
from velvet_seam.core.picture.blend import EVERYWHERE, NUMBER
from velvet_seam.core.picture.compose import Below, Join, compose, compose_rgba8, compose_yuv420
from velvet_seam.core.picture.coverage import wiped
from velvet_seam.core.picture.placement import (
    Matrix,
    Patch,
    PlanesPatch,
    affine,
    averaged,
    place,
    place_planes,
)
from velvet_seam.core.picture.planes import Planes
from velvet_seam.core.picture.screen_key import Loose
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.steps import Footage, Picture, Step, step
from velvet_seam.core.timing.at import At
from velvet_seam.core.words import colour_to_rgb

__all__ = ["Footage", "Picture", "Planner", "Sheet", "Step", "View"]

View = Literal[
    "joined", "matte", "source", "layer", "below", "dropped", "on-checker", "on-black", "on-white"
]
"""Ways of seeing: the whole shot; a layer's coverage as grey; its footage before matte and masks;
the layer alone over the mat; what lies below the layer; its footage with what is dropped tinted, and
holes and specks marked; the layer alone over a checker, black or white."""

BEDS: dict[str, tuple[int, int, int]] = {
    "matte": (0, 0, 0), "on-black": (0, 0, 0), "on-white": (255, 255, 255),
}  # fmt: skip

SHUTTER_STEPS = 12
"""Moments of a frame that are joined for motion blur."""

Joins = tuple[tuple[Step, str, float], ...]
"""Steps that give patches, with the blend and the opacity that each is joined by."""

Known = dict[Any, tuple[Layer, Joins]]
"""What layers came to in plans made before, with each layer, so that it stays what its ``id`` says."""

MOST_KNOWN = 512

NOTHING = Patch(0, 0, np.zeros((1, 1, 4), np.uint8))
MAT = (0x4A, 0x4A, 0x4A)
LAYER_BED = (0x8A, 0x8A, 0x8A)


class Planner:
    """Makes plans for one shot at one size.

    With ``video`` a picture is made as the planes of a video frame
    (:func:`~velvet_seam.core.picture.compose.compose_yuv420`), once, for a render: then nothing is split
    into steps only because a hand may come back to it.

    ``known`` holds what was planned before: under a hand that drags, all layers but one are the same
    objects at the same frame, time after time.
    """

    def __init__(
        self, shot: Shot, sheet: Sheet, footage: Callable[[str], Footage], video: bool = False,
        known: Known | None = None,
    ) -> None:  # fmt: skip
        self._shot, self._sheet, self._footage = shot, sheet, footage
        self._known, self._lies = known, Lying(shot, footage)
        self._video = video

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
        bed = BEDS.get(view, LAYER_BED if view in ("layer", "on-checker") else MAT)
        if not layer.span.holds(frame):
            return self._compose(bed, [], finished=True)
        placed = self.placed(layer, frame, raw=view == "source", grey=view == "matte")
        size = self._sheet.size
        if view == "dropped":
            raw = self.placed(layer, frame, raw=True)
            return step("dropped", show_dropped, (size,), raw, placed, keep=False)
        if view == "on-checker":
            return step("on-checker", show_on_checker, (size,), placed, keep=False)
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
            joins += self._joins(layer, frame)
        return self._compose(colour, joins, finished=True, base=base)

    def _joins(self, layer: Layer, frame: int) -> Joins:
        """A layer's echoes and itself."""
        alone = not any(isinstance(m, LayerMatte | DifferenceKey) for m in layer.seam.matte)
        if self._known is None or not alone:
            return self._made_joins(layer, frame)
        shows = layer.source.shows
        digest = self._footage(shows).digest if shows is not None else ""
        key = (id(layer), frame, self._sheet, self._shot.rate, digest)
        found = self._known.get(key)
        if found is None:
            if len(self._known) >= MOST_KNOWN:
                self._known.clear()
            found = self._known[key] = (layer, self._made_joins(layer, frame))
        return found[1]

    def _made_joins(self, layer: Layer, frame: int) -> Joins:
        joins = self._echoes(layer, frame)
        opacity = self._opacity(layer, frame)
        if opacity > 0:
            joins.append((self._lying(layer, frame), layer.seam.blend, opacity))
        return tuple(joins)

    def _opacity(self, layer: Layer, frame: int) -> float:
        own = At(frame - layer.span.first).part(layer.seam.opacity)
        return own * self._lies.spot(layer, frame).opacity

    def _lying(self, layer: Layer, frame: int) -> Step:
        """The layer as it lies in the stack; kept where frames to come ask for it as an echo."""
        placed = self.placed(layer, frame, to_join=True)
        return replace(placed, soon=True) if layer.echo.count != 0 else placed

    def _echoes(self, layer: Layer, frame: int) -> list[tuple[Step, str, float]]:
        """The layer as it was, the oldest first."""
        echo = layer.echo
        found: list[tuple[Step, str, float]] = []
        at = At(frame - layer.span.first)
        decay, apart = at.part(echo.decay), at.whole(echo.step)
        for number in range(at.whole(echo.count), 0, -1):
            ago = frame - number * apart
            opacity = self._opacity(layer, ago) * decay**number if layer.span.holds(ago) else 0.0
            if opacity > 1 / 512:
                found.append((self._lying(layer, ago), echo.blend, opacity))
        return found

    def _compose(
        self, colour: tuple[int, int, int], joins: list[tuple[Step, str, float]], *,
        finished: bool, base: Step | None = None,
    ) -> Step:  # fmt: skip
        """Layers joined over a colour or over what has been joined already."""
        size = self._sheet.size
        how = tuple((blend, opacity) for _, blend, opacity in joins)
        form = "floats" if not finished else "frame" if self._video else "picture"
        inputs = [one for one, _, _ in joins] + ([base] if base else [])
        args = (form, size, colour, how, self._shot.light == "linear")
        kind = "finish" if finished else "below"
        return step(kind, _composed, args, *inputs, keep=not finished)

    def placed(
        self, layer: Layer, frame: int, *, raw: bool = False, grey: bool = False,
        within: frozenset[str] = frozenset(), to_join: bool = False, moved: Matrix | None = None,
    ) -> Step:  # fmt: skip
        """The layer as a patch of the sheet: cut out and masked, or ``raw``, or its coverage.

        Args:
            within: layers whose mattes are being planned. A layer matte that points back to one of them is
                passed over, so that two layers may name each other.
            to_join: the layer will only be joined with others. Where a video frame is made and nothing is
                cut out of the clip, its pixels may then stay in the planes of its codec.
            moved: from where the layer lies on the canvas to where it is to lie instead.
        """
        source, width, height = self._source(layer, frame)
        cut, later = Cut(source), list[tuple[Step, str]]()
        spot = self._lies.spot(layer, frame)
        if not raw:
            inside = within | {layer.id}
            cut, later = Cutter(self, layer, frame, source, width, height, inside).cut()
        picture = cut.step
        if grey:
            picture = step("grey", _coverage, (), picture)
        size = self._sheet.size
        if to_join and self._video and picture is source and not later and not spot.wipe:
            picture = self.in_planes(layer, frame)
        if spot.wipe:
            picture = step("wipe", _wiped, spot.wipe, picture)
        lit = At(frame - layer.span.first)(layer.shutter) / 360
        count = SHUTTER_STEPS if lit else 1
        moments = (
            [frame + lit * ((k + 0.5) / count - 0.5) for k in range(count)] if lit else [frame]
        )
        matrices = [self._matrix(layer, one, moved) for one in moments]
        if all(np.array_equal(matrix, matrices[0]) for matrix in matrices):
            matrices = matrices[:1]  # what stands still is not blurred
        if self._video and len(matrices) == 1 and picture is cut.step:
            picture = loose(cut)
        placed = step("place", _placed, (tuple(matrices), size, width, height), picture)
        return laid_over(placed, later, grey) if later else placed

    def _matrix(self, layer: Layer, frame: float, moved: Matrix | None = None) -> Matrix:
        """From source pixels to the sheet; all zeros where nothing of the layer is seen."""
        to_canvas = self._lies.seen(layer, frame)
        if moved is not None:
            to_canvas = moved @ to_canvas
        return np.asarray(self._sheet.matrix() @ to_canvas)

    def cut(self, layer: Layer, frame: int) -> Step:
        """The layer's picture as its matte, edge and masks leave it, before it is placed."""
        source, width, height = self._source(layer, frame)
        within = frozenset({layer.id})
        return Cutter(self, layer, frame, source, width, height, within).cut()[0].step

    def keyed(self, layer: Layer, frame: int, within: frozenset[str]) -> tuple[Step, Step]:
        """A layer's picture at a frame, and what its mattes leave of it: for the frames beside it."""
        source, width, height = self._source(layer, frame)
        return source, Cutter(self, layer, frame, source, width, height, within).keyed()

    def on_sheet(
        self, layer: Layer, frame: int, within: frozenset[str], moved: Matrix | None
    ) -> Step:
        """A layer as another one's matte asks for it; ``moved`` from where it lies on the canvas."""
        return self.placed(layer, frame, within=within, moved=moved)

    def raw_placed(self, layer: Layer, frame: int) -> Step:
        return self.placed(layer, frame, raw=True)

    def moved(self, layer: Layer, frame: int, home: Home | None) -> Matrix | None:
        """How a layer has moved over the canvas since it lay at home; None where nothing moves with it."""
        if home is None:
            return None
        size = self._lies.size(layer)
        flips = home.flip_x, home.flip_y
        lay = affine(home.x, home.y, home.scale / 100, home.rotation, *flips, *size)
        return np.asarray(self._lies.plain(layer, frame) @ np.linalg.inv(lay))

    def picture_size(self, layer: Layer) -> tuple[int, int]:
        """Width and height of a layer's picture as it is read, before it is placed."""
        return layer.source.picture_size(self._showing(layer, layer.span.first))

    @property
    def sheet(self) -> Sheet:
        return self._sheet

    @property
    def shot(self) -> Shot:
        return self._shot

    @property
    def video(self) -> bool:
        """Whether plans of video frames are made."""
        return self._video

    def footage(self, identity: str) -> Footage:
        return self._footage(identity)

    def in_planes(self, layer: Layer, frame: int) -> Step:
        """The layer's picture as its codec holds it, where it can be had so."""
        return self._source(layer, frame, planes=True)[0]

    def _source(
        self, layer: Layer, frame: int, planes: bool = False
    ) -> tuple[Step, int, int]:  # fmt: skip
        """The layer's picture before anything is done to it, and its size in source pixels."""
        asked = self._showing(layer, frame)
        return layer.source.picture(asked, planes), *self._lies.size(layer)

    def _showing(self, layer: Layer, frame: int) -> Showing:
        return Showing(layer, frame, self._shot.rate, self._sheet, self._footage)


def _composed(
    form: str, size: tuple[int, int], colour: tuple[int, int, int],
    how: tuple[tuple[str, float], ...], linear: bool, *inputs: Any,
) -> Any:  # fmt: skip
    """Patches joined as ``how`` says, over what is joined already where there is one input more."""
    below: Below | None = inputs[-1] if len(inputs) > len(how) else None
    laid = [
        Join(patch or NOTHING, blend, opacity)
        for patch, (blend, opacity) in zip(inputs, how, strict=False)
        if patch is not None or NUMBER[blend] in EVERYWHERE
    ]
    write = {"floats": compose, "frame": compose_yuv420, "picture": compose_rgba8}[form]
    return write(*size, colour, laid, below, linear)


def _placed(
    matrices: tuple[Matrix, ...], size: tuple[int, int], width: int, height: int,
    picture: Picture | Planes | Loose,
) -> Patch | PlanesPatch | None:  # fmt: skip
    """A picture of so many source pixels on the sheet: where it lies at one moment, or the mean of several."""
    if isinstance(picture, Loose):
        h, w = picture.pixels.shape[:2]
        ratio = np.diag([width / w, height / h, 1.0])
        return place(picture.pixels, matrices[0] @ ratio, *size, picture.held)
    if isinstance(picture, Planes):
        ratio = np.diag([width / picture.width, height / picture.height, 1.0])
        if len(matrices) == 1:
            return place_planes(picture, matrices[0] @ ratio, *size)
        picture = picture.rgba()
    ratio = np.diag([width / picture.shape[1], height / picture.shape[0], 1.0])
    made = [place(picture, matrix @ ratio, *size) for matrix in matrices]
    return made[0] if len(made) == 1 else averaged(made)


def _wiped(side: str, part: float, picture: Picture) -> Picture:
    return wiped(picture, side, part)


def _coverage(picture: Picture) -> Picture:
    """A picture's coverage as opaque grey."""
    grey = np.repeat(picture[..., 3:], 4, axis=2)
    grey[..., 3] = 255
    return grey
