"""What the panel says of the tracks of a layer: how fast, how shaky, where they are lost, what follows them."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.engine.clip_time import frame_shown
from velvet_seam.core.shot.edits import followers
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.shot.track import Track
from velvet_seam.core.steps import Clip
from velvet_seam.core.timing.rate import spell

MOST_SAID = 4
HIGH = 44.0
"""Of the curve, in its own units; one unit across is a frame."""

STEADY = 1.5
"""Frames: a path less itself smoothed over so many is jitter."""


@dataclass(frozen=True)
class TrackFacts:
    """Of one track, ready for the panel; ``lost_at`` and ``again`` are shot frames and how they are spelled."""

    id: str
    name: str
    kind: str
    smooth: float
    width: int
    speed: str
    jitter: str
    gaps: list[tuple[int, int]]
    by_hand: list[int]
    fastest: float
    shaky: float
    lost: int
    lost_at: list[tuple[int, str]]
    again: list[tuple[int, str]]
    followers: list[str]
    still: bool


def track_facts(shot: Shot, layer: Layer, clip: Clip) -> list[TrackFacts]:
    """The facts of each track of a layer that shows a clip."""
    if not layer.tracks:
        return []
    when: dict[int, int] = {}
    for number in range(layer.span.length):
        shown = frame_shown(clip, layer.time, number, shot.rate)
        when.setdefault(shown, layer.span.first + number)
    return [_facts(shot, layer, one, when) for one in layer.tracks]


def _facts(shot: Shot, layer: Layer, track: Track, when: dict[int, int]) -> TrackFacts:
    middle = track.places.mean(1)
    steps = np.hypot(*np.diff(middle, axis=0).T) if len(middle) > 1 else np.zeros(1)
    shaky = _jitter(track)
    most = max(float(steps.max(initial=0.0)), 1.0)
    lost = [one for one in track.lost if one in when]

    def said(frames: Iterable[int]) -> list[tuple[int, str]]:
        return [(when[one], spell(when[one], shot.rate)) for one in frames if one in when][
            :MOST_SAID
        ]

    return TrackFacts(
        id=track.id, name=track.name, kind=track.kind, smooth=track.smooth, width=max(len(track.path), 2),
        speed=_line(steps, most), jitter=_line(shaky, most), gaps=_runs([one - track.first for one in track.lost]),
        by_hand=[one - track.first for one in track.by_hand], fastest=most if steps.max(initial=0.0) > 0 else 0.0,
        shaky=float(np.median(shaky)), lost=len(lost), lost_at=said(first for first, _ in _runs(lost)),
        again=said(track.again),
        followers=[one for one in followers(shot, layer, track.id) if one != layer.name],
        still=layer.follow.still and track.id in layer.follow.tracks and layer.follow.layer is None,
    )  # fmt: skip


def _jitter(track: Track) -> NDArray[np.float64]:
    """How far the path lies from itself smoothed, frame by frame, pixels."""
    calm = track.model_copy(update={"smooth": STEADY})
    calm.__dict__.pop("places", None)  # worked out for the track it is a copy of
    return np.asarray(np.hypot(*(track.places.mean(1) - calm.places.mean(1)).T))


def _line(values: NDArray[np.float64], most: float) -> str:
    """A curve over frames as an SVG path."""
    points = (f"{n + 0.5:g} {HIGH - 2 - (HIGH - 4) * v / most:.1f}" for n, v in enumerate(values))
    return "M" + "L".join(points)


def _runs(numbers: Iterable[int]) -> list[tuple[int, int]]:
    """Numbers in a row together: first and last of each.

    >>> _runs([3, 4, 5, 9])
    [(3, 5), (9, 9)]
    """
    found: list[tuple[int, int]] = []
    for one in numbers:
        if found and found[-1][1] == one - 1:
            found[-1] = (found[-1][0], one)
        else:
            found.append((one, one))
    return found


def all_tracks(shot: Shot, layer: Layer | None) -> list[tuple[Layer, Track]]:
    """Every track of a shot; of those that a layer could follow, those of the others."""
    of = (one for one in reversed(shot.layers) if layer is None or one.id != layer.id)
    return [(one, track) for one in of for track in one.tracks]


def track_known(shot: Shot, layer: Layer) -> bool:
    """Whether what a layer follows is still there."""
    held = next((one for one in shot.layers if one.id == (layer.follow.layer or layer.id)), None)
    return held is not None and any(one.id in layer.follow.tracks for one in held.tracks)
