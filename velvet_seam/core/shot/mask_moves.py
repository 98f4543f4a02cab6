"""A mask brought to other coordinates, so that it lies where it lay: to the canvas, to its layer, to another
layer, with what mirrors, turns and scales them."""

from __future__ import annotations

import itertools
from bisect import bisect_right
from collections.abc import Callable
from dataclasses import dataclass
from math import atan2, cos, degrees, hypot, radians, sin
from typing import Any, Literal

from velvet_seam.core.masks import DrawnMask, MaskBase, OutlineKeys, Vertex
from velvet_seam.core.shot.revise import revised
from velvet_seam.core.timing.animated import Animated, Keyframe, Keyframes, value_at
from velvet_seam.core.timing.bounds import bounds_of
from velvet_seam.core.timing.ease import Ease

MOST_KEYS = 9_000
"""A path that needs a keyframe on every frame has no more than so many; a longer one has one on every second, third…"""

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
    turned = mapped(mask.rotation, lambda old: round(sign * old + change.turn + over, 4))
    fields["rotation"] = _nearest(turned)
    for name in type(mask).model_fields:
        bounds = bounds_of(type(mask), name)
        if bounds and bounds.of == "source" and name not in fields:
            fields[name] = mapped(getattr(mask, name), lambda old: round(old * change.scale, 4))
    if isinstance(mask, DrawnMask):
        fields["outline"] = _outline_brought(mask.outline, change)
    return revised(mask, **fields, **others)


def _nearest(angle: Animated) -> Animated:
    """The same direction from −180 up to 180 degrees; of keyframes the first, and the others as far from it as they
    were: what turns over goes on turning over."""
    first = angle.keys[0].value if isinstance(angle, Keyframes) else angle
    whole = (first + 180) // 360 * 360
    return mapped(angle, lambda old: round(old - whole, 4))


def points_brought(x: Animated, y: Animated, change: Change) -> tuple[Animated, Animated]:
    """Across and down, which may have keyframes of their own, in other coordinates: they move as they moved.

    Turned, each needs what both say. Where one line or curve says that of both, it stays one; where two that are unlike
    meet, there is a keyframe on every frame.

    >>> path = Keyframes(keys=(Keyframe(frame=0, value=0, ease="smooth"), Keyframe(frame=9, value=90)))
    >>> points_brought(path, 5.0, Change(90, 1, 0, 0, False))[1].keys[0].ease
    'smooth'
    """
    quarter, rest = divmod(round(change.turn, 9), 90)
    if rest == 0:
        return _upright(x, y, change, turned=quarter % 2 == 1)
    keys: dict[int, Ease] = {}
    frames = sorted(
        {key.frame for value in (x, y) if isinstance(value, Keyframes) for key in value.keys}
    )
    if not frames:
        return change.point(value_at(x, 0), value_at(y, 0))
    every = -(-(frames[-1] - frames[0]) // MOST_KEYS) or 1
    for first, last in itertools.pairwise(frames):
        one, other = _way(x, first, last), _way(y, first, last)
        way = (one or other or "linear") if None in (one, other) or one == other else "part"
        if way == "part":
            keys |= dict.fromkeys(range(first, last, every), "linear")
        else:
            keys[first] = way
    keys[frames[-1]] = "linear"
    places = {frame: change.point(value_at(x, frame), value_at(y, frame)) for frame in keys}
    across, down = (
        Keyframes(keys=tuple(Keyframe(frame, places[frame][side], keys[frame]) for frame in keys))
        for side in (0, 1)
    )
    return across, down


def _upright(
    x: Animated, y: Animated, change: Change, *, turned: bool
) -> tuple[Animated, Animated]:
    """Turned by quarters each side comes of one side alone, and keeps its keyframes."""
    across, down = (y, x) if turned else (x, y)

    def brought_side(value: Animated, side: int) -> Animated:
        other = side == 0 if turned else side == 1  # whether it comes of what was down
        return mapped(value, lambda old: change.point(*((0.0, old) if other else (old, 0.0)))[side])

    return brought_side(across, 0), brought_side(down, 1)


def _way(value: Animated, first: int, last: int) -> Ease | Literal["part"] | None:
    """How a value goes from one frame to another between which it has no keyframe: by an ease from the one to the
    other, by "part" of one, or not at all."""
    if not isinstance(value, Keyframes):
        return None
    after = bisect_right(value.frames, first)
    if after in (0, len(value.keys)):
        return None
    left, right = value.keys[after - 1], value.keys[after]
    if left.value == right.value or (left.ease == "hold" and right.frame > last):
        return None
    whole = (left.frame, right.frame) == (first, last)
    return left.ease if whole or left.ease in ("linear", "hold") else "part"


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
