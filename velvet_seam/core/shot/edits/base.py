"""What every edit has: whom it changes, what it does to a shot, and what it did in words."""

from __future__ import annotations

from typing import TypeVar

from pydantic import ValidationError

from velvet_seam.core.problem import Gone, Problem
from velvet_seam.core.shot.layer import Layer, SoundTrack
from velvet_seam.core.shot.shot import Shot, sentence
from velvet_seam.core.words import Part

Thing = TypeVar("Thing", Layer, SoundTrack)


class EditBase(Part):
    """One change to a shot, as a small typed value. A kind of its own has a word ``do``."""

    def applied(self, shot: Shot) -> Shot:
        """The shot after it.

        Raises:
            Problem: with a sentence that says why it cannot be done.
        """
        raise NotImplementedError

    def words(self, shot: Shot) -> str:
        """A few words for it, about the shot that it is going to change: for undo and the history."""
        raise NotImplementedError

    @property
    def changes(self) -> str | None:
        """The id of the layer or sound that it changes, and that must not be locked."""
        for name in ("target", "layer", "sound"):
            held = getattr(self, name, None)
            if isinstance(held, str):
                return held
        return None


def apply(shot: Shot, edit: EditBase) -> Shot:
    """The shot after an edit; the given shot is left as it is.

    Raises:
        Problem: with a sentence that says why the edit cannot be done.
    """
    changes = edit.changes
    for thing in shot.things:
        if thing.id == changes and thing.locked:
            raise Problem(f"{thing.name} is locked. Unlock it to change it.")
    try:
        return edit.applied(shot)
    except ValidationError as error:
        raise Problem(f"Nothing was changed: {sentence(error)}.") from None


def called(shot: Shot, target: str | None) -> str:
    """The name of a layer or a sound; that of the shot, where there is no target."""
    if target is None:
        return shot.name
    for thing in shot.things:
        if thing.id == target:
            return thing.name
    raise Gone("That layer is no longer in the shot.")


_VALUE_WORDS = {
    "x": "position",
    "y": "position",
    "source_in": "start in the source",
    "flip_x": "mirror",
    "flip_y": "upside down",
    "on": "on or off",
    "colour_from": "screen colour",
    "hidden": "hide",
    "locked": "lock",
}


def value_words(path: str) -> str:
    """What the value at a path is called.

    >>> value_words("place.x"), value_words("seam.edge.feather")
    ('position', 'feather')
    """
    last = path.rpartition(".")[2]
    return _VALUE_WORDS.get(last, last.replace("_", " "))


def thing_of(shot: Shot, target: str) -> Layer | SoundTrack:
    """The layer or the sound that an edit changes."""
    found = next((one for one in shot.things if one.id == target), None)
    if found is None:
        raise Gone("Nothing was changed: that layer or sound is no longer in the shot.")
    return found
