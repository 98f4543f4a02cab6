"""The plan of a picture: a chain of steps, each named by what it does and by its inputs.

A step's key is a hash of its parameters at this frame and of the keys of its inputs, so two steps
with one key give one picture: of another frame, another shot or an earlier revision.
"""

from __future__ import annotations

from collections.abc import Collection
from typing import Literal, cast

import numpy as np

from velvet_seam.core.engine.comparing import Compare, against, compared
from velvet_seam.core.engine.cut import Cutter, laid_over, loose
from velvet_seam.core.engine.sheet import Sheet
from velvet_seam.core.engine.show import show_dropped, show_on_checker
from velvet_seam.core.engine.showing import Showing
from velvet_seam.core.engine.shutter import Lit, lit
from velvet_seam.core.engine.stacking import Stacking
from velvet_seam.core.engine.surrounding import cut_out
from velvet_seam.core.masks import MaskBase
from velvet_seam.core.mattes import Cut, Home
from velvet_seam.core.picture.coverage import wiped
from velvet_seam.core.picture.placement import (
    Matrix,
    Patch,
    PlanesPatch,
    affine,
    averaged,
    over_itself,
    place,
    place_planes,
)
from velvet_seam.core.picture.planes import Planes
from velvet_seam.core.picture.screen_key import Loose
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.steps import Footage, Picture, Step, step
from velvet_seam.core.timing.at import At

__all__ = ["Footage", "Picture", "Planner", "Sheet", "Step", "View"]

View = Literal[
    "joined", "matte", "source", "layer", "below", "dropped", "on-checker", "on-black", "on-white",
    "compare-half", "compare-difference", "compare-outlines", "compare-upper", "compare-lower",
]  # fmt: skip
"""Ways of seeing: the whole shot; a layer's coverage as grey; its footage before matte and masks;
the layer alone over the mat; what lies below the layer; its footage with what is dropped tinted, and
holes and specks marked; the layer alone over a checker, black or white; the layer against another one (see
:mod:`~velvet_seam.core.engine.comparing`)."""

BEDS: dict[str, tuple[int, int, int]] = {
    "matte": (0, 0, 0), "on-black": (0, 0, 0), "on-white": (255, 255, 255),
}  # fmt: skip

MAT = (0x4A, 0x4A, 0x4A)
LAYER_BED = (0x8A, 0x8A, 0x8A)


class Planner(Stacking):
    """Makes plans for one shot at one size.

    With ``video`` a picture is made as the planes of a video frame
    (:func:`~velvet_seam.core.picture.compose.compose_yuv420`), once, for a render: then nothing is split
    into steps only because a hand may come back to it.

    ``known`` holds what was planned before: under a hand that drags, all layers but one are the same
    objects at the same frame, time after time.
    """

    def plan(
        self, frame: int, view: View = "joined", chosen: str | None = None,
        solo: Collection[str] = (), beside: str | None = None, gain: float = 4.0,
    ) -> Step:  # fmt: skip
        """The last step of a picture: (height, width, 4) uint8 RGBA, opaque.

        Args:
            frame: shot frame.
            chosen: the layer that a view other than ``joined`` is about.
            solo: ids of the only layers to show, where any are given.
            beside: the layer that it is compared with, and ``gain``, how much a difference is raised.
        """
        if view in ("joined", "below") or chosen is None:
            return self.stack(frame, chosen, solo, only_below=view == "below")
        layer = self._shot.layer(chosen)
        if view.startswith("compare-"):
            how = cast(Compare, view.removeprefix("compare-"))
            return self._compared(how, layer, frame, beside, gain)
        bed = BEDS.get(view, LAYER_BED if view in ("layer", "on-checker") else MAT)
        if not layer.span.holds(frame):
            return self.composed(bed, [], finished=True)
        placed = self.placed(layer, frame, raw=view == "source", grey=view == "matte")
        size = self._sheet.size
        if view == "dropped":
            raw = self.placed(layer, frame, raw=True)
            return step("dropped", show_dropped, (size,), raw, placed, keep=False)
        if view == "on-checker":
            return step("on-checker", show_on_checker, (size,), placed, keep=False)
        return self.composed(bed, [(placed, "normal", 1.0)], finished=True)

    def _compared(
        self, how: Compare, layer: Layer, frame: int, beside: str | None, gain: float
    ) -> Step:
        other = against(self._shot, layer, frame, beside)
        pair = [self.as_it_is(one, frame) for one in (layer, other)]
        return step("compare", compared, (how, self._sheet.size, gain), *pair)

    def as_it_is(self, layer: Layer | None, frame: int) -> Step:
        """A layer placed on the sheet with nothing cut out and no look; None where it is not there."""
        if (
            layer is None
            or not layer.span.holds(frame)
            or layer.source.adjusts
            or layer.source.moves
        ):
            return step("nothing", _nothing, ())
        return self.placed(layer, frame, raw=True)

    def placed(
        self, layer: Layer, frame: int, *, raw: bool = False, grey: bool = False,
        within: frozenset[str] = frozenset(), to_join: bool = False, moved: Matrix | None = None,
        looked: bool | None = None,
    ) -> Step:  # fmt: skip
        """The layer as a patch of the sheet: cut out and masked, or ``raw``, or its coverage.

        Args:
            within: layers whose mattes are being planned. A layer matte that points back to one of them is
                passed over, so that two layers may name each other.
            to_join: the layer will only be joined with others. Where a video frame is made and nothing is
                cut out of the clip, its pixels may then stay in the planes of its codec.
            moved: from where the layer lies on the canvas to where it is to lie instead.
            looked: with its look; unless something else is said, where it is not ``raw``.
        """
        source, width, height = self._source(layer, frame)
        cut, later = Cut(source), list[tuple[Step, str]]()
        spot = self._lies.spot(layer, frame)
        if looked is None:
            looked = not raw and not layer.source.adjusts
        looking = self._looking(layer, frame) if looked else None
        cutter = Cutter(self, layer, frame, source, width, height, within | {layer.id}, looking)
        if not raw:
            cut, later = cutter.cut()
        elif looking is not None:
            cut = cutter.looked()
        picture = cut.step
        toned = looking is not None and looking.simple and bool(looking.parts) and not grey
        if grey:
            picture = step("grey", _coverage, (), picture)
        size = self._sheet.size
        plain = to_join and self._video and picture is source and not later and not spot.wipe
        if plain and not toned:
            picture = self.in_planes(layer, frame)
        if spot.wipe:
            picture = step("wipe", _wiped, spot.wipe, picture)
        held = (layer, *self._lies.cameras(layer, frame))
        open_for = max(At(frame - one.span.first)(one.shutter) for one in held) / 360
        if open_for:
            canvas = self._shot.canvas.width, self._shot.canvas.height
            seen = lit(
                lambda moment: self.to_sheet(layer, frame + open_for * moment, moved),
                (width, height), canvas, self._sheet.matrix(),
            )  # fmt: skip
        else:
            seen = Lit((self.to_sheet(layer, frame, moved),))
        if self._video and len(seen.places) == 1 and picture is cut.step:
            picture = loose(cut)
        if toned and looking is not None:
            picture = looking.laid_on(picture)
        args = (seen.places, seen.fills, seen.room, size, width, height, cut.margin)
        placed = step("place", _placed, args, picture)
        return laid_over(placed, later, grey) if later else placed

    def to_sheet(self, layer: Layer, frame: float, moved: Matrix | None = None) -> Matrix:
        """From source pixels to the sheet; all zeros where nothing of the layer is seen."""
        to_canvas = self._lies.seen(layer, frame)
        if moved is not None:
            to_canvas = moved @ to_canvas
        moved_by = self._lies.moved(layer, frame)
        if moved_by is not None:
            to_canvas = moved_by @ to_canvas
        return np.asarray(self._sheet.matrix() @ to_canvas)

    def camera(self, layer: Layer, frame: float) -> Matrix | None:
        """What cameras above a layer make of canvas pixels; None where there are none."""
        return self._lies.camera(layer, frame)

    def mask_followed(self, mask: MaskBase, layer: Layer, frame: float) -> Matrix | None:
        """What the track that a mask follows makes of its coordinates; None where it follows none."""
        return self._lies.mask_followed(mask, layer, frame)

    def cut(self, layer: Layer, frame: int) -> Step:
        """The layer's picture as its matte, edge and masks leave it, before it is placed."""
        source, width, height = self._source(layer, frame)
        within = frozenset({layer.id})
        return Cutter(self, layer, frame, source, width, height, within).cut()[0].step

    def seen(self, layer: Layer, frame: int) -> Step:
        return self._source(layer, frame)[0]

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
        return self.placed(layer, frame, raw=True, looked=True)

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
        return Showing(layer, frame, self._shot.rate, self._sheet, self._footage, self._inside)


def _nothing() -> None:
    return None


def _placed(
    matrices: tuple[Matrix, ...], fills: tuple[Matrix, ...], room: int, size: tuple[int, int], width: int, height: int,
    margin: int, picture: Picture | Planes | Loose,
) -> Patch | PlanesPatch | None:  # fmt: skip
    """A picture of so many source pixels, with ``margin`` of its own around it, on the sheet: where it lies at one
    moment, or the mean of several; see :class:`~velvet_seam.core.engine.shutter.Lit`."""
    if isinstance(picture, Loose):
        ratio = _ratio(width, height, margin, *picture.pixels.shape[:2])
        return place(picture.pixels, matrices[0] @ ratio, *size, picture.held)
    if isinstance(picture, Planes):
        ratio = _ratio(width, height, margin, picture.height, picture.width)
        if len(matrices) == 1:
            return place_planes(picture, matrices[0] @ ratio, *size)
        picture = picture.rgba()
    ratio = _ratio(width, height, margin, *picture.shape[:2])
    wide = size[0] + 2 * room, size[1] + 2 * room
    made = [place(picture, matrix @ ratio, *wide) for matrix in matrices]
    if len(made) == 1:
        return made[0]
    mean = averaged(made)
    if mean is None:
        return None
    for change in fills:
        mean = over_itself(mean, change, *wide)
    return cut_out((room, room, *size), mean)


def _ratio(width: int, height: int, margin: int, high: int, wide: int) -> Matrix:
    """From pixels of a picture to those of its source."""
    across, down = width / (wide - 2 * margin), height / (high - 2 * margin)
    return np.array([[across, 0, -margin * across], [0, down, -margin * down], [0, 0, 1.0]])


def _wiped(side: str, part: float, picture: Picture) -> Picture:
    return wiped(picture, side, part)


def _coverage(picture: Picture) -> Picture:
    """A picture's coverage as opaque grey."""
    grey = np.repeat(picture[..., 3:], 4, axis=2)
    grey[..., 3] = 255
    return grey
