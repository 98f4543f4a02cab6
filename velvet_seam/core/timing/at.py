"""What the numbers of a layer are at one of its frames: the one way to read a value that may move."""

from __future__ import annotations

from velvet_seam.core.timing.animated import Animated, value_at


class At:
    """Numbers at a frame counted from the layer's first; between two frames, too.

    >>> at = At(12)
    >>> at(7), at.part(25.0), at.whole(3.6)
    (7.0, 0.25, 4)
    """

    __slots__ = ("frame",)

    def __init__(self, frame: float) -> None:
        self.frame = frame

    def __call__(self, value: Animated) -> float:
        return value_at(value, self.frame)

    def part(self, value: Animated) -> float:
        """Of a value in per cent: 1 for 100 %."""
        return value_at(value, self.frame) / 100

    def whole(self, value: Animated) -> int:
        """Of a value that counts."""
        return round(value_at(value, self.frame))
