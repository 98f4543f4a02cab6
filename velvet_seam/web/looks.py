"""Looks on the bench: worn from the shelf, kept by a name, read from and saved as colour decision lists."""

from __future__ import annotations

import asyncio

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse, Response
from pydantic import Field

from velvet_seam.core.formats.cdl import MOST, read_cdl, write_cdl
from velvet_seam.core.formats.cube_file import MOST_BYTES
from velvet_seam.core.looks.decision import Decision
from velvet_seam.core.looks.lut import Lut
from velvet_seam.core.looks.shelf import SHELF
from velvet_seam.core.problem import Gone, Problem
from velvet_seam.core.shot.edits import AddLookPart, Edit, SetValues, WearLook
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.leading import led_by_nobody
from velvet_seam.core.shot.look import Look
from velvet_seam.core.shot.revise import without_others
from velvet_seam.core.timing.at import At
from velvet_seam.core.words import Id, Name, clean_name
from velvet_seam.store.folder import new_id
from velvet_seam.web.answer import AS_IT_IS, Answer, ChosenRequest, answer
from velvet_seam.web.context import Ctx, gives
from velvet_seam.work.asks import Levels, LookTiles
from velvet_seam.work.studio import SOON

router = APIRouter(prefix="/shots/{identity}")


class Worn(ChosenRequest):
    """A look of the shelf by its name, or a ``kept`` one by its id, for a layer."""

    layer: Id
    name: str = Field(max_length=120)
    kept: Id | None = None


@router.post("/look", response_class=Answer)
def wear(identity: str, body: Worn, request: Request, context: Ctx) -> Response:
    if body.kept is not None:
        held = context.library.looks.get(body.kept)
        name, look = held.name, held.look
    elif body.name == AS_IT_IS:
        name, look = "no look", Look()
    elif body.name in SHELF:
        name, look = body.name, Look(parts=SHELF[body.name])
    else:
        raise Gone("There is no look of that name. Nothing was changed.")
    edit = WearLook(layers=(body.layer,), look=look, name=name, new_id=new_id("w"))
    return answer(request, context, context.library.shots.edit(identity, edit), body)


class Kept(ChosenRequest):
    """The look of a layer, to be kept by a name."""

    layer: Id
    name: Name


@router.post("/kept-looks", response_class=Answer)
def keep(identity: str, body: Kept, request: Request, context: Ctx) -> Response:
    standing = context.library.shots.get(identity)
    look = standing.shot.layer(body.layer).look
    if not look.parts:
        raise Problem("That layer has no look to keep.")
    context.library.looks.keep(body.name, led_by_nobody(without_others(look)))
    return answer(request, context, standing, body)


@router.delete("/kept-looks/{kept}", response_class=Answer)
def forget(
    identity: str, kept: str, body: ChosenRequest, request: Request, context: Ctx
) -> Response:
    context.library.looks.forget(kept)
    return answer(request, context, context.library.shots.get(identity), body)


@router.get("/looks.jpg", **gives("image/jpeg"))
async def tiles(identity: str, context: Ctx, layer: str = "", frame: int = 0) -> Response:
    """A frame in every look of the shelf, worn by a layer: a row of tiles, the first without any."""
    standing = await asyncio.to_thread(context.library.shots.get, identity)
    shot = standing.shot
    frame = min(max(frame, 0), shot.length - 1)
    looks = (Look(), *(Look(parts=parts) for parts in SHELF.values()))
    ask = LookTiles(
        standing.written, shot.layer(layer).id, frame, tuple(one.model_dump_json() for one in looks)
    )
    data = await context.studio.ask(ask, SOON)
    return Response(data, media_type="image/jpeg", headers={"cache-control": "max-age=3600"})


@router.get("/levels/{layer}/{part}")
async def levels(
    identity: str, layer: str, part: str, context: Ctx, frame: int = 0
) -> JSONResponse:
    """How bright the pixels are that come to a part of a layer's look: luma, red, green, blue."""
    standing = await asyncio.to_thread(context.library.shots.get, identity)
    shot = standing.shot
    frame = min(max(frame, 0), shot.length - 1)
    ask = Levels(standing.written, shot.layer(layer).id, frame, part)
    return JSONResponse(await context.studio.ask(ask, SOON))


@router.post("/tables", response_class=Answer)
async def bring(
    identity: str, request: Request, context: Ctx, layer: Id, name: str = "table.cube",
    part: str = "", chosen: str = "",
) -> Response:  # fmt: skip
    """The bytes of a ``.cube`` for a part of a layer's look, or for a new one at its end."""
    data = bytearray()
    async for piece in request.stream():
        data += piece
        if len(data) > MOST_BYTES:
            raise Problem("That table is longer than 24 MB. Nothing was changed.")
    shot = (await asyncio.to_thread(context.library.shots.get, identity)).shot
    thing = shot.layer(layer)
    table, title = await asyncio.to_thread(context.library.tables.keep, bytes(data))
    called = clean_name(title or name.rsplit(".", 1)[0])[:120] or "table"
    edit: Edit
    if part:
        values = {f"look.parts.{part}.table": table, f"look.parts.{part}.name": called}
        edit = SetValues(target=thing.id, values=values)
    else:
        edit = AddLookPart(layer=thing.id, part=Lut(id=new_id("p"), table=table, name=called))
    standing = await asyncio.to_thread(context.library.shots.edit, identity, edit)
    ask = ChosenRequest(chosen=chosen[:60])
    return answer(request, context, standing, ask, said=f"{called} is in the look.")


class DecisionFile(ChosenRequest):
    """The text of a colour decision list, for a part of a layer's look."""

    layer: Id
    part: Id
    text: str = Field(max_length=MOST)


@router.post("/cdl", response_class=Answer)
def read(identity: str, body: DecisionFile, request: Request, context: Ctx) -> Response:
    _decision(context.library.shots.get(identity).shot.layer(body.layer), body.part)
    values = {
        f"look.parts.{body.part}.{name}": number for name, number in read_cdl(body.text).items()
    }
    edit = SetValues(target=body.layer, values=values)
    standing = context.library.shots.edit(identity, edit)
    return answer(request, context, standing, body, said="Ten numbers were read.")


@router.get("/looks/{layer}/{part}.cdl", **gives("application/xml"))
def save(identity: str, layer: str, part: str, context: Ctx) -> Response:
    thing = context.library.shots.get(identity).shot.layer(layer)
    held, at = _decision(thing, part), At(0)
    text = write_cdl({name: at(getattr(held, name)) for name in held.own()}, thing.name)
    headers = {"content-disposition": "attachment; filename=look.cdl"}
    return Response(text, media_type="application/xml", headers=headers)


def _decision(layer: Layer, part: str) -> Decision:
    held = next((one for one in layer.look.parts if one.id == part), None)
    if not isinstance(held, Decision):
        raise Gone("That part of the look is no longer there. Nothing was changed.")
    return held
