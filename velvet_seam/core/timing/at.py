"""What the numbers of a layer are at one of its frames: the one way to read a value that may move."""

from __future__ import annotations

from math import floor

from velvet_seam.core.timing.animated import Animated, Keyframes, integral, value_at


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

    def mean(self, value: Animated, age: int = 0) -> float:
        """Of a value from ``age`` frames before the layer's first until now. What is done so many times a second has been
        done as often as its mean says: a pace that is keyed changes what comes, not what has been.

        >>> from velvet_seam.core.timing.animated import Keyframe
        >>> quicker = Keyframes(keys=[Keyframe(frame=0, value=0), Keyframe(frame=10, value=4)])
        >>> At(10).mean(quicker), At(20).mean(quicker), At(20).mean(3.0)
        (2.0, 3.0, 3.0)
        """
        long = self.frame + age
        if not isinstance(value, Keyframes) or long <= 0:
            return value_at(value, self.frame)
        whole = floor(self.frame)
        rest = self.frame - whole
        area = float(integral(value, whole) - integral(value, -age))
        if rest:
            area += rest * value_at(value, whole + rest / 2)
        return area / long

    def part(self, value: Animated) -> float:
        """Of a value in per cent: 1 for 100 %."""
        return value_at(value, self.frame) / 100

    def whole(self, value: Animated) -> int:
        """Of a value that counts."""
        return round(value_at(value, self.frame))
