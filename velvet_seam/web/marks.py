"""Marks from what is found in footage: beats, onsets, loud moments, the brightest frame, cuts."""

from __future__ import annotations

from fractions import Fraction
from typing import Literal

from fastapi import APIRouter, Request
from fastapi.responses import Response
from pydantic import Field

from velvet_seam.core.problem import Gone, Problem
from velvet_seam.core.shot.edits import AddMark, MoveInTime, Several
from velvet_seam.core.shot.layer import MAX_FRAME, Layer, SoundTrack
from velvet_seam.core.shot.mark import Mark
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.words import Id
from velvet_seam.store.folder import new_id
from velvet_seam.store.footage import FootageItem
from velvet_seam.web.answer import Answer, ChosenRequest, answer
from velvet_seam.web.context import Context, Ctx
from velvet_seam.work.mixer import Listen

router = APIRouter(prefix="/shots/{identity}")

Found = Literal["beats", "onsets", "peaks", "loudest", "brightest", "cuts"]


class NewMarks(ChosenRequest):
    """Marks on what is found in the footage of a layer or a sound, as it lies in the shot."""

    target: Id
    found: Found


class Laying(NewMarks):
    """Move a thing so that what is found in it lies on a shot frame."""

    frame: int = Field(ge=0)


@router.post("/lay", response_class=Answer)
def lay(identity: str, body: Laying, request: Request, context: Ctx) -> Response:
    """Move a layer or a sound in time so that the first of what is found lies on a frame."""
    shot = context.library.shots.get(identity).shot
    thing = _thing(shot, body.target)
    times, said = _moments(context, thing, body.found)
    frames = frames_shown(shot.model_copy(update={"length": MAX_FRAME}), thing, times)
    if not frames:
        raise Problem(f"{said} That part of it is not shown: lengthen it first.")
    by = body.frame - frames[0]
    if thing.span.first + by < 0:
        raise Problem(f"{said} It would have to begin before the shot does. Nothing was changed.")
    edit = MoveInTime(target=thing.id, by=by)
    standing = context.library.shots.edit(identity, edit)
    return answer(request, context, standing, body, said=said)


@router.post("/marks", response_class=Answer)
def marks(identity: str, body: NewMarks, request: Request, context: Ctx) -> Response:
    """Put marks; answers with the new state, and says what was found."""
    shot = context.library.shots.get(identity).shot
    thing = _thing(shot, body.target)
    times, said = _moments(context, thing, body.found)
    frames = frames_shown(shot, thing, times)
    taken = {(mark.frame, mark.name) for mark in shot.marks}
    word = {"beats": "Beat", "onsets": "Onset", "peaks": "Peak", "loudest": "Loudest",
            "brightest": "Brightest", "cuts": "Cut"}  # fmt: skip
    new = [
        AddMark(
            mark=Mark(id=new_id("n"), frame=frame, name=word[body.found], thread=_thread(thing))
        )
        for frame in frames
        if (frame, word[body.found]) not in taken
    ]
    if not new:
        raise Problem(f"{said} Nothing of it lies in the shot that is not marked already.")
    label = (
        f"{len(new)} marks from {thing.name[:80]}"
        if len(new) > 1
        else f"mark from {thing.name[:80]}"
    )
    standing = context.library.shots.edit(identity, Several(label=label, edits=tuple(new)))
    count = f" {len(new)} marks in the shot." if len(new) > 1 else ""
    return answer(request, context, standing, body, said=said + count)


def _thing(shot: Shot, target: str) -> Layer | SoundTrack:
    for thing in shot.things:
        if thing.id == target:
            return thing
    raise Gone("That layer or sound is no longer in the shot.")


def _thread(thing: Layer | SoundTrack) -> int:
    return thing.thread if isinstance(thing, Layer) else 7


def frames_shown(shot: Shot, thing: Layer | SoundTrack, times: list[Fraction]) -> list[int]:
    """The shot frames, each once, at which times of a thing's source are seen or heard first."""
    ahead = [thing.time.at(n, shot.rate) for n in range(thing.span.length)]
    frames = set()
    for time in times:
        for n, here in enumerate(ahead):
            after = ahead[n + 1] if n + 1 < len(ahead) else here
            near = abs(here - time) * shot.rate
            # within half a frame, or passed over by a clip that runs faster
            if near <= Fraction(1, 2) or here < time < after or after < time < here:
                later = near > abs(after - time) * shot.rate
                frames.add(min(thing.span.first + n + later, thing.span.last))
                break
    return sorted(frame for frame in frames if frame < shot.length)


def _moments(
    context: Context, thing: Layer | SoundTrack, found: Found
) -> tuple[list[Fraction], str]:
    """Times of the source, in seconds, and a sentence."""
    identity = thing.source.shows if isinstance(thing, Layer) else thing.footage
    if identity is None:
        raise Problem(f"{thing.name} is a flat colour: there is nothing to find in it.")
    item = context.library.footage.get(identity)
    if found in ("beats", "onsets", "peaks"):
        return _heard(context, item, found)
    if found != "loudest" and item.probe.kind != "clip":
        raise Problem(f"{item.name} is no clip: there is nothing of the kind in it.")
    if found == "loudest" and not item.probe.has_sound:
        raise Problem(f"{item.name} has no sound.")
    look = context.library.footage.first_look(identity)
    if look is None:
        raise Problem(f"{item.name} is still being looked at. Try again in a moment.")
    if found == "loudest":
        if look.loudest is None:
            raise Problem(f"{item.name} has no sound.")
        return [Fraction(look.loudest)], f"Loudest at {look.loudest:.2f} s of {item.name}."
    if found == "brightest":
        return [item.probe.begins(look.brightest)], f"Brightest: frame {look.brightest}."
    if not look.cuts:
        raise Problem(f"No cut was found in {item.name}. Nothing was marked.")
    return [item.probe.begins(cut) for cut in look.cuts], f"{len(look.cuts)} cuts."


def _heard(
    context: Context, item: FootageItem, found: Literal["beats", "onsets", "peaks"]
) -> tuple[list[Fraction], str]:
    heard = context.mixing.wait(Listen(item.id, found)) if item.probe.has_sound else None
    if found == "beats":
        if heard is None:
            raise Problem(f"No beat was found in {item.name}. Nothing was marked.")
        sure = (
            "sure" if heard.confidence > 0.6 else "likely" if heard.confidence > 0.3 else "unsure"
        )
        said = f"{heard.tempo:.1f} beats a minute, {sure} ({heard.confidence:.0%})."
        return [Fraction(time) for time in heard.times], said
    if not heard:
        raise Problem(f"Nothing of the kind was found in {item.name}. Nothing was marked.")
    word = "onsets" if found == "onsets" else "loud moments"
    return [Fraction(time) for time in heard], f"{len(heard)} {word} in {item.name}."
