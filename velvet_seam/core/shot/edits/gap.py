"""Taking things out together with the time they took."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits.base import EditBase, called
from velvet_seam.core.shot.leading import led_later
from velvet_seam.core.shot.revise import revised
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.words import Id


class CloseGap(EditBase):
    """Take layers and sounds out; what begins after the last of them moves up by the frames they took. What is
    locked stays where it is."""

    do: Literal["close-gap"] = "close-gap"
    targets: tuple[Id, ...] = Field(min_length=1, max_length=400)

    def applied(self, shot: Shot) -> Shot:
        sounds = {sound.id for sound in shot.sounds}
        gone = [shot.sound(one) if one in sounds else shot.layer(one) for one in self.targets]
        locked = next((one for one in gone if one.locked), None)
        if locked is not None:
            raise Problem(f"{locked.name} is locked. Unlock it to change it.")
        first, last = min(one.span.first for one in gone), max(one.span.last for one in gone)
        going, by = {one.id for one in gone}, first - last - 1

        def left(things: tuple) -> list:
            later = (one for one in things if one.id not in going)
            return [
                revised(one, span=one.span.moved(by))
                if one.span.first > last and not one.locked
                else one
                for one in later
            ]

        moved = {
            one.id: by for one in shot.layers if one.span.first > last and not one.locked
        }  # fmt: skip
        layers = led_later(shot, tuple(left(shot.layers)), moved)
        return revised(shot, layers=layers, sounds=left(shot.sounds))

    def words(self, shot: Shot) -> str:
        one = (
            called(shot, self.targets[0])
            if len(self.targets) == 1
            else f"{len(self.targets)} layers"
        )
        return f"remove {one} and close the gap"
