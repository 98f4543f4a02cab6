"""The first page: the wall of shots, and starting one."""

from __future__ import annotations

import asyncio
import contextlib
from typing import Annotated

import numpy as np
import simplejpeg
from fastapi import APIRouter, Form, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from pydantic import ValidationError

from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.revise import revised
from velvet_seam.core.shot.shot import MAX_SIDE, Canvas, Shot, sentence
from velvet_seam.core.timing.rate import CHOICES, rate_or_problem
from velvet_seam.core.words import copy_name
from velvet_seam.store.shots import Standing
from velvet_seam.web.context import Context, Ctx, gives, templates
from velvet_seam.work.asks import Paint
from velvet_seam.work.picture_files import jpeg, write_whole
from velvet_seam.work.studio import WHENEVER

router = APIRouter()

CANVASES = (
    ("1080x1920", 1080, 1920, "Portrait", "9 : 16"),
    ("1080x1350", 1080, 1350, "Tall post", "4 : 5"),
    ("1080x1080", 1080, 1080, "Square", "1 : 1"),
    ("1920x1080", 1920, 1080, "Wide", "16 : 9"),
)
STRIP_FRAMES = 12
STRIP_SIDE = 216


@router.get("/", response_class=HTMLResponse)
def wall(request: Request, context: Ctx) -> Response:
    shots, wrong = context.library.shots.told()
    page = {"page": "shots", "shots": shots, "wrong": wrong, "canvases": CANVASES, "rates": CHOICES,
            "max_side": MAX_SIDE, "seen_as": context.library.seen_as}  # fmt: skip
    return templates.TemplateResponse(request, "shots.html", page)


@router.post("/shots", status_code=303, response_class=RedirectResponse)
def start(
    context: Ctx,
    canvas: Annotated[str, Form()],
    rate: Annotated[str, Form()] = "25",
    name: Annotated[str, Form()] = "",
    width: Annotated[int | None, Form()] = None,
    height: Annotated[int | None, Form()] = None,
) -> Response:
    """Start a blank shot of six seconds and go to its bench."""
    known = {key: (w, h) for key, w, h, *_ in CANVASES}
    if canvas == "free":
        if width is None or height is None:
            raise Problem("Say how wide and how high the canvas is, in pixels.")
        size = (width - width % 2, height - height % 2)
    elif canvas in known:
        size = known[canvas]
    else:
        raise Problem("Choose one of the canvases, or a free size.")
    frames = rate_or_problem(rate)
    try:
        shot = Shot(
            name=name.strip() or "Untitled shot",
            canvas=Canvas(width=size[0], height=size[1]),
            rate=frames,
            length=round(6 * frames),
            grows=True,
        )
    except ValidationError as error:
        raise Problem(f"The shot was not started: {sentence(error)}.") from None
    identity = context.library.shots.add(shot)
    return RedirectResponse(f"/shots/{identity}", status_code=303)


@router.post("/shots/{identity}/copy", status_code=303, response_class=RedirectResponse)
def copy(identity: str, context: Ctx) -> Response:
    """A shot like another, under a name of its own; the wall shows it first."""
    shot = context.library.shots.get(identity).shot
    taken = {standing.shot.name for standing in context.library.shots.all()}
    context.library.shots.add(revised(shot, name=copy_name(shot.name, taken)))
    return RedirectResponse("/", status_code=303)


@router.delete("/shots/{identity}", status_code=204)
def remove(identity: str, context: Ctx) -> Response:
    context.library.shots.remove(identity)
    context.library.folder.forget_shot_strips(identity)
    return Response(status_code=204)


@router.get("/shots/{identity}/strip.jpg", **gives("image/jpeg"))
async def strip(identity: str, context: Ctx) -> Response:
    """Twelve frames of a shot side by side: its moving poster. Kept until the shot changes."""
    standing = await asyncio.to_thread(context.library.shots.get, identity)
    path = context.library.folder.shot_strip(identity, context.library.seen_as(standing))
    try:
        picture = path.read_bytes()
    except FileNotFoundError:
        picture = await _draw_strip(context, standing)
        context.library.folder.forget_shot_strips(identity)
        with contextlib.suppress(OSError):  # without room it is drawn again the next time
            write_whole(path, picture)
    return Response(picture, media_type="image/jpeg", headers={"cache-control": "no-cache"})


async def _draw_strip(context: Context, standing: Standing) -> bytes:
    document = standing.written
    last = standing.shot.length - 1
    tiles = []
    for k in range(STRIP_FRAMES):
        frame = round(k * last / (STRIP_FRAMES - 1))
        ask = Paint(document, frame, short_side=STRIP_SIDE, quality=88)
        tiles.append(simplejpeg.decode_jpeg(await context.studio.ask(ask, WHENEVER)))
    return jpeg(np.concatenate(tiles, axis=1), 80)
