"""Ways to come and go. Each is a file of its own."""

from __future__ import annotations

from typing import Annotated

from velvet_seam.core.passages.base import Ground, Spot, Way
from velvet_seam.core.passages.cut import Cut
from velvet_seam.core.passages.fade import Fade
from velvet_seam.core.passages.grow import Grow
from velvet_seam.core.passages.slide import WORDS, Slide
from velvet_seam.core.passages.turn import Turn
from velvet_seam.core.passages.wipe import Wipe
from velvet_seam.core.words import OneOf

__all__ = ["WAYS", "Ground", "Spot", "Way", "WayName", "way_of"]

WAYS: tuple[Way, ...] = (
    Cut(), Fade(), *(Slide(side) for side in WORDS), Grow(), Turn(), *(Wipe(side) for side in WORDS),
)  # fmt: skip
"""All of them, in the order in which they are offered; a new one is named here."""

_BY_NAME = {way.name: way for way in WAYS}


def way_of(name: str) -> Way:
    """The way of a name that a document says.

    >>> way_of("slide-up").label
    'slides, top'
    """
    return _BY_NAME[name]


WayName = Annotated[str, OneOf(_BY_NAME, "there is no way to come and go called “{}”")]
"""The name of one of them."""
