"""People, found by themselves."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from velvet_seam.core.mattes.base import Asked, Cut, MatteBase
from velvet_seam.core.mattes.fringe import Fringe
from velvet_seam.core.people.guess import Guess, guess, steadied
from velvet_seam.core.people.region import people
from velvet_seam.core.roto.soft import soft_matte
from velvet_seam.core.steps import Picture, step
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.bounds import Bounds


class PeopleMatte(MatteBase):
    """Coverage of the people in a picture: a trained model says roughly where they are, the picture where exactly."""

    label: ClassVar[str] = "People"
    says: ClassVar[str] = "People, found by themselves"
    find: ClassVar[str] = "person human body face cut out automatic portrait matte"

    kind: Literal["people"] = "people"
    likely: Annotated[
        Animated,
        Bounds(1, 99, "%", "As likely as", "How likely something must be a person to be kept; less takes in more", step=1,
               find="threshold confidence"),
    ] = 50.0  # fmt: skip
    fringe: Fringe = 100.0

    def cut(self, asked: Asked) -> Cut:
        picture = asked.picture
        seen = [asked.beside(apart) for apart in (-1, 1)]
        guesses = [
            step("people-guess", guess, (), one, soon=True)
            for one in (picture, *(one for one in seen if one is not None))
        ]
        values = (asked.at.part(self.likely), asked.at.part(self.fringe))
        return Cut(step("people", _cut, values, picture, *guesses))


def _cut(least: float, fringe: float, picture: Picture, own: Guess, *others: Guess) -> Picture:
    return soft_matte(picture, people(picture, steadied(own, *others), least), fringe)
