"""A mask brought to other coordinates, so that it lies where it lay: to the canvas, to its layer, to another
layer, with what mirrors, turns and scales them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from math import atan2, cos, degrees, hypot, radians, sin
from typing import Any

from velvet_seam.core.masks import DrawnMask, MaskBase, OutlineKeys, Vertex
from velvet_seam.core.shot.revise import revised
from velvet_seam.core.timing.animated import Animated, Keyframe, Keyframes, value_at
from velvet_seam.core.timing.bounds import bounds_of

_OUTLINE = ("x", "y", "in_x", "in_y", "out_x", "out_y")


@dataclass(frozen=True)
class Change:
    """From old coordinates to new ones: mirrored left and right where it is, then turned clockwise by
    degrees, scaled and moved.

    >>> Change(90, 2, 5, 0, False).point(1, 0)
    (5.0, 2.0)
    """

    turn: float
    scale: float
    x: float
    y: float
    mirrored: bool

    @classmethod
    def of(cls, matrix: Any) -> Change:
        """Of a 3 × 3 matrix that keeps angles.

        >>> Change.of([[-2, 0, 7], [0, 2, 1], [0, 0, 1]])
        Change(turn=0.0, scale=2.0, x=7.0, y=1.0, mirrored=True)
        """
        (a, b, x), (c, d, y) = ([float(v) for v in row] for row in (matrix[0], matrix[1]))
        mirrored = a * d - b * c < 0
        sign = -1.0 if mirrored else 1.0
        turn = degrees(atan2(sign * c, sign * a)) + 0.0
        return cls(turn, hypot(a, c), x, y, mirrored)

    def point(self, x: float, y: float) -> tuple[float, float]:
        c, s = cos(radians(self.turn)) * self.scale, sin(radians(self.turn)) * self.scale
        x = -x if self.mirrored else x
        return round(c * x - s * y + self.x, 4), round(s * x + c * y + self.y, 4)


def mapped(value: Animated, change: Callable[[float], float]) -> Animated:
    """A number, or each of its keyframes, changed."""
    if not isinstance(value, Keyframes):
        return change(value)
    return Keyframes(keys=tuple(revised(key, value=change(key.value)) for key in value.keys))


def brought(mask: MaskBase, change: Change, **others: Any) -> Any:
    """A mask in other coordinates, in all its keyframes; ``others`` are fields to change besides."""
    x, y = points_brought(mask.x, mask.y, change)
    fields: dict[str, Any] = {"x": x, "y": y}
    # turned over, the left side of a straight edge is its right one
    over = 180.0 if change.mirrored and mask.sided else 0.0
    sign = -1.0 if change.mirrored else 1.0
    fields["rotation"] = mapped(
        mask.rotation, lambda old: round(_around(sign * old + change.turn + over), 4)
    )
    for name in type(mask).model_fields:
        bounds = bounds_of(type(mask), name)
        if bounds and bounds.of == "source" and name not in fields:
            fields[name] = mapped(getattr(mask, name), lambda old: round(old * change.scale, 4))
    if isinstance(mask, DrawnMask):
        fields["outline"] = _outline_brought(mask.outline, change)
    return revised(mask, **fields, **others)


def _around(angle: float) -> float:
    """The same direction from −180 up to 180 degrees."""
    return (angle + 180) % 360 - 180


def points_brought(x: Animated, y: Animated, change: Change) -> tuple[Animated, Animated]:
    """Across and down may have keyframes of their own; turned, each needs those of both."""
    keys = {
        key.frame: key.ease
        for value in (y, x)
        if isinstance(value, Keyframes)
        for key in value.keys
    }
    if not keys:
        assert not isinstance(x, Keyframes)
        assert not isinstance(y, Keyframes)
        return change.point(x, y)
    new: tuple[list[Keyframe], list[Keyframe]] = ([], [])
    for frame in sorted(keys):
        place = change.point(value_at(x, frame), value_at(y, frame))
        for side, value in zip(new, place, strict=True):
            side.append(Keyframe(frame=frame, value=value, ease=keys[frame]))
    return Keyframes(keys=tuple(new[0])), Keyframes(keys=tuple(new[1]))


def _outline_brought(
    outline: tuple[Vertex, ...] | OutlineKeys, change: Change
) -> tuple[Vertex, ...] | OutlineKeys:
    if isinstance(outline, OutlineKeys):
        keys = (revised(key, value=_outline_brought(key.value, change)) for key in outline.keys)
        return OutlineKeys(keys=tuple(keys))
    across = -change.scale if change.mirrored else change.scale

    def moved(vertex: Vertex) -> Vertex:
        by = {
            n: getattr(vertex, n) * (across if n.endswith("x") else change.scale) for n in _OUTLINE
        }
        return vertex.model_copy(update={name: round(value, 4) for name, value in by.items()})

    return tuple(moved(vertex) for vertex in outline)
