"""Sounds put beside the stack, and taken away."""

from __future__ import annotations

from typing import Literal

from velvet_seam.core.shot.edits.base import EditBase, called
from velvet_seam.core.shot.layer import SoundTrack
from velvet_seam.core.shot.revise import revised
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


class RemoveSound(EditBase):
    """Take a sound out of the shot."""

    do: Literal["remove-sound"] = "remove-sound"
    sound: Id

    def applied(self, shot: Shot) -> Shot:
        shot.sound(self.sound)
        return revised(shot, sounds=[sound for sound in shot.sounds if sound.id != self.sound])

    def words(self, shot: Shot) -> str:
        return f"remove {called(shot, self.sound)}"
