"""What a way to come and go says of itself, and what it may change of a layer."""

from __future__ import annotations

from dataclasses import dataclass

Size = tuple[int, int]


@dataclass(frozen=True)
class Spot:
    """Where a layer is at a moment: canvas pixels of its middle, a factor, degrees clockwise, a factor of its
    opacity, and for a wipe the side it comes from with the part of the layer that is uncovered."""

    x: float
    y: float
    scale: float
    rotation: float
    opacity: float = 1.0
    wipe: tuple[str, float] | None = None


@dataclass(frozen=True)
class Ground:
    """Width and height of a layer's source, in its own pixels, and of the canvas."""

    source: Size
    canvas: Size


class Way:
    """A way into the picture, or out of it the same way back."""

    def __init__(self, name: str, label: str, find: str = "") -> None:
        self.name, self.label, self.find = name, label, find

    def at(self, spot: Spot, here: float, coming: bool, ground: Ground) -> Spot:
        """Where a layer is while it comes or goes.

        Args:
            spot: where it would be.
            here: how much of the way in lies behind it, 0 to 1, eased; on the way out how much of that out lies
                ahead of it. At 0 nothing of the layer is left.
            coming: whether it comes, or goes.
        """
        raise NotImplementedError
