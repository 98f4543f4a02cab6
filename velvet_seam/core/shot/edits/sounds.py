"""Sounds put beside the stack, and taken away."""

from __future__ import annotations

from typing import Literal

from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits.base import EditBase, called
from velvet_seam.core.shot.layer import Heard, SoundTrack
from velvet_seam.core.shot.revise import revised, with_layer
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.words import Id


class AddSound(EditBase):
    """Put a sound beside the stack."""

    do: Literal["add-sound"] = "add-sound"
    sound: SoundTrack

    def applied(self, shot: Shot) -> Shot:
        return revised(shot, sounds=(*shot.sounds, self.sound))

    def words(self, shot: Shot) -> str:
        return f"add {self.sound.name}"


class DetachSound(EditBase):
    """A clip's sound as a sound of its own beside the stack; the clip itself falls silent."""

    do: Literal["detach-sound"] = "detach-sound"
    layer: Id
    new_id: Id

    def applied(self, shot: Shot) -> Shot:
        layer = shot.layer(self.layer)
        if layer.source.shows is None:
            raise Problem(f"{layer.name} has no sound of its own.")
        heard = {name: getattr(layer.sound, name) for name in Heard.model_fields} | {"on": True}
        sound = SoundTrack(
            id=self.new_id, name=layer.name, footage=layer.source.shows, span=layer.span,
            time=layer.time, **heard,
        )  # fmt: skip
        silent = with_layer(shot, revised(layer, sound=revised(layer.sound, on=False)))
        return revised(silent, sounds=(*shot.sounds, sound))

    def words(self, shot: Shot) -> str:
        return f"detach the sound of {called(shot, self.layer)}"


class RemoveSound(EditBase):
    """Take a sound out of the shot."""

    do: Literal["remove-sound"] = "remove-sound"
    sound: Id

    def applied(self, shot: Shot) -> Shot:
        shot.sound(self.sound)
        return revised(shot, sounds=[sound for sound in shot.sounds if sound.id != self.sound])

    def words(self, shot: Shot) -> str:
        return f"remove {called(shot, self.sound)}"
