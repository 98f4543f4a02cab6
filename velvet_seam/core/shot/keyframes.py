"""Keyframes of a number, a drawn outline or a curve: set, removed, moved, stretched, copied.

All kinds hold ``keys`` in the order of their frames, each with a ``frame``, a ``value`` and an
``ease``, and everything here acts on all alike. Frames count from the layer's first.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable
from typing import Any

from velvet_seam.core.looks.curve_points import AnyCurve, CurveKey, CurveKeys, curve_at
from velvet_seam.core.masks import Outline, OutlineKey, OutlineKeys, Vertex, outline_at
from velvet_seam.core.problem import Gone, Problem
from velvet_seam.core.shot.revise import revised, throughout
from velvet_seam.core.timing.animated import Animated, Keyframe, Keyframes, value_at
from velvet_seam.core.timing.ease import Ease

Keyed = Keyframes | OutlineKeys | CurveKeys


def is_keyed(value: Any) -> bool:
    return isinstance(value, Keyed)


def keys_kind(value: Any) -> type[Keyed]:
    """What keyframes of a value are: of a number, an outline, or a curve."""
    if isinstance(value, Keyed):
        return type(value)
    if isinstance(value, tuple):
        return OutlineKeys if value and isinstance(value[0], Vertex) else CurveKeys
    return Keyframes


_KEY: dict[type, Any] = {Keyframes: Keyframe, OutlineKeys: OutlineKey, CurveKeys: CurveKey}
_AT: dict[type, Any] = {Keyframes: value_at, OutlineKeys: outline_at, CurveKeys: curve_at}


def at_frame(value: Animated | Outline | OutlineKeys | AnyCurve, frame: int) -> Any:
    """A number, an outline or a curve as it is at a frame."""
    return _AT[keys_kind(value)](value, frame)


def with_keys(kind: Any, keys: Iterable[Any]) -> Any:
    """Keyframes of the kind of a value, the later given winning where two lie on one frame."""
    by_frame = {key.frame: key for key in keys}
    return keys_kind(kind)(keys=tuple(by_frame[frame] for frame in sorted(by_frame)))


def keyed(value: Any, frame: int, new: Any = None) -> Any:
    """The value with a keyframe at a frame: with what it is there, or with a new value.

    The new keyframe eases as the one before it does, so that a movement keeps its character; the
    first is smooth.

    >>> keyed(keyed(10.0, 0), 20, 50.0).keys[1]
    Keyframe(frame=20, value=50.0, ease='smooth')
    """
    held = value.keys if is_keyed(value) else ()
    before = [key for key in held if key.frame <= frame]
    ease: Ease = before[-1].ease if before else held[0].ease if held else "smooth"
    what = at_frame(value, frame) if new is None else new
    make = _KEY[keys_kind(value)]
    return with_keys(value, (*held, make(frame=frame, value=what, ease=ease)))


def unkeyed(value: Any, frames: Collection[int]) -> Any:
    """The value without its keyframes at some frames; without any left it stands still, as the
    last that went had it.

    >>> unkeyed(keyed(keyed(10.0, 0), 20, 50.0), [0, 20])
    50.0
    """
    if not is_keyed(value):
        return value
    left = [key for key in value.keys if key.frame not in frames]
    return with_keys(value, left) if left else value.keys[-1].value


def moved(
    value: Any, frames: Collection[int], by: int, *, about: int = 0, stretch: float = 1.0,
    rise: float = 0.0, copy: bool = False,
) -> Any:  # fmt: skip
    """The value with some of its keyframes elsewhere in time, or copied there.

    Args:
        by: frames later, after the distance to ``about`` has been stretched.
        rise: what is added to the value of each; of numbers only.

    A keyframe that lands on one that stays takes its place.
    """
    if not is_keyed(value):
        raise Problem("Nothing was changed: this value has no keyframes any more.")
    chosen = [key for key in value.keys if key.frame in frames]
    if len(chosen) < len(set(frames)):
        raise Gone("Nothing was changed: one of these keyframes is no longer there.")
    stay = value.keys if copy else [key for key in value.keys if key.frame not in frames]
    gone = []
    for key in chosen:
        changes: dict[str, Any] = {"frame": about + round((key.frame - about) * stretch) + by}
        if rise and isinstance(key, Keyframe):
            changes["value"] = key.value + rise
        gone.append(revised(key, **changes))
    if len({key.frame for key in gone}) < len(gone):
        raise Problem("Nothing was changed: keyframes pressed together would lie on one frame.")
    return with_keys(value, (*stay, *gone))


def with_ease(value: Any, frames: Collection[int], ease: Ease) -> Any:
    """The value with another ease after some of its keyframes."""
    if not is_keyed(value):
        raise Problem("Nothing was changed: this value has no keyframes any more.")
    return with_keys(
        value,
        (revised(key, ease=ease) if key.frame in frames else key for key in value.keys),
    )


def raised(value: Keyframes, by: float) -> Keyframes:
    """All keyframes of a number higher by as much: the whole movement, moved.

    >>> raised(keyed(1.0, 0), 2.0).keys[0].value
    3.0
    """
    return Keyframes(
        keys=tuple(Keyframe(frame=k.frame, value=k.value + by, ease=k.ease) for k in value.keys)
    )


def standing(part: Any, frame: int) -> Any:
    """A part in which every value stands still, as it is at a frame."""
    return throughout(part, lambda one: at_frame(one, frame) if is_keyed(one) else None)


def begun_later(part: Any, by: int) -> Any:
    """A part whose layer begins ``by`` frames later: its keyframes stay where they were in time."""

    def later(one: Any) -> Any:
        if not is_keyed(one):
            return None
        return with_keys(one, (revised(key, frame=key.frame - by) for key in one.keys))

    return throughout(part, later)
