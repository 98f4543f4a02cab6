"""Tracks of a layer: kept, taken off, and what follows them."""

from __future__ import annotations

from typing import Any, Literal

from velvet_seam.core.masks import MaskBase
from velvet_seam.core.problem import Gone, Problem
from velvet_seam.core.shot.edits.base import EditBase, called
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.revise import revised, with_layer
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.shot.track import Track
from velvet_seam.core.timing.following import Follow
from velvet_seam.core.words import Id


class SetTrack(EditBase):
    """Keep a track of a layer's clip: a new one, or another path of one that is there."""

    do: Literal["set-track"] = "set-track"
    layer: Id
    track: Track

    def applied(self, shot: Shot) -> Shot:
        layer = shot.layer(self.layer)
        if layer.source.shows is None:
            raise Problem(f"{layer.name} shows no clip that could be followed.")
        others = [one for one in layer.tracks if one.id != self.track.id]
        place = next(
            (n for n, one in enumerate(layer.tracks) if one.id == self.track.id), len(others)
        )
        return with_layer(
            shot, revised(layer, tracks=(*others[:place], self.track, *others[place:]))
        )

    def words(self, shot: Shot) -> str:
        return f"track {self.track.name} of {called(shot, self.layer)}"


class RemoveTrack(EditBase):
    """Take a track off; what followed it stands where its own values say."""

    do: Literal["remove-track"] = "remove-track"
    layer: Id
    track: Id

    def applied(self, shot: Shot) -> Shot:
        layer = shot.layer(self.layer)
        left = tuple(one for one in layer.tracks if one.id != self.track)
        if len(left) == len(layer.tracks):
            raise Gone("Nothing was changed: that track is no longer there.")
        return with_layer(shot, revised(layer, tracks=left))

    def words(self, shot: Shot) -> str:
        return f"remove a track of {called(shot, self.layer)}"


class FollowTrack(EditBase):
    """A layer, or a mask of it (``part``), follows tracks; or, with none, no longer."""

    do: Literal["follow-track"] = "follow-track"
    layer: Id
    part: Id | None = None
    follow: Follow

    def applied(self, shot: Shot) -> Shot:
        layer = shot.layer(self.layer)
        held = shot.layer(self.follow.layer) if self.follow.layer else layer
        known = {one.id for one in held.tracks}
        if not set(self.follow.tracks) <= known:
            raise Gone("Nothing was changed: that track is no longer there.")
        if self.part is None:
            return with_layer(shot, revised(layer, follow=self.follow))
        found = False

        def turned(masks: tuple[Any, ...]) -> list[MaskBase]:
            nonlocal found
            found = found or any(one.id == self.part for one in masks)
            return [
                revised(one, follow=self.follow) if one.id == self.part else one for one in masks
            ]

        seam = revised(layer.seam, masks=turned(layer.seam.masks))
        look = revised(
            layer.look, parts=[revised(one, masks=turned(one.masks)) for one in layer.look.parts]
        )
        if not found:
            raise Gone("Nothing was changed: that mask is no longer there.")
        return with_layer(shot, revised(layer, seam=seam, look=look))

    def words(self, shot: Shot) -> str:
        name = called(shot, self.layer)
        if self.follow.none:
            return f"{name} follows nothing"
        return f"{name} {'is held still' if self.follow.still else 'follows a track'}"


def followers(shot: Shot, layer: Layer, track: str | None = None) -> list[str]:
    """The names of what follows a track of a layer, or any of them."""
    found = []
    for one in shot.layers:
        for what, follow in [(one.name, one.follow)] + [
            (f"a mask of {one.name}", m.follow) for m in one.masks
        ]:
            of = follow.layer or one.id
            if of == layer.id and not follow.none and (track is None or track in follow.tracks):
                found.append(what)
    return found


def left_behind(before: Shot, after: Shot) -> list[str]:
    """The names of what followed a track that is no longer there.

    >>> from velvet_seam.core.shot.shot import Canvas
    >>> none = Shot(name="s", canvas=Canvas(width=16, height=16), rate="25", length=1)
    >>> left_behind(none, none)
    []
    """
    gone: list[str] = []
    for layer in before.layers:
        held = next((one for one in after.layers if one.id == layer.id), None)
        left = {one.id for one in held.tracks} if held else set()
        lost = [one.id for one in layer.tracks if one.id not in left]
        still = {name for one in lost for name in followers(after, layer, one)}
        gone += sorted(still - set(gone))
    return gone
