"""What the painter can be asked for, and what it answers."""

from __future__ import annotations

from dataclasses import dataclass

from velvet_seam.core.analyse.match import Matched
from velvet_seam.core.engine.engine import PREVIEW_SHORT_SIDE
from velvet_seam.core.engine.lying import Stray
from velvet_seam.core.engine.plan import View
from velvet_seam.core.engine.sheet import Window
from velvet_seam.core.register.warps import Model
from velvet_seam.core.shot.written import Written


@dataclass(frozen=True)
class Paint:
    """Ask for one picture of a shot as JPEG."""

    document: Written
    frame: int
    view: View = "joined"
    chosen: str | None = None
    solo: tuple[str, ...] = ()
    short_side: int = PREVIEW_SHORT_SIDE
    shown_side: int | None = None
    """Shrink the finished picture to this short side, for thumbnails: what is cached serves."""
    quality: int = 84
    passing: bool = False
    """The frame is being played through: nothing of it will be changed soon."""
    full: bool = False
    """At canvas size, from the originals."""
    window: Window | None = None
    """Of such a picture only this part, in canvas pixels."""
    stray: bool = False
    """Say where the chosen layer lies, too: the answer is a pair, see :class:`Painted`."""
    scope: str = ""
    """An instrument of the picture, too: its name in ``analyse.scopes``; of the chosen layer alone with ``scope_layer``."""
    scope_layer: bool = False
    beside: str | None = None
    """What the chosen layer is compared with, in the views that compare, and ``gain``, how much a difference is raised."""
    gain: float = 4.0
    marks: bool = False
    """Mark on the picture what is lost in black and in white."""
    trial: str = ""
    """An edit in JSON that is only being tried, under a hand that is moving: it goes beside the document,
    which is then read only once."""


@dataclass(frozen=True)
class Scope:
    """An instrument as JPEG, and how much of the picture is lost in black and in white, per cent."""

    data: bytes
    lost: tuple[float, float]


@dataclass(frozen=True)
class Painted:
    """A picture as JPEG, what arrival and stirring make of the chosen layer's place in it, and where it was asked
    for an instrument, JPEG, with what is lost in black and in white, per cent."""

    data: bytes
    stray: Stray | None
    scope: Scope | None = None


@dataclass(frozen=True)
class Still:
    """Ask for a frame of a shot at canvas size, from the originals, as PNG."""

    document: Written
    frame: int


@dataclass(frozen=True)
class Measure:
    """Ask for the screen colour of a layer, over an area of its source or from the border.

    ``area`` is left, top, right, bottom in canvas pixels, as the layer is seen at ``frame``.
    """

    document: Written
    layer: str
    frame: int
    area: tuple[float, float, float, float] | None = None


@dataclass(frozen=True)
class Wall:
    """Ask for one JPEG of every blend of a layer on a frame: a row of tiles for each of ``blends``,
    first as the layers lie, then with the layer swapped with the one below it."""

    document: Written
    layer: str
    frame: int
    blends: tuple[str, ...]
    short_side: int = 108


@dataclass(frozen=True)
class WallPictures:
    """The wall as JPEG, and whether it shows the layers without those above, which would hide every change."""

    data: bytes
    without_above: bool


@dataclass(frozen=True)
class LookTiles:
    """Ask for one JPEG of a frame with each of some ``looks``, in JSON, worn by a layer: a row of tiles."""

    document: Written
    layer: str
    frame: int
    looks: tuple[str, ...]
    short_side: int = 72


@dataclass(frozen=True)
class Levels:
    """Ask how bright the pixels are that come to a part of a layer's look on a frame: four lists of shares of all that
    is covered, from black to white, for luma, red, green, blue; of an adjustment layer, those of what lies below."""

    document: Written
    layer: str
    frame: int
    part: str


@dataclass(frozen=True)
class LineUp:
    """Ask how a layer lies off another one on a frame, both as they lie on the canvas: at preview size from the
    proxies, or ``fine``, at canvas size from the originals."""

    document: Written
    layer: str
    frame: int
    model: Model
    beside: str | None = None
    fine: bool = False


@dataclass(frozen=True)
class Lines:
    """What a line-up found, in canvas pixels.

    Attributes:
        beside: the other layer; None where there is none.
        change: nine numbers, row by row, from where the layer is seen to where it is to be seen; None where it is
            refused, for a reason of ``register.in_place``; a rough one where that is being unsure.
        off: how far it is off, root mean square over the picture; ``turned`` by degrees, and ``grown`` by a factor.
        residual: how sure that is.
        agrees: how much of the picture shows the same in both, 0 to 1.
    """

    beside: str | None
    change: tuple[float, ...] | None = None
    why: str = ""
    off: float = 0.0
    turned: float = 0.0
    grown: float = 1.0
    residual: float = 0.0
    agrees: float = 0.0


@dataclass(frozen=True)
class MatchLight:
    """Ask how a layer's light is brought to another one's, on what both show where they lie. ``lend``: by its
    statistics, whatever they show."""

    document: Written
    layer: str
    frame: int
    beside: str | None = None
    lend: bool = False


@dataclass(frozen=True)
class LightFound:
    """What was found; None where too little is seen in both, or one of them is not there.

    Attributes:
        whole: by what both show.
        lent: slope and offset of each channel.
    """

    beside: str | None
    whole: Matched | None = None
    lent: tuple[tuple[float, ...], tuple[float, ...]] | None = None


@dataclass(frozen=True)
class MatteFacts:
    """Ask how many holes and parts a layer's matte has on a frame, as it lies on the canvas."""

    document: Written
    layer: str
    frame: int


@dataclass(frozen=True)
class CutLength:
    """Ask how long the edges of a layer's masks run through its keyed subject on a frame."""

    document: Written
    layer: str
    frame: int


@dataclass(frozen=True)
class Loupe:
    """Ask for the pixels around a place of the picture that is seen, and how far a layer covers them."""

    document: Written
    layer: str | None
    frame: int
    x: float
    y: float
    view: View = "joined"
    full: bool = False


@dataclass(frozen=True)
class Seen:
    """``LOUPE_SIDE`` squared pixels row by row: #rrggbb, empty outside the canvas; coverage in %, where
    a layer was asked about."""

    colours: list[str]
    coverage: list[float] | None
    before: str = ""
    """The colour in the middle without the layer's look, where it wears one."""


LOUPE_SIDE = 15

Request = (
    Paint
    | Still
    | Measure
    | Wall
    | LookTiles
    | Levels
    | LineUp
    | MatchLight
    | MatteFacts
    | CutLength
    | Loupe
)
