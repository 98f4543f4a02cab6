"""Looking: the steps that give a picture its look.

Tone parts beside each other are one table, whatever they are. A look of nothing else acts on each pixel by itself,
so it is laid on last, over what mattes and masks have left of a layer; any other acts before the masks. A part
with masks of its own, or at part of its strength, is mixed into what was there before it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from velvet_seam.core.looks import Area, Ground, LookBase, Tone, Work
from velvet_seam.core.looks.lut import Lut
from velvet_seam.core.looks.table import Mixed, runs, table_of
from velvet_seam.core.looks.through import Through
from velvet_seam.core.masks import Mask
from velvet_seam.core.picture.coverage import Plane, fitted, mixed
from velvet_seam.core.picture.cube import Cube
from velvet_seam.core.picture.grade import Table, graded
from velvet_seam.core.picture.mixing import mixed_in, padded
from velvet_seam.core.picture.planes import Planes
from velvet_seam.core.picture.screen_key import Loose
from velvet_seam.core.shot.look import Look
from velvet_seam.core.steps import Picture, Step, step
from velvet_seam.core.timing.animated import Keyframes
from velvet_seam.core.timing.at import At

Tables = Callable[[str], Cube | None]
"""Tables that were brought in, by their ids; None where one is not at hand."""


def no_table(identity: str) -> Cube | None:
    return None


@dataclass(frozen=True)
class Part:
    """A part of a look that does something at this frame, or several that are one table."""

    tones: tuple[Mixed, ...] = ()
    area: LookBase | None = None
    strength: float = 1.0
    masks: tuple[Mask, ...] = ()
    through: Through | None = None
    moves: bool = False

    @property
    def limited(self) -> bool:
        """Whether it acts more at one place than at another."""
        return bool(self.masks) or self.through is not None


PlaneOf = Callable[[Part, int, Step], Step]
"""How much of a part that is limited acts where: over a picture with so many pixels around it; and that picture, as it
is before the part."""


class Looking:
    """A look at one frame of its layer. Its tables are coarser while a hand is on it: ``quick``."""

    def __init__(
        self, look: Look, at: At, frame: int, rate: float, quick: bool = False,
        tables: Tables = no_table,
    ) -> None:  # fmt: skip
        self._at, self._frame, self._rate = at, frame, rate
        self.total = at.part(look.strength) if look.on else 0.0
        self._quick = quick
        self.moves = isinstance(look.strength, Keyframes)
        self.parts = _grouped(look, at, frame, tables) if self.total > 0 else []

    @property
    def simple(self) -> bool:
        """Whether it acts on each pixel by itself, and is no more than tables."""
        one_by_one = all(part.tones and not part.limited for part in self.parts)
        return one_by_one and (self.total >= 1 or len(self.parts) <= 1)

    @property
    def reach(self) -> float:
        """How far around a pixel it looks, canvas pixels."""
        return sum(part.area.reach(self._at) for part in self.parts if isinstance(part.area, Area))

    def table(self, part: Part, total: float = 1.0) -> Step:
        """The table of one of its parts."""
        moves = part.moves or (self.moves and total < 1)
        args = (part.tones, total, moves or self._quick)
        return step("look-table", table_of, args, lasting=not moves)

    def tables(self) -> tuple[Step, ...]:
        """Of a simple look: all of it, strength included."""
        return tuple(self.table(part, self.total) for part in self.parts)

    def laid_on(self, picture: Step) -> Step:
        """A simple look laid on a picture, a loose one, or the planes of a codec."""
        for table in self.tables():
            picture = step("look", laid, (), picture, table)
        return picture

    def work(self, part: Part, ground: Ground) -> Work | None:
        """What a part that is no table does to a picture."""
        assert isinstance(part.area, Area)
        age = self._frame - int(self._at.frame)
        ground = replace(ground, frame=self._frame, seconds=self._frame / self._rate, age=age)
        return part.area.work(self._at, ground)

    def worked(self, picture: Step, ground: Ground, plane_of: PlaneOf) -> tuple[Step, int]:
        """The whole look on a picture, and how many pixels the picture has grown by on each side."""
        first, margin = picture, 0
        for part in self.parts:
            before = picture
            if part.tones:
                after = step("look", laid, (), picture, self.table(part))
            else:
                here = replace(ground, left=ground.left - margin, top=ground.top - margin)
                work = self.work(part, here)
                if work is None:
                    continue
                more = min(work.reach, max(*ground.size))
                if more:
                    work = self.work(
                        part, replace(here, left=here.left - more, top=here.top - more)
                    )
                    assert work is not None
                    before, margin = _grown(picture, more), margin + more
                after = step("look-work", work.function, work.args, before)
            picture = self._mixed(before, after, part, margin, plane_of)
        if self.total < 1 and picture is not first:
            picture = step("look-mix", _mixed_in, (self.total,), _grown(first, margin), picture)
        return picture, margin

    def _mixed(self, before: Step, after: Step, part: Part, margin: int, plane_of: PlaneOf) -> Step:
        if part.limited:
            plane = plane_of(part, margin, before)
            return step("look-mix", _masked_in, (part.strength,), before, after, plane)
        if part.strength < 1:
            return step("look-mix", _mixed_in, (part.strength,), before, after)
        return after


def _grouped(look: Look, at: At, frame: int, tables: Tables) -> list[Part]:
    """The parts that do something, tones beside each other together."""
    found: list[Part] = []
    open_run: list[Mixed] = []
    moving = False

    def close() -> None:
        found.extend(Part(tones=run, moves=moving) for run in runs(open_run))
        open_run.clear()

    for one in look.parts:
        strength = at.part(one.strength)
        if not one.on or strength <= 0:
            continue
        masks = tuple(mask for mask in one.masks if mask.on)
        if isinstance(one, Tone):
            stages = (
                one.looked_up(tables(one.table)) if isinstance(one, Lut) else one.stages(at, frame)
            )
            if not stages:
                continue
            if masks or one.through is not None:
                close()
                run = (Mixed(stages, 1.0),)
                found.append(Part(run, None, strength, masks, one.through, one.moves()))
                continue
            if not open_run:
                moving = False
            moving = moving or one.moves()
            open_run.append(Mixed(stages, strength))
        else:
            close()
            found.append(Part((), one, strength, masks, one.through))
    close()
    return found


def _grown(picture: Step, by: int) -> Step:
    return step("look-pad", _padded, (by,), picture, keep=False) if by else picture


def _padded(by: int, picture: Picture) -> Picture:
    return padded(picture, by, by, by, by)


def laid(picture: Picture | Loose | Planes, table: Table) -> Picture | Loose:
    """A table on a picture, in whatever form it comes."""
    if isinstance(picture, Loose):
        width = picture.pixels.shape[1]
        # a row that holds anything is written from end to end
        rows = np.where(picture.held[:, 1:] > 0, np.array([[0, width]]), 0).astype(np.int64)
        return Loose(graded(picture.pixels, table, rows), picture.held)
    if isinstance(picture, Planes):
        picture = picture.rgba()
    return graded(picture, table)


def _mixed_in(part: float, picture: Picture, other: Picture) -> Picture:
    return mixed_in(picture, other, part)


def _masked_in(part: float, picture: Picture, other: Picture, plane: Plane) -> Picture:
    other = mixed_in(picture, other, part)
    return mixed(picture, other, fitted(plane, *picture.shape[:2]))
