"""Layers of the passes of one take: each shows at every frame what the first of them shows."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction

from velvet_seam.core.shot.layer import Layer, Span, TimeMap
from velvet_seam.core.shot.revise import fresh_parts, revised
from velvet_seam.core.steps import Clip
from velvet_seam.core.timing.animated import Animated, Keyframe, Keyframes

NEAR = 0.08
"""Frames of the clip: a straight line through its time is as good as the time itself within so much."""

SPEEDS = (-1000.0, 1000.0)


def pass_layer(
    layer: Layer, identity: str, name: str, thread: int, length: int, time: TimeMap
) -> Layer:
    """A layer like another one, of so many frames, that shows one pass."""
    span = Span(first=layer.span.first, last=layer.span.first + length - 1)
    made: Layer = revised(
        layer, id=identity, name=name, thread=thread, span=span, time=time, hidden=False, locked=False, tracks=(),
        sound=revised(layer.sound, on=False), **fresh_parts(layer, identity),
    )  # fmt: skip
    return made


def shows_from(clip: Clip, first: int, time: TimeMap) -> TimeMap:
    """At the clip's own speed from one of its frames on."""
    made: TimeMap = revised(
        time, source_in=clip.begins(first), speed=100.0, ends="hold", between="nearest"
    )
    return made


def shows(clip: Clip, frames: Sequence[float], time: TimeMap, rate: Fraction) -> TimeMap:
    """A time map whose speed, constant between its keyframes, shows a frame of the clip at each frame of the layer:
    the one that is nearest. Forward or backward."""
    knots = _knots(frames)
    begins = [_begins(clip, frames[n]) for n in knots]
    keys = []
    for (a, here), (b, there) in zip(
        zip(knots, begins, strict=True), list(zip(knots, begins, strict=True))[1:], strict=False
    ):
        pace = float((there - here) * rate / (b - a) * 100)
        keys.append(
            Keyframe(frame=a, value=round(min(max(pace, SPEEDS[0]), SPEEDS[1]), 4), ease="hold")
        )
    # half a frame in: of a time between two frames the nearer one is then seen
    half = (clip.begins(1) - clip.begins(0)) / 2 if clip.frames > 1 else Fraction(0)
    source_in = (begins[0] + half).limit_denominator(1_000_000)
    speed: Animated = (
        Keyframes(keys=tuple(keys)) if len(keys) > 1 else keys[0].value if keys else 0.0
    )
    made: TimeMap = revised(time, source_in=source_in, speed=speed, ends="hold", between="nearest")
    return made


def _begins(clip: Clip, frame: float) -> Fraction:
    """When a frame begins; between two, in between."""
    low = min(max(int(frame), 0), max(clip.frames - 1, 0))
    if low >= clip.frames - 1:
        return clip.begins(clip.frames - 1)
    here, after = clip.begins(low), clip.begins(low + 1)
    return here + Fraction(frame - low).limit_denominator(10_000) * (after - here)


def _knots(frames: Sequence[float]) -> list[int]:
    """Where straight lines through frames begin and end, each as long as it stays near enough."""
    kept, n, last = [0], 0, len(frames) - 1
    while n < last:
        end = n + 1
        while end < last and end - n < 40 and _straight(frames, n, end + 1):
            end += 1
        kept.append(end)
        n = end
    return kept


def _straight(frames: Sequence[float], first: int, last: int) -> bool:
    step = (frames[last] - frames[first]) / (last - first)
    return all(
        abs(frames[n] - frames[first] - step * (n - first)) < NEAR for n in range(first + 1, last)
    )
