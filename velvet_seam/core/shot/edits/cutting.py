"""Where layers and sounds begin and end: trimmed, and cut in two. What is left shows, and is heard, as it was."""

from __future__ import annotations

from fractions import Fraction
from typing import Any, Literal

from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits.base import EditBase, Thing, called, thing_of
from velvet_seam.core.shot.keyframes import begun_later
from velvet_seam.core.shot.layer import Layer, SoundTrack, Span, TimeMap
from velvet_seam.core.shot.motion import Passage
from velvet_seam.core.shot.revise import fresh_parts, replaced, revised
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.timing.animated import Keyframes
from velvet_seam.core.words import Id


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
        thing = thing_of(shot, self.target)
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
    ahead = thing.time.begun(source_in, by, rate).ahead
    return revised(later, span=span, time=revised(later.time, source_in=source_in, ahead=ahead))


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
