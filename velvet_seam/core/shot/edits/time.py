"""When things are there, and a clip's own time: moved, trimmed, split, slipped, frozen, turned round."""

from __future__ import annotations

from fractions import Fraction
from typing import Any, Literal, TypeVar

from pydantic import Field

from velvet_seam.core.problem import Gone, Problem
from velvet_seam.core.shot.edits.base import EditBase, called
from velvet_seam.core.shot.keyframes import begun_later, standing, with_keys
from velvet_seam.core.shot.layer import Layer, SoundTrack, Span, TimeMap
from velvet_seam.core.shot.leading import led_later
from velvet_seam.core.shot.motion import Passage
from velvet_seam.core.shot.revise import fresh_parts, replaced, revised, with_layer
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.timing.animated import Animated, Keyframe, Keyframes, integral
from velvet_seam.core.timing.ease import Ease
from velvet_seam.core.words import Id

Thing = TypeVar("Thing", Layer, SoundTrack)


class MoveInTime(EditBase):
    """Move a layer or a sound by whole frames."""

    do: Literal["move-in-time"] = "move-in-time"
    target: Id
    by: int

    def applied(self, shot: Shot) -> Shot:
        thing = next((one for one in shot.things if one.id == self.target), None)
        if thing is None:
            raise Gone("Nothing was changed: that layer or sound is no longer in the shot.")
        by = max(self.by, -thing.span.first)
        moved = replaced(shot, self.target, lambda one: revised(one, span=one.span.moved(by)))
        return revised(moved, layers=led_later(moved.layers, {self.target: by}))

    def words(self, shot: Shot) -> str:
        return f"move {called(shot, self.target)} in time"


class Trim(EditBase):
    """Put the first or the last frame of a layer or a sound at a shot frame.

    Trimming the first frame keeps every remaining frame showing what it showed before.
    """

    do: Literal["trim"] = "trim"
    target: Id
    edge: Literal["first", "last"]
    to: int

    def applied(self, shot: Shot) -> Shot:
        def trimmed(thing: Thing) -> Thing:
            span = thing.span
            if self.edge == "last":
                if self.to < span.first:
                    raise Problem(
                        f"The last frame of {thing.name} cannot lie before its first, which is {span.first}. "
                        "Nothing was changed."
                    )
                return _ending_at(thing, self.to)
            if self.to > span.last:
                raise Problem(
                    f"The first frame of {thing.name} cannot lie after its last, which is {span.last}. "
                    "Nothing was changed."
                )
            first = self.to
            filmed = isinstance(thing, SoundTrack) or thing.source.shows is not None
            first = max(first, 0)
            while (
                filmed
                and first < span.first
                and _before_source(thing.time, first - span.first, shot.rate)
            ):
                first += 1
            return _begun_at(thing, first, shot.rate)

        return replaced(shot, self.target, trimmed)

    def words(self, shot: Shot) -> str:
        return f"trim {called(shot, self.target)}"


class Split(EditBase):
    """Cut a layer or a sound in two in front of a shot frame; nothing that is seen changes.

    The later piece is new; a layer's lies right above the earlier one. What shakes or falls by itself goes on, a way
    in or out that the cut lies in goes on, and nothing comes or goes at the cut.
    """

    do: Literal["split"] = "split"
    target: Id
    at: int
    new_id: Id

    def applied(self, shot: Shot) -> Shot:
        thing = next((one for one in shot.things if one.id == self.target), None)
        if thing is None:
            raise Gone("Nothing was changed: that layer or sound is no longer in the shot.")
        if not thing.span.first < self.at <= thing.span.last:
            raise Problem(
                f"{thing.name} has no frame on both sides of the playhead to be split there."
            )
        earlier = Trim(target=self.target, edge="last", to=self.at - 1).applied(shot)
        later = Trim(target=self.target, edge="first", to=self.at).applied(shot)
        by = self.at - thing.span.first
        left_of, rest_of = _fades_cut(thing, by)
        if isinstance(thing, SoundTrack):
            piece = revised(later.sound(thing.id), id=self.new_id, **rest_of)
            ended = replaced(earlier, thing.id, lambda one: revised(one, **left_of))
            return revised(ended, sounds=(*ended.sounds, piece))
        rest = later.layer(thing.id)
        echo = revised(rest.echo, earlier=thing.echo.earlier + by) if rest.echo.count else rest.echo
        piece = revised(
            rest,
            id=self.new_id,
            **fresh_parts(rest, self.new_id) | {"piece_of": thing.id},
            arrive=_cut_off(thing.arrive, by),
            echo=echo,
            sound=revised(rest.sound, **rest_of),
        )
        left = revised(
            earlier.layer(thing.id),
            leave=_cut_off(thing.leave, thing.span.length - by),
            sound=revised(thing.sound, **left_of),
        )
        layers = list(earlier.layers)
        at = shot.layers.index(thing)
        layers[at : at + 1] = [left, piece]
        return revised(earlier, layers=layers)

    def words(self, shot: Shot) -> str:
        return f"split {called(shot, self.target)}"


class Slip(EditBase):
    """Show another stretch of the source in the same span: so many shot frames later in it. One that plays
    forwards to its end is not begun before its first frame."""

    do: Literal["slip"] = "slip"
    target: Id
    by: int = Field(ge=-200_000, le=200_000)

    def applied(self, shot: Shot) -> Shot:
        def slipped(thing: Thing) -> Thing:
            source_in = thing.time.source_in + Fraction(self.by) / shot.rate
            if thing.time.ends == "hold":
                source_in = max(source_in, Fraction(0))
            return revised(thing, time=revised(thing.time, source_in=source_in))

        return replaced(shot, self.target, slipped)

    def words(self, shot: Shot) -> str:
        return f"slip {called(shot, self.target)}"


class Freeze(EditBase):
    """Hold a frame of a layer from a shot frame on, all its values as they are there. What comes after waits for it;
    or, ``apart`` as a layer of its own, it lies right above and nothing else changes."""

    do: Literal["freeze"] = "freeze"
    layer: Id
    at: int
    frames: int = Field(ge=1, le=200_000)
    frozen_id: Id
    rest_id: Id
    apart: bool = False

    def applied(self, shot: Shot) -> Shot:
        layer = shot.layer(self.layer)
        if layer.source.adjusts or layer.source.moves:
            raise Problem(
                f"{layer.name} has no picture of its own that could be held. Nothing was changed."
            )
        if layer.source.shows is None and not layer.source.generated:
            raise Problem(f"{layer.name} is one flat colour: it stands still anyway.")
        if not layer.span.holds(self.at):
            raise Problem(f"{layer.name} is not there at the playhead.")
        own = self.at - layer.span.first
        held = standing(layer, own)
        frozen = revised(
            held,
            id=self.frozen_id,
            name=f"{layer.name[:112]} frozen",
            **fresh_parts(held, self.frozen_id),
            span=Span(first=self.at, last=self.at + self.frames - 1),
            age=layer.age + own,
            time=revised(layer.time, source_in=layer.time.at(own, shot.rate), speed=0.0),
            sound=revised(layer.sound, on=False),
            arrive=Passage() if self.apart or own else layer.arrive,
            leave=Passage(),
        )
        rest: tuple[Layer, ...] = ()
        if not self.apart:
            if self.at > layer.span.first:
                shot = Split(target=layer.id, at=self.at, new_id=self.rest_id).applied(shot)
                rest = (shot.layer(self.rest_id),)
                shot = revised(shot, layers=[one for one in shot.layers if one.id != self.rest_id])
                rest = led_later(
                    (revised(rest[0], span=rest[0].span.moved(self.frames)),),
                    {self.rest_id: self.frames},
                )
            else:
                waiting = revised(layer, span=layer.span.moved(self.frames), arrive=Passage())
                shot = with_layer(shot, waiting)
                shot = revised(shot, layers=led_later(shot.layers, {layer.id: self.frames}))
        layers = list(shot.layers)
        at = next(n for n, one in enumerate(layers) if one.id == layer.id)
        layers[at + 1 : at + 1] = [frozen, *rest]
        return revised(shot, layers=layers)

    def words(self, shot: Shot) -> str:
        return f"freeze {called(shot, self.layer)}"


class ChangeSpeed(EditBase):
    """Another even speed; the same stretch of the source is shown, in more or fewer frames: the bar becomes
    longer or shorter."""

    do: Literal["change-speed"] = "change-speed"
    target: Id
    speed: float = Field(ge=-1000, le=1000)

    def applied(self, shot: Shot) -> Shot:
        def changed(thing: Thing) -> Thing:
            speed = Fraction(self.speed).limit_denominator(10_000)
            if speed == 0:
                raise Problem(
                    "At 0 % the clip stands still and shows no stretch of itself. Nothing was changed."
                )
            stretch = integral(thing.time.speed, thing.span.length)
            if stretch == 0:
                raise Problem(
                    f"{thing.name} stands still, and shows no stretch that could be kept."
                )
            frames = max(1, round(abs(stretch) / abs(speed)))
            span = Span(first=thing.span.first, last=thing.span.first + frames - 1)
            return revised(thing, span=span, time=revised(thing.time, speed=self.speed))

        return replaced(shot, self.target, changed)

    def words(self, shot: Shot) -> str:
        return f"speed of {called(shot, self.target)}"


class Reverse(EditBase):
    """Show the same stretch of the source from its end to its beginning."""

    do: Literal["reverse"] = "reverse"
    target: Id

    def applied(self, shot: Shot) -> Shot:
        def turned(thing: Thing) -> Thing:
            last = thing.span.length - 1
            time = thing.time
            begin = time.at(last, shot.rate)
            return revised(
                thing, time=revised(time, source_in=begin, speed=_turned(time.speed, last))
            )

        return replaced(shot, self.target, turned)

    def words(self, shot: Shot) -> str:
        return f"{called(shot, self.target)} the other way round"


def _begun_at(thing: Thing, first: int, rate: Fraction) -> Thing:
    """A layer or a sound whose first frame is another one; all that is left of it shows what it showed. What is
    computed begins anew where it comes to begin before its own beginning."""
    by = first - thing.span.first
    later, source_in = begun_later(thing, by), thing.time.at(by, rate)
    if isinstance(later, Layer):
        if later.source.shows is None and by < 0:
            source_in = max(source_in, Fraction(0))
        later = revised(
            later,
            age=max(0, later.age + by),
            arrive=_more_cut(later.arrive, by, "done"),
            echo=_more_cut(later.echo, by, "earlier"),
            sound=_more_cut(later.sound, by, "faded_in"),
        )
    else:
        later = _more_cut(later, by, "faded_in")
    span = Span(first=first, last=thing.span.last)
    return revised(later, span=span, time=revised(later.time, source_in=source_in))


def _ending_at(thing: Thing, last: int) -> Thing:
    """A layer or a sound whose last frame is another one."""
    by = thing.span.last - last
    if isinstance(thing, Layer):
        leave = _more_cut(thing.leave, by, "done")
        thing = revised(thing, leave=leave, sound=_more_cut(thing.sound, by, "faded_out"))
    else:
        thing = _more_cut(thing, by, "faded_out")
    return revised(thing, span=Span(first=thing.span.first, last=last))


def _more_cut(part: Any, by: int, name: str) -> Any:
    """A part of which a split cut off some frames, by so many more; one that none were cut off stays as it is."""
    done = getattr(part, name)
    return revised(part, **{name: max(0, done + by)}) if done else part


def _cut_off(passage: Passage, by: int) -> Passage:
    """A way in or out of which so many more frames are cut off; none where that is all of it."""
    done = passage.done + by
    if passage.way == "cut" or (
        not isinstance(passage.frames, Keyframes) and done >= passage.frames
    ):
        return Passage()
    return revised(passage, done=done)


def _fades_cut(thing: Layer | SoundTrack, by: int) -> tuple[dict[str, Any], dict[str, Any]]:
    """What is to be said of the fades of a sound that is cut in two, of the earlier and of the later piece: there is
    none at the cut, and one that the cut lies in goes on."""
    heard, made = thing.sound if isinstance(thing, Layer) else thing, []
    for fade, faded, more in (
        ("fade_out", "faded_out", thing.span.length - by), ("fade_in", "faded_in", by),
    ):  # fmt: skip
        frames, done = getattr(heard, fade), getattr(heard, faded) + more
        over = not isinstance(frames, Keyframes) and done >= frames
        made.append({fade: 0.0, faded: 0} if over else {faded: done})
    return made[0], made[1]


def _before_source(time: TimeMap, frames: int, rate: Fraction) -> bool:
    """Whether a clip would begin before its own first frame, played forwards to its end."""
    return (
        time.ends == "hold"
        and time.at(frames, rate) < 0
        and time.at(frames + 1, rate) > time.at(frames, rate)
    )


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
