"""The coverage that a file has of its own."""

from __future__ import annotations

from typing import ClassVar, Literal

from velvet_seam.core.mattes.base import Asked, Cut, MatteBase


class OwnAlpha(MatteBase):
    """The footage's own coverage, as its file has it."""

    label: ClassVar[str] = "Own alpha"
    says: ClassVar[str] = "By the coverage that the file itself has"
    find: ClassVar[str] = "coverage transparency matte"

    needs: ClassVar[Literal["footage", "coverage", "layers"]] = "coverage"

    kind: Literal["own-alpha"] = "own-alpha"

    def cut(self, asked: Asked) -> Cut:
        return Cut(asked.picture)
