"""A still of the joined picture becomes footage."""

from __future__ import annotations

import asyncio

from fastapi import APIRouter, Request
from fastapi.responses import Response
from pydantic import Field

from velvet_seam.core.problem import Problem
from velvet_seam.core.timing.rate import spell
from velvet_seam.web.answer import Answer, ChosenRequest, answer
from velvet_seam.web.context import Ctx
from velvet_seam.web.footage import take_in
from velvet_seam.work.asks import Still
from velvet_seam.work.studio import SOON

router = APIRouter(prefix="/shots/{identity}")


class KeptFrame(ChosenRequest):
    frame: int = Field(ge=0)


@router.post("/keep-frame", response_class=Answer)
async def keep_frame(identity: str, body: KeptFrame, request: Request, context: Ctx) -> Response:
    """Keep a frame of the shot, at canvas size and lossless, among the footage."""
    standing = await asyncio.to_thread(context.library.shots.get, identity)
    shot = standing.shot
    if body.frame >= shot.length:
        raise Problem(f"The shot has the frames 0 to {shot.length - 1}. Nothing was kept.")
    png = await context.studio.ask(Still(standing.written, body.frame), SOON)
    name = f"{shot.name[:90]} at {spell(body.frame, shot.rate)}.png"
    incoming = context.library.folder.incoming()
    try:
        await asyncio.to_thread(incoming.write_bytes, png)
        await take_in(context, incoming, name)
    finally:
        incoming.unlink(missing_ok=True)
    return await asyncio.to_thread(answer, request, context, standing, body, kept=name)
