"""A table of colours that was brought in."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from velvet_seam.core.looks.base import Planes, Stage, Tone
from velvet_seam.core.picture.cube import Cube, through_cube
from velvet_seam.core.timing.at import At


class Lut(Tone):
    """A ``.cube`` file, 1D or 3D, on display values. It becomes part of the one table that the look is; where the file
    is not at hand it does nothing."""

    label: ClassVar[str] = "Table"
    says: ClassVar[str] = "Colours looked up in a .cube file that you bring in"
    find: ClassVar[str] = "lut cube file table film look"

    kind: Literal["lut"] = "lut"
    table: str = Field("", pattern=r"^([a-z][a-z0-9-]{0,39})?$", description="the id of the table")
    name: str = Field("", max_length=120, description="what the file was called")

    def stages(self, at: At, frame: int) -> tuple[Stage, ...]:
        return ()

    def looked_up(self, cube: Cube | None) -> tuple[Stage, ...]:
        """What it does with its table at hand."""
        return () if cube is None else (Stage(_through, (cube,), channelwise=cube.curves),)


def _through(planes: Planes, cube: Cube) -> None:
    through_cube(planes, cube)
