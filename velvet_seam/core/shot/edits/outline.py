"""Points put on a drawn outline, and taken out of it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Literal

from pydantic import Field

from velvet_seam.core.masks import OutlineKeys, Vertex
from velvet_seam.core.problem import Gone, Problem
from velvet_seam.core.shot.edits.base import EditBase, called
from velvet_seam.core.shot.edits.paths import changed
from velvet_seam.core.shot.points import with_point
from velvet_seam.core.shot.revise import revised
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.words import Id

Points = tuple[Vertex, ...]


def _path(shot: Shot, layer: str, mask: str) -> str:
    """Where a mask stands in its layer: in the seam, or in a part of the look."""
    for part in shot.layer(layer).look.parts:
        if any(one.id == mask for one in part.masks):
            return f"look.parts.{part.id}.masks.{mask}"
    return f"seam.masks.{mask}"


class OutlineEdit(EditBase):
    """What changes the points of an outline, in all its keyframes alike."""

    layer: Id
    mask: Id

    def _everywhere(self, shot: Shot, change: Callable[[Points], Points]) -> Shot:
        def every(old: Any) -> Any:
            if isinstance(old, OutlineKeys):
                keys = [revised(key, value=change(key.value)) for key in old.keys]
                return OutlineKeys(keys=tuple(keys))
            return change(old)

        return changed(shot, self.layer, {f"{_path(shot, self.layer, self.mask)}.outline": every})

    def words(self, shot: Shot) -> str:
        return f"outline of {called(shot, self.layer)}"


class AddPoint(OutlineEdit):
    """Put a point on a drawn outline, ``part`` of the way after a point. The line stays as it is, in
    all keyframes."""

    do: Literal["add-point"] = "add-point"
    after: int = Field(ge=0)
    part: float = Field(0.5, gt=0, lt=1)

    def applied(self, shot: Shot) -> Shot:
        def change(points: Points) -> Points:
            if self.after >= len(points):
                raise Gone("Nothing was changed: that point is no longer there.")
            return with_point(points, self.after, self.part)

        return self._everywhere(shot, change)


class RemovePoint(OutlineEdit):
    """Take a point out of a drawn outline, in all keyframes."""

    do: Literal["remove-point"] = "remove-point"
    point: int = Field(ge=0)

    def applied(self, shot: Shot) -> Shot:
        def change(points: Points) -> Points:
            if self.point >= len(points):
                raise Gone("Nothing was changed: that point is no longer there.")
            if len(points) <= 3:
                raise Problem("Nothing was changed: an outline has at least three points.")
            return points[: self.point] + points[self.point + 1 :]

        return self._everywhere(shot, change)
