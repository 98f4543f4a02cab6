"""A clip's own time: which frames of the source a frame of the shot shows, and in what parts."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction

from velvet_seam.core.picture.between import flowed, mixed_frames
from velvet_seam.core.picture.planes import Planes
from velvet_seam.core.shot.layer import Span, TimeMap
from velvet_seam.core.steps import Clip, Footage, Picture, Step, step

Shown = tuple[int, int, float]
"""The number of a frame, of the one after it, and how far it is on the way there, 0 to 1."""


def folded(time: Fraction, ends: str, length: Fraction, last: Fraction) -> Fraction:
    """A time beyond the source brought back into it.

    Args:
        ends: ``loop`` begins again after ``length``; ``bounce`` runs back from the ``last`` frame's
            begin, so that neither the first nor the last frame shows twice; ``hold`` leaves it.

    >>> [int(folded(Fraction(n), "bounce", Fraction(4), Fraction(3))) for n in range(-2, 8)]
    [2, 1, 0, 1, 2, 3, 2, 1, 0, 1]
    """
    if ends == "loop" and length > 0:
        return time % length
    if ends == "bounce" and last > 0:
        time %= 2 * last
        return 2 * last - time if time > last else time
    return time


def _number(footage: Clip, time: Fraction, ends: str) -> tuple[int, Fraction]:
    """The frame that is seen at a time of a source, and that time brought back into it."""
    if ends != "hold":
        last = footage.begins(footage.frames - 1) if footage.frames else Fraction(0)
        time = folded(time, ends, footage.length, last)
    return footage.frame_at(time), time


def shown(footage: Clip, time: Fraction, ends: str) -> Shown:
    """What of a source is seen at a time of it."""
    if not footage.moving:
        return 0, 0, 0.0
    number, time = _number(footage, time, ends)
    final = footage.frames - 1
    if number >= final and ends != "loop":
        return number, number, 0.0
    begin = footage.begins(number)
    after = footage.begins(number + 1) if number < final else footage.length
    part = (time - begin) / (after - begin) if after > begin else Fraction(0)
    return number, (number + 1) % (final + 1), float(min(max(part, Fraction(0)), Fraction(1)))


def frame_shown(footage: Clip, clip_time: TimeMap, frames: int, rate: Fraction) -> int:
    """The source frame that a layer shows so many shot frames after its first."""
    return _number(footage, clip_time.at(frames, rate), clip_time.ends)[0] if footage.moving else 0


def frames_shown(clip: Clip, time: TimeMap, length: int, rate: Fraction) -> list[int]:
    """The frames of a clip that a layer of some length shows, one after the other."""
    return [frame_shown(clip, time, at, rate) for at in range(length)]


def runs_out(clip_time: TimeMap, span: Span, rate: Fraction, length: Fraction) -> int | None:
    """The shot frame from which on a clip of so many seconds is over and holds a frame; of a long span
    to within a thousandth of it. None where it lasts, or does not hold.

    >>> from velvet_seam.core.shot.layer import Span
    >>> runs_out(TimeMap(speed=200), Span(first=10, last=99), Fraction(25), Fraction(2))
    35
    """
    if clip_time.ends != "hold" or clip_time.speed == 0:
        return None
    for frames in range(0, span.length, max(1, span.length // 1000)):
        if not 0 <= clip_time.at(frames, rate) < length:
            return span.first + frames
    return None


def reading(
    footage: Footage, clip_time: TimeMap, frames: int, rate: Fraction, soon: bool, planes: bool = False
) -> Step:  # fmt: skip
    """The step that reads a layer's picture of its source; with ``planes`` as its codec holds it where
    it can be had so."""

    def read(number: int, planes: bool = False) -> Step:
        return step(
            "read", _read, (footage, number, planes), lasting=not footage.moving, lane=footage.digest,
            soon=soon,
        )  # fmt: skip

    return seen_of(footage, read, clip_time, frames, rate, planes)


def seen_of(
    footage: Clip, read: Callable[..., Step], clip_time: TimeMap, frames: int, rate: Fraction,
    planes: bool = False,
) -> Step:  # fmt: skip
    """What a layer sees of a source whose frames ``read`` gives."""
    if clip_time.between == "nearest":
        number = frame_shown(footage, clip_time, frames, rate)
        return read(number, planes) if planes else read(number)
    number, after, part = shown(footage, clip_time.at(frames, rate), clip_time.ends)
    if number == after or part < 1 / 256:
        return read(number, planes) if planes else read(number)
    return step("between", _joined, (clip_time.between, part), read(number), read(after))


def _read(footage: Footage, number: int, planes: bool) -> Picture | Planes:
    return footage.read_planes(number) if planes else footage.read(number)


def _joined(between: str, part: float, one: Picture, other: Picture) -> Picture:
    return mixed_frames(one, other, part) if between == "mix" else flowed(one, other, part)
