"""When things are there, and a clip's own time: moved, trimmed, split, slipped, frozen, turned round."""

from __future__ import annotations

from fractions import Fraction
from typing import Literal

from pydantic import Field

from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits.base import EditBase, Thing, called, thing_of
from velvet_seam.core.shot.edits.cutting import Split
from velvet_seam.core.shot.keyframes import standing, with_keys
from velvet_seam.core.shot.layer import Layer, Span
from velvet_seam.core.shot.leading import led_by, led_later
from velvet_seam.core.shot.motion import Passage
from velvet_seam.core.shot.revise import fresh_parts, replaced, revised, with_layer
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.timing.animated import Animated, Keyframe, Keyframes, integral
from velvet_seam.core.timing.ease import Ease
from velvet_seam.core.words import Id


class MoveInTime(EditBase):
    """Move a layer or a sound by whole frames."""

    do: Literal["move-in-time"] = "move-in-time"
    target: Id
    by: int

    def applied(self, shot: Shot) -> Shot:
        thing = thing_of(shot, self.target)
        by = max(self.by, -thing.span.first)
        moved = replaced(shot, self.target, lambda one: revised(one, span=one.span.moved(by)))
        return revised(moved, layers=led_later(shot, moved.layers, {self.target: by}))

    def words(self, shot: Shot) -> str:
        return f"move {called(shot, self.target)} in time"


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
        before, own = shot, self.at - layer.span.first
        held = standing(layer, own)
        if not self.apart:  # what its own tracks have moved stays where it is
            held = led_by(held, layer.id, 0 if own else self.frames)
        frozen = revised(
            held,
            id=self.frozen_id,
            name=f"{layer.name[:112]} frozen",
            **fresh_parts(held, self.frozen_id) | {"piece_of": None if self.apart else layer.id},
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
                rest = led_later(before, (self._waiting(rest[0]),), {self.rest_id: self.frames})
            else:
                waiting = revised(self._waiting(layer), arrive=Passage())
                shot = with_layer(shot, waiting)
            # who follows it from a later moment does so from when that has come
            moved = {layer.id: self.frames}
            led = led_later(before, shot.layers, moved, self.at if own else None)
            shot = revised(shot, layers=led)
        layers = list(shot.layers)
        at = next(n for n, one in enumerate(layers) if one.id == layer.id)
        layers[at + 1 : at + 1] = [frozen, *rest]
        return revised(shot, layers=layers)

    def _waiting(self, layer: Layer) -> Layer:
        """What goes on when the frame has been held; what shakes and flickers has gone on all along, but for what is
        computed: its picture runs by the same clock."""
        age = layer.age + (self.frames if layer.source.shows is not None else 0)
        made: Layer = revised(layer, span=layer.span.moved(self.frames), age=age)
        return made

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
    """Show the same stretch of the source from its end to its beginning; a sound that plays as recorded goes on doing so."""

    do: Literal["reverse"] = "reverse"
    target: Id

    def applied(self, shot: Shot) -> Shot:
        def turned(thing: Thing) -> Thing:
            last = thing.span.length - 1
            time = thing.time
            begun = time.begun(time.at(last, shot.rate), 0, shot.rate)
            return revised(thing, time=revised(begun, speed=_turned(time.speed, last)))

        return replaced(shot, self.target, turned)

    def words(self, shot: Shot) -> str:
        return f"{called(shot, self.target)} the other way round"


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
