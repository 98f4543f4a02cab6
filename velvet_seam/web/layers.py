"""New layers and sounds on the bench, and other footage in the place of what a layer shows."""

from __future__ import annotations

from fractions import Fraction

from fastapi import APIRouter, Request
from fastapi.responses import Response
from pydantic import Field

from velvet_seam.core.engine.clip_time import runs_out
from velvet_seam.core.engine.lying import Lying
from velvet_seam.core.mattes import MATTES, Beside
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits import (
    AddLayer,
    AddMatte,
    AddSound,
    Edit,
    ReplaceFootage,
    SetValues,
    Several,
    Trim,
)
from velvet_seam.core.shot.fitting import How, fitting_scale, speed_frame_by_frame
from velvet_seam.core.shot.layer import MAX_FRAME, Layer, Place, SoundTrack, Span, next_thread
from velvet_seam.core.shot.revise import revised
from velvet_seam.core.shot.seam import Seam
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.sources import (
    GENERATED,
    AdjustmentSource,
    CameraSource,
    ColourSource,
    FootageSource,
    GeneratedBase,
    NestedSource,
    Source,
)
from velvet_seam.core.timing.rate import spell
from velvet_seam.core.words import Colour, Id, copy_free, kind_of
from velvet_seam.store.folder import new_id
from velvet_seam.store.footage import FootageItem
from velvet_seam.web.answer import Answer, ChosenRequest, answer, check_references
from velvet_seam.web.context import Context, Ctx

router = APIRouter(prefix="/shots/{identity}")


class NewLayer(ChosenRequest):
    """A layer from footage or a shot, from a colour, a generated one, or an adjustment or a camera for what lies below."""

    footage: Id | None = None
    colour: Colour | None = None
    adjustment: bool = False
    camera: bool = False
    generated: str | None = Field(None, max_length=40)
    frame: int = Field(0, ge=0)


class Replacement(ChosenRequest):
    """Other footage for a layer or a sound."""

    target: Id
    footage: Id


@router.post("/replace", response_class=Answer)
def replace(identity: str, body: Replacement, request: Request, context: Ctx) -> Response:
    """Show another piece of footage in the place of the one a layer or a sound shows. What was called after
    its old file is called after the new one."""
    shot = context.library.shots.get(identity).shot
    new = context.library.footage.get(body.footage)
    thing = next((one for one in shot.things if one.id == body.target), None)
    old, ratio = None, 1.0
    if isinstance(thing, SoundTrack):
        old = context.library.footage.get(thing.footage)
    elif thing is not None and thing.source.shows is not None:
        old = context.library.footage.get(thing.source.shows)
        ratio = (old.probe.width or 1) / (new.probe.width or 1)
    edit: Edit = ReplaceFootage(target=body.target, footage=new.id, nested=new.nested, ratio=ratio)
    if thing is not None and old is not None and thing.name == old.stem:
        renamed = SetValues(target=thing.id, values={"name": new.stem})
        edit = Several(label=f"another source for {thing.name}", edits=(edit, renamed))
    standing = context.library.shots.edit(identity, edit, check_references(context, identity))
    after = next((one for one in standing.shot.things if one.id == body.target), None)
    over = None
    if after is not None and new.probe.kind != "still":
        over = runs_out(after.time, after.span, shot.rate, new.probe.length)
    said = ""
    if after is not None and over is not None:
        said = (
            f"{new.name} is shorter than the bar of {after.name}: from {spell(over, shot.rate)} on "
            + ("it is silent." if isinstance(after, SoundTrack) else "its last frame holds.")
        )
    return answer(request, context, standing, body, said=said)


@router.post("/layers", response_class=Answer)
def add_layer(identity: str, body: NewLayer, request: Request, context: Ctx) -> Response:
    """Put footage or a colour on top of the stack (a sound: beside it), at the playhead."""
    shot = context.library.shots.get(identity).shot
    first = min(body.frame, shot.length - 1)
    new: AddLayer | AddSound
    if body.footage is not None:
        new = _from_footage(shot, context.library.footage.get(body.footage), first)
    elif body.adjustment:
        new = AddLayer(layer=_computed(shot, AdjustmentSource(), 0))
    elif body.camera:
        new = AddLayer(layer=_computed(shot, CameraSource(), 0))
    elif body.generated is not None:
        wanted = next((one for one in GENERATED if kind_of(one) == body.generated), None)
        if wanted is None:
            raise Problem("There is no such source. Nothing was added.")
        new = AddLayer(
            layer=_computed(shot, wanted.model_validate({"kind": body.generated}), first)
        )
    else:
        new = AddLayer(layer=_from_colour(shot, body.colour or "#6d1d40", first))
    thing = new.sound if isinstance(new, AddSound) else new.layer
    edits = (new, *_grown(context, shot, thing))
    edit = Several(label=f"add {thing.name}", edits=edits) if len(edits) > 1 else new
    standing = context.library.shots.edit(identity, edit, check_references(context, identity))
    kind = "sound" if isinstance(new, AddSound) else "look" if body.adjustment else "layer"
    return answer(request, context, standing, body, chosen=f"{kind}:{thing.id}")


class Fitting(ChosenRequest):
    """A layer as large as fits into the canvas, or as covers it, upright in its middle."""

    layer: Id
    how: How


@router.post("/fit", response_class=Answer)
def fit(identity: str, body: Fitting, request: Request, context: Ctx) -> Response:
    shot = context.library.shots.get(identity).shot
    layer = shot.layer(body.layer)
    width, height = shot.canvas.width, shot.canvas.height
    size = Lying(shot, lambda one: context.library.footage.get(one).probe).size(layer)
    scale = fitting_scale(size, (width, height), body.how)
    values = {
        "place.x": width / 2, "place.y": height / 2, "place.scale": scale, "place.rotation": 0
    }  # fmt: skip
    edit = SetValues(target=layer.id, values=values)
    return answer(request, context, context.library.shots.edit(identity, edit), body)


class Conforming(ChosenRequest):
    """Each frame of a layer's clip in exactly one frame of the shot."""

    layer: Id


@router.post("/conform", response_class=Answer)
def conform(identity: str, body: Conforming, request: Request, context: Ctx) -> Response:
    shot = context.library.shots.get(identity).shot
    layer = shot.layer(body.layer)
    clip = context.library.footage.get(layer.source.shows).probe if layer.source.shows else None
    if clip is None or clip.rate is None:
        raise Problem(f"{layer.name} has no frames of its own to be shown one by one.")
    values = {"time.speed": speed_frame_by_frame(clip.rate, shot.rate)}
    edit = SetValues(target=layer.id, values=values)
    return answer(request, context, context.library.shots.edit(identity, edit), body)


class NewMatte(ChosenRequest):
    """A matte of a kind that needs no measuring before it is there."""

    layer: Id
    kind: str = Field(max_length=40)


@router.post("/mattes", response_class=Answer)
def add_matte(identity: str, body: NewMatte, request: Request, context: Ctx) -> Response:
    shot = context.library.shots.get(identity).shot
    layer = shot.layer(body.layer)
    kind = next((one for one in MATTES if kind_of(one) == body.kind), None)
    if kind is None or kind.begins != "at once":
        raise Problem(
            "There is no such matte without a colour that is measured. Nothing was changed."
        )
    at = shot.layers.index(layer)
    others = [*shot.layers[:at][::-1], *shot.layers[at + 1 :]]
    beside = Beside(layer.source.shows, _moves(context, layer), others[0].id if others else None)
    made = kind.new(new_id("k"), beside)
    if any(one.kind != made.kind or not kind.another for one in layer.seam.matte):
        made = revised(made, combine="intersect")
    edit = AddMatte(layer=layer.id, matte=made)
    return answer(request, context, context.library.shots.edit(identity, edit), body)


def _grown(context: Context, shot: Shot, thing: Layer | SoundTrack) -> list[Edit]:
    """A shot whose length was not set is as long as what is put in; what has no length of its own and
    reaches to the end goes on doing so."""
    if not shot.grows or not _moves(context, thing):
        return []
    end = thing.span.last + 1
    length = max(shot.length, end) if shot.things else end
    if length == shot.length:
        return []
    longer: list[Edit] = [SetValues(values={"length": length, "grows": True})]
    longer += [
        Trim(target=one.id, edge="last", to=length - 1)
        for one in shot.layers
        if one.span.last == shot.length - 1 and not one.locked and not _moves(context, one)
    ]
    return longer


def _moves(context: Context, thing: Layer | SoundTrack) -> bool:
    """Whether it has a length of its own."""
    if isinstance(thing, SoundTrack):
        return True
    shows = thing.source.shows
    return shows is not None and context.library.footage.get(shows).probe.moving


def _from_footage(shot: Shot, item: FootageItem, first: int) -> AddLayer | AddSound:
    probe, name = item.probe, item.stem
    seconds = Fraction(probe.seconds).limit_denominator(100_000)
    frames = max(1, int(seconds * shot.rate + Fraction(1, 2)))
    most = MAX_FRAME - 1 if shot.grows else max(shot.length - 1, first)
    span = Span(first=first, last=min(first + frames - 1, most))
    if probe.kind == "sound":
        return AddSound(sound=SoundTrack(id=new_id("t"), name=name, footage=item.id, span=span))
    if probe.kind == "still":
        span = Span(first=first, last=shot.length - 1)
    scale = fitting_scale((probe.width, probe.height), (shot.canvas.width, shot.canvas.height))
    place = Place(x=shot.canvas.width / 2, y=shot.canvas.height / 2, scale=scale)
    layer = Layer(id=new_id("l"), name=name, thread=next_thread(shot.layers),
                  source=(NestedSource if item.nested else FootageSource)(footage=item.id), span=span, place=place)  # fmt: skip
    return AddLayer(layer=layer)


def _from_colour(shot: Shot, colour: str, first: int) -> Layer:
    place = Place(x=shot.canvas.width / 2, y=shot.canvas.height / 2)
    return Layer(
        id=new_id("l"), name="Colour", thread=next_thread(shot.layers),
        source=ColourSource(colour=colour), span=Span(first=first, last=shot.length - 1), place=place,
    )  # fmt: skip


def _computed(shot: Shot, source: Source, first: int) -> Layer:
    """Over the whole canvas, to the end of the shot."""
    place = Place(x=shot.canvas.width / 2, y=shot.canvas.height / 2)
    name = copy_free(source.label, {one.name for one in shot.things})
    return Layer(
        id=new_id("l"), name=name, thread=next_thread(shot.layers),
        source=source, span=Span(first=first, last=shot.length - 1), place=place,
        seam=Seam(blend=source.blend if isinstance(source, GeneratedBase) else "normal"),
    )  # fmt: skip
