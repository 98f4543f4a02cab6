"""Another shot, shown like a clip."""

from __future__ import annotations

from typing import ClassVar, Literal

from velvet_seam.core.sources.base import Asked
from velvet_seam.core.sources.footage import FootageSource


class NestedSource(FootageSource):
    """A shot inside this one, named by its id: it has its own time and its sound like a clip. Where its canvas is
    clear, so is the layer.

    A layer of it that is only placed joins its layers one by one, as if they lay in this shot; with ``apart``, or
    where the layer does anything else, they are joined by themselves first.
    """

    label: ClassVar[str] = "Shot"

    kind: Literal["nested"] = "nested"  # type: ignore[assignment]
    apart: bool = False

    def picture_size(self, asked: Asked) -> tuple[int, int]:
        return asked.seen_size
