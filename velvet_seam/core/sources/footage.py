"""Footage: an imported clip, still or sound."""

from __future__ import annotations

from collections.abc import Callable
from typing import ClassVar, Literal

from velvet_seam.core.sources.base import Asked, Sized, SourceBase
from velvet_seam.core.steps import Step
from velvet_seam.core.words import Id


class FootageSource(SourceBase):
    """An imported clip, still or sound, by the id it has in the shot's footage table."""

    label: ClassVar[str] = "Footage"

    kind: Literal["footage"] = "footage"
    footage: Id

    @property
    def shows(self) -> str:
        return self.footage

    def extent(self, canvas: tuple[int, int], footage: Callable[[str], Sized]) -> tuple[int, int]:
        shown = footage(self.footage)
        return shown.width, shown.height

    def picture_size(self, asked: Asked) -> tuple[int, int]:
        return asked.footage(self.footage).picture_size

    def picture(self, asked: Asked, planes: bool = False) -> Step:
        footage = asked.footage(self.footage)
        return asked.frame_of(footage, planes and footage.in_planes)
