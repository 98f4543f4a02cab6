"""A shot inside this one, rendered once and shown from its file."""

from __future__ import annotations

from typing import ClassVar, Literal

from velvet_seam.core.sources.footage import FootageSource
from velvet_seam.core.words import Id


class BakedSource(FootageSource):
    """A nested shot that was rendered without loss, with its coverage and its sound: ``footage`` is that clip, ``of`` the
    shot, which is shown again when it is unbaked. What changes in the shot meanwhile is not seen."""

    label: ClassVar[str] = "Baked shot"

    kind: Literal["baked"] = "baked"  # type: ignore[assignment]
    of: Id
    apart: bool = False
