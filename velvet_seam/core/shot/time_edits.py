"""Edits of when things are there and of a clip's own time: moved, trimmed, split, slipped, frozen,
turned round."""

from __future__ import annotations

from fractions import Fraction
from typing import Any, TypeVar

from pydantic import BaseModel

from velvet_seam.core.problem import Gone, Problem
from velvet_seam.core.shot.edit import ChangeSpeed, Freeze, MoveInTime, Reverse, Slip, Split, Trim
from velvet_seam.core.shot.keyframes import with_keys
from velvet_seam.core.shot.layer import FootageSource, Layer, SoundTrack, Span, TimeMap
from velvet_seam.core.shot.mask import OutlineKeys
from velvet_seam.core.shot.revise import fresh_seam, replaced, revised, with_layer
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.timing.animated import Animated, Keyframe, Keyframes, integral
from velvet_seam.core.timing.ease import Ease

Thing = TypeVar("Thing", Layer, SoundTrack)


def begun_later(part: Any, by: int) -> Any:
    """A part whose layer begins ``by`` frames later: its keyframes stay where they were in time."""
    if isinstance(part, Keyframes | OutlineKeys):
        return with_keys(part, (revised(key, frame=key.frame - by) for key in part.keys))
    if isinstance(part, BaseModel):
        fields = {name: getattr(part, name) for name in type(part).model_fields}
        return type(part).model_validate({n: begun_later(f, by) for n, f in fields.items()})
    if isinstance(part, tuple):
        return tuple(begun_later(one, by) for one in part)
    return part


def move_in_time(shot: Shot, edit: MoveInTime) -> Shot:
    def moved(thing: Thing) -> Thing:
        by = max(edit.by, -thing.span.first)
        return revised(thing, span=thing.span.moved(by))

    return replaced(shot, edit.target, moved)


def trim(shot: Shot, edit: Trim) -> Shot:
    def trimmed(thing: Thing) -> Thing:
        span = thing.span
        if edit.edge == "last":
            if edit.to < span.first:
                raise Problem(
                    f"The last frame of {thing.name} cannot lie before its first, which is {span.first}. "
                    "Nothing was changed."
                )
            return revised(thing, span=Span(first=span.first, last=edit.to))
        if edit.to > span.last:
            raise Problem(
                f"The first frame of {thing.name} cannot lie after its last, which is {span.last}. "
                "Nothing was changed."
            )
        first = edit.to
        moving = isinstance(thing, SoundTrack) or isinstance(thing.source, FootageSource)
        first = max(first, 0)
        if not moving:
            return revised(
                begun_later(thing, first - span.first), span=Span(first=first, last=span.last)
            )
        while first < span.first and _before_source(thing.time, first - span.first, shot.rate):
            first += 1
        by = first - span.first
        later = begun_later(thing, by)
        return revised(
            later,
            span=Span(first=first, last=span.last),
            time=revised(later.time, source_in=thing.time.at(by, shot.rate)),
        )

    return replaced(shot, edit.target, trimmed)


def _before_source(time: TimeMap, frames: int, rate: Fraction) -> bool:
    """Whether a clip would begin before its own first frame, played forwards to its end."""
    return (
        time.ends == "hold"
        and time.at(frames, rate) < 0
        and time.at(frames + 1, rate) > time.at(frames, rate)
    )


def split(shot: Shot, edit: Split) -> Shot:
    thing = next((one for one in shot.things if one.id == edit.target), None)
    if thing is None:
        raise Gone("Nothing was changed: that layer or sound is no longer in the shot.")
    if not thing.span.first < edit.at <= thing.span.last:
        raise Problem(f"{thing.name} has no frame on both sides of the playhead to be split there.")
    earlier = trim(shot, Trim(target=edit.target, edge="last", to=edit.at - 1))
    later = trim(shot, Trim(target=edit.target, edge="first", to=edit.at))
    if isinstance(thing, SoundTrack):
        piece = revised(later.sound(thing.id), id=edit.new_id)
        return revised(earlier, sounds=(*earlier.sounds, piece))
    rest = later.layer(thing.id)
    layers = list(earlier.layers)
    piece = revised(rest, id=edit.new_id, seam=fresh_seam(rest, edit.new_id))
    layers.insert(shot.layers.index(thing) + 1, piece)
    return revised(earlier, layers=layers)


def slip(shot: Shot, edit: Slip) -> Shot:
    """Another stretch of the source in the same span; one that plays forwards to its end is not begun
    before its first frame."""

    def slipped(thing: Thing) -> Thing:
        source_in = thing.time.source_in + Fraction(edit.by) / shot.rate
        if thing.time.ends == "hold":
            source_in = max(source_in, Fraction(0))
        return revised(thing, time=revised(thing.time, source_in=source_in))

    return replaced(shot, edit.target, slipped)


def freeze(shot: Shot, edit: Freeze) -> Shot:
    """One frame of a clip for some frames. What comes after waits for it; or, as a layer of its own,
    it lies right above and nothing else changes."""
    layer = shot.layer(edit.layer)
    if not isinstance(layer.source, FootageSource):
        raise Problem(f"{layer.name} is one flat colour: it stands still anyway.")
    if not layer.span.holds(edit.at):
        raise Problem(f"{layer.name} is not there at the playhead.")
    time = layer.time.at(edit.at - layer.span.first, shot.rate)
    held = begun_later(layer, edit.at - layer.span.first)
    frozen = revised(
        held,
        id=edit.frozen_id,
        name=f"{layer.name[:112]} frozen",
        seam=fresh_seam(held, edit.frozen_id),
        span=Span(first=edit.at, last=edit.at + edit.frames - 1),
        time=revised(layer.time, source_in=time, speed=0.0),
        sound=revised(layer.sound, on=False),
    )
    rest: tuple[Layer, ...] = ()
    if not edit.apart:
        if edit.at > layer.span.first:
            shot = split(shot, Split(target=layer.id, at=edit.at, new_id=edit.rest_id))
            rest = (shot.layer(edit.rest_id),)
            shot = revised(shot, layers=[one for one in shot.layers if one.id != edit.rest_id])
            rest = (revised(rest[0], span=rest[0].span.moved(edit.frames)),)
        else:
            shot = with_layer(shot, revised(layer, span=layer.span.moved(edit.frames)))
    layers = list(shot.layers)
    at = next(n for n, one in enumerate(layers) if one.id == layer.id)
    layers[at + 1 : at + 1] = [frozen, *rest]
    return revised(shot, layers=layers)


def change_speed(shot: Shot, edit: ChangeSpeed) -> Shot:
    """Another speed over the same stretch of the source: the bar becomes longer or shorter."""

    def changed(thing: Thing) -> Thing:
        if edit.speed == 0:
            raise Problem(
                "At 0 % the clip stands still and shows no stretch of itself. Nothing was changed."
            )
        stretch = integral(thing.time.speed, thing.span.length)
        if stretch == 0:
            raise Problem(f"{thing.name} stands still, and shows no stretch that could be kept.")
        frames = max(1, round(abs(stretch) / abs(Fraction(edit.speed).limit_denominator(10_000))))
        span = Span(first=thing.span.first, last=thing.span.first + frames - 1)
        return revised(thing, span=span, time=revised(thing.time, speed=edit.speed))

    return replaced(shot, edit.target, changed)


def reverse(shot: Shot, edit: Reverse) -> Shot:
    """The same stretch of the source, from its end to its beginning."""

    def turned(thing: Thing) -> Thing:
        last = thing.span.length - 1
        time = thing.time
        begin = time.at(last, shot.rate)
        return revised(thing, time=revised(time, source_in=begin, speed=_turned(time.speed, last)))

    return replaced(shot, edit.target, turned)


_TURNED: dict[Ease, Ease] = {"slow-start": "slow-end", "slow-end": "slow-start"}


def _turned(speed: Animated, last: int) -> Animated:
    """A speed run through from its end, backwards."""
    if not isinstance(speed, Keyframes):
        return -speed
    eases = [key.ease for key in speed.keys[:-1]]
    if "hold" in eases and set(eases) != {"hold"}:
        raise Problem(
            "Nothing was changed: a speed that holds only here and there cannot be turned."
        )
    keys = []
    for n, key in enumerate(speed.keys):
        ease: Ease = eases[n - 1] if n else "hold"
        if not isinstance(ease, str):
            x1, y1, x2, y2 = ease
            ease = (1 - x2, 1 - y2, 1 - x1, 1 - y1)
        # a value that holds does so from its keyframe on: turned, from the one after it
        value = speed.keys[n - 1].value if n and "hold" in eases else key.value
        frame = last - key.frame
        keys.append(Keyframe(frame=frame, value=-value, ease=_TURNED.get(ease, ease)))
    if "hold" in eases:
        end = speed.keys[-1]
        keys.append(Keyframe(frame=last - end.frame - 1, value=-end.value, ease="hold"))
    return with_keys(speed, keys)
