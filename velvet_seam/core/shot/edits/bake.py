"""A nested shot shown from a file that was rendered of it, and by its layers again."""

from __future__ import annotations

from typing import Literal

from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits.base import EditBase, called
from velvet_seam.core.shot.revise import replaced, revised
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.sources import BakedSource, NestedSource
from velvet_seam.core.words import Id


class Bake(EditBase):
    """Show a clip in the place of the nested shot that it was rendered of."""

    do: Literal["bake"] = "bake"
    layer: Id
    footage: Id

    def applied(self, shot: Shot) -> Shot:
        source = shot.layer(self.layer).source
        if not isinstance(source, NestedSource):
            raise Problem("Nothing was changed: that layer shows no shot that could be baked.")
        baked = BakedSource(footage=self.footage, of=source.footage, apart=source.apart)
        return replaced(shot, self.layer, lambda layer: revised(layer, source=baked))

    def words(self, shot: Shot) -> str:
        return f"bake {called(shot, self.layer)}"


class Unbake(EditBase):
    """Show the shot itself again."""

    do: Literal["unbake"] = "unbake"
    layer: Id

    def applied(self, shot: Shot) -> Shot:
        source = shot.layer(self.layer).source
        if not isinstance(source, BakedSource):
            raise Problem("Nothing was changed: that layer is not baked.")
        nested = NestedSource(footage=source.of, apart=source.apart)
        return replaced(shot, self.layer, lambda layer: revised(layer, source=nested))

    def words(self, shot: Shot) -> str:
        return f"unbake {called(shot, self.layer)}"
