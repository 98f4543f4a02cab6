"""Marks set, and taken away."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from velvet_seam.core.shot.edits.base import EditBase
from velvet_seam.core.shot.mark import Mark
from velvet_seam.core.shot.revise import revised
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.words import Id


class AddMark(EditBase):
    """Name a frame; marks lie in the order of their frames."""

    do: Literal["add-mark"] = "add-mark"
    mark: Mark

    def applied(self, shot: Shot) -> Shot:
        marks = sorted((*shot.marks, self.mark), key=lambda mark: mark.frame)
        return revised(shot, marks=marks)

    def words(self, shot: Shot) -> str:
        return f"mark {self.mark.name}"


class RemoveMarks(EditBase):
    """Take marks away; those that are gone already do not matter."""

    do: Literal["remove-marks"] = "remove-marks"
    marks: tuple[Id, ...] = Field(min_length=1, max_length=2000)

    def applied(self, shot: Shot) -> Shot:
        return revised(shot, marks=[mark for mark in shot.marks if mark.id not in self.marks])

    def words(self, shot: Shot) -> str:
        return "remove a mark" if len(self.marks) == 1 else f"remove {len(self.marks)} marks"
