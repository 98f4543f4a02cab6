"""Mattes and masks put onto a layer's seam, and taken off."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from velvet_seam.core.masks import Mask, MaskBase
from velvet_seam.core.mattes import Matte
from velvet_seam.core.problem import Gone
from velvet_seam.core.shot.edits.base import EditBase, called
from velvet_seam.core.shot.look import Look
from velvet_seam.core.shot.revise import revised, with_layer
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.words import Id


class AddMatte(EditBase):
    """Put a matte behind those that a layer has."""

    do: Literal["add-matte"] = "add-matte"
    layer: Id
    matte: Matte

    def applied(self, shot: Shot) -> Shot:
        layer = shot.layer(self.layer)
        seam = revised(layer.seam, matte=(*layer.seam.matte, self.matte))
        return with_layer(shot, revised(layer, seam=seam))

    def words(self, shot: Shot) -> str:
        return f"{_kind(self.matte)} on {called(shot, self.layer)}"


class AddMask(EditBase):
    """Put a mask behind those that a layer has, or those of a ``part`` of its look."""

    do: Literal["add-mask"] = "add-mask"
    layer: Id
    mask: Mask
    part: Id | None = None

    def applied(self, shot: Shot) -> Shot:
        layer = shot.layer(self.layer)
        if self.part is not None:
            return with_layer(shot, revised(layer, look=_masked(layer.look, self.part, self.mask)))
        cuts = layer.source.masks_cut and self.mask.use == "limit"
        mask = revised(self.mask, use="garbage") if cuts else self.mask
        seam = revised(layer.seam, masks=(*layer.seam.masks, mask))
        return with_layer(shot, revised(layer, seam=seam))

    def words(self, shot: Shot) -> str:
        return f"{_kind(self.mask)} on {called(shot, self.layer)}"


class RemovePart(EditBase):
    """Take one matte or mask out of a layer's seam, or a part or a mask out of its look."""

    do: Literal["remove-part"] = "remove-part"
    layer: Id
    part: Id

    def applied(self, shot: Shot) -> Shot:
        layer = shot.layer(self.layer)
        seam, look = layer.seam, without(layer.look, self.part)
        if look != layer.look:
            return with_layer(shot, revised(layer, look=look))
        if not any(part.id == self.part for part in seam.parts):
            raise Gone("Nothing was changed: that part is no longer there.")
        seam = revised(
            seam,
            matte=[part for part in seam.matte if part.id != self.part],
            masks=[part for part in seam.masks if part.id != self.part],
        )
        return with_layer(shot, revised(layer, seam=seam))

    def words(self, shot: Shot) -> str:
        layer = shot.layer(self.layer)
        kinds = {part.id: _kind(part) for part in layer.seam.parts}
        kinds |= {part.id: part.kind.replace("-", " ") for part in layer.look.parts}
        kind = kinds.get(self.part, "mask")
        return f"remove {kind} of {called(shot, self.layer)}"


class DropSample(EditBase):
    """Take one of the areas or colours away that a key was measured over."""

    do: Literal["drop-sample"] = "drop-sample"
    layer: Id
    matte: Id
    sample: int = Field(ge=0)

    def applied(self, shot: Shot) -> Shot:
        layer = shot.layer(self.layer)
        held = next((one for one in layer.seam.matte if one.id == self.matte), None)
        if held is None:
            raise Gone("Nothing was changed: that matte is no longer there.")
        new = revised(held, **held.without_sample(self.sample))
        mattes = [new if one is held else one for one in layer.seam.matte]
        return with_layer(shot, revised(layer, seam=revised(layer.seam, matte=mattes)))

    def words(self, shot: Shot) -> str:
        return f"a sample less, {called(shot, self.layer)}"


def _masked(look: Look, identity: str, mask: Mask) -> Look:
    """A look with one more mask on one of its parts."""
    if not any(part.id == identity for part in look.parts):
        raise Gone("Nothing was changed: that part of the look is no longer there.")
    parts = [
        revised(part, masks=(*part.masks, mask)) if part.id == identity else part
        for part in look.parts
    ]
    made: Look = revised(look, parts=parts)
    return made


def without(look: Look, identity: str) -> Look:
    """A look without a part, or without a mask of one."""
    parts = [
        revised(part, masks=[mask for mask in part.masks if mask.id != identity])
        for part in look.parts
        if part.id != identity
    ]
    made: Look = revised(look, parts=parts)
    return made


def _kind(part: Matte | Mask) -> str:
    """``screen key``, ``layer matte``, ``oval garbage mask``, ``box mask``."""
    word = part.kind.replace("-", " ")
    if not isinstance(part, MaskBase):
        return word
    return f"{word} mask" if part.use == "limit" else f"{word} {part.use} mask"
