"""Keyframes put in, moved, eased, pasted and taken away."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Annotated, Any, Literal

from pydantic import Field

from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits.base import EditBase, called, value_words
from velvet_seam.core.shot.edits.paths import changed
from velvet_seam.core.shot.keyframes import (
    Keyed,
    is_keyed,
    keyed,
    keys_kind,
    moved,
    unkeyed,
    with_ease,
    with_keys,
)
from velvet_seam.core.shot.revise import revised
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.timing.ease import Ease
from velvet_seam.core.words import Id

Paths = Annotated[
    tuple[Annotated[str, Field(max_length=200)], ...], Field(min_length=1, max_length=200)
]
Frames = Annotated[
    dict[str, Annotated[tuple[int, ...], Field(min_length=1, max_length=10_000)]],
    Field(min_length=1, max_length=200),
]
"""Keyframes: for the path of each value the frames they lie on, counted from the target's first."""


class KeyHere(EditBase):
    """Put a keyframe on each of some values with what they are at a frame, or take it away."""

    do: Literal["key-here"] = "key-here"
    target: Id
    paths: Paths
    frame: int
    on: bool = True

    def applied(self, shot: Shot) -> Shot:
        def change(old: Any) -> Any:
            if not self.on:
                return unkeyed(old, [self.frame])
            if not (is_keyed(old) or isinstance(old, float | tuple)):
                raise Problem("Nothing was changed: only numbers and outlines have keyframes.")
            return keyed(old, self.frame)

        return changed(shot, self.target, dict.fromkeys(self.paths, change))

    def words(self, shot: Shot) -> str:
        what = f"{len(self.paths)} keyframes"
        if len(self.paths) == 1:
            what = f"keyframe of {value_words(self.paths[0])}"
        return f"{'' if self.on else 'remove '}{what}, {called(shot, self.target)}"


class MoveKeys(EditBase):
    """Move keyframes in time, or copies of them: first stretched about a frame, then later ``by`` as
    many frames. ``rise`` is added to the values of those that are numbers."""

    do: Literal["move-keys"] = "move-keys"
    target: Id
    keys: Frames
    by: int = Field(0, ge=-1_000_000, le=1_000_000)
    about: int = Field(0, ge=-1_000_000, le=1_000_000)
    stretch: float = Field(1.0, ge=-100, le=100)
    rise: float = Field(0.0, ge=-1e6, le=1e6)
    copied: bool = False

    def applied(self, shot: Shot) -> Shot:
        def change(frames: tuple[int, ...]) -> Callable[[Any], Any]:
            return lambda old: moved(
                old, frames, self.by, about=self.about, stretch=self.stretch, rise=self.rise,
                copy=self.copied,
            )  # fmt: skip

        return changed(shot, self.target, {path: change(at) for path, at in self.keys.items()})

    def words(self, shot: Shot) -> str:
        return f"move keyframes of {called(shot, self.target)}"


class RemoveKeys(EditBase):
    """Take keyframes away; a value without any left stands still."""

    do: Literal["remove-keys"] = "remove-keys"
    target: Id
    keys: Frames

    def applied(self, shot: Shot) -> Shot:
        changes = {path: partial(unkeyed, frames=frames) for path, frames in self.keys.items()}
        return changed(shot, self.target, changes)

    def words(self, shot: Shot) -> str:
        return f"remove keyframes of {called(shot, self.target)}"


class EaseKeys(EditBase):
    """How values leave some of their keyframes."""

    do: Literal["ease-keys"] = "ease-keys"
    target: Id
    keys: Frames
    ease: Ease

    def applied(self, shot: Shot) -> Shot:
        changes = {
            path: partial(with_ease, frames=frames, ease=self.ease)
            for path, frames in self.keys.items()
        }
        return changed(shot, self.target, changes)

    def words(self, shot: Shot) -> str:
        return f"ease of keyframes, {called(shot, self.target)}"


class PasteKeys(EditBase):
    """Keyframes put onto values of a target, ``keys`` counted from ``at``."""

    do: Literal["paste-keys"] = "paste-keys"
    target: Id
    at: int = Field(ge=-1_000_000, le=1_000_000)
    keys: dict[str, Keyed] = Field(min_length=1, max_length=200)

    def applied(self, shot: Shot) -> Shot:
        def change(new: Keyed) -> Callable[[Any], Any]:
            def to(old: Any) -> Any:
                if keys_kind(new) is not keys_kind(old):
                    raise Problem("Nothing was changed: keyframes of another kind of value.")
                there = [revised(key, frame=key.frame + self.at) for key in new.keys]
                return with_keys(new, (*(old.keys if is_keyed(old) else ()), *there))

            return to

        return changed(shot, self.target, {path: change(new) for path, new in self.keys.items()})

    def words(self, shot: Shot) -> str:
        return f"paste keyframes of {called(shot, self.target)}"
