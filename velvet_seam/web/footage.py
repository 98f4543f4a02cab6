"""The footage page: bringing in, looking, removing."""

from __future__ import annotations

import asyncio
from typing import Annotated, Any
from urllib.parse import unquote

from fastapi import APIRouter, Header, Request
from fastapi.responses import FileResponse, HTMLResponse, Response

from velvet_seam.core.analyse.first_look import Grade, verdicts
from velvet_seam.core.problem import Problem
from velvet_seam.store.footage import FootageItem, shown_name
from velvet_seam.web.context import Context, Ctx, gives, templates
from velvet_seam.work.look import look

router = APIRouter()

MAX_BYTES = 8 << 30


def cards(context: Context, items: list[FootageItem]) -> list[dict[str, Any]]:
    """What a card of footage shows."""
    work = context.library.jobs.open_for("prepare")
    return [
        {"item": item, "job": work.get(item.id), "said": first_words(context, item)}
        for item in items
    ]


def first_words(context: Context, item: FootageItem) -> list[tuple[Grade, str]]:
    """What to know of a clip before it is used, in words."""
    probe, said = item.probe, list[tuple[Grade, str]]()
    if probe.missing:
        said.append(("look", f"breaks off: {probe.missing:.1f} s are missing; "
                             f"{probe.seconds:.1f} s can be used"))  # fmt: skip
    if probe.hdr:
        said.append(("note", f"HDR ({probe.hdr}), shown and rendered as SDR"))
    look = context.library.footage.first_look(item.id)
    if look and probe.kind == "clip":
        short = min(probe.width, probe.height)
        said += verdicts(look, short, probe.frames, probe.seconds)
    elif look and look.loudest is not None:
        said.append(("note", f"loudest at {look.loudest:.2f} s"))
    return said


@router.get("/footage", response_class=HTMLResponse)
def page(request: Request, context: Ctx) -> Response:
    items = context.library.footage.all()
    shown = {"page": "footage", "cards": cards(context, items), "max_bytes": MAX_BYTES}
    return templates.TemplateResponse(request, "footage.html", shown)


@router.get("/footage/cards", response_class=HTMLResponse)
def card_list(request: Request, context: Ctx) -> Response:
    shown = {"cards": cards(context, context.library.footage.all())}
    return templates.TemplateResponse(request, "parts/footage_cards.html", shown)


@router.post("/footage")
async def bring_in(
    request: Request, context: Ctx, x_name: Annotated[str, Header(max_length=4000)] = ""
) -> dict[str, str]:
    """Take in one file: the body is the file, ``X-Name`` its name, percent-encoded.

    It streams to disk, is looked into by a process of its own, and is refused with a sentence when
    it cannot be used. A proxy is made in the background; it can be used before that.
    """
    name = shown_name(unquote(x_name))
    incoming = context.library.folder.incoming()
    poster = incoming.with_suffix(".jpg")
    try:
        await _receive(request, incoming, name)
        try:
            probe = await asyncio.to_thread(look, incoming, poster)
        except Problem as problem:
            raise Problem(f"{name} was not taken in. {problem}") from None
        item = await asyncio.to_thread(context.library.footage.add, incoming, name, probe)
        if poster.exists():
            poster.replace(context.library.folder.poster(item.id))
        context.library.jobs.add("prepare", item.id, item.name, total=probe.frames)
        context.queue.wake()
    finally:
        incoming.unlink(missing_ok=True)
        poster.unlink(missing_ok=True)
    return {"id": item.id, "name": item.name, "kind": item.probe.kind}


async def _receive(request: Request, path: Any, name: str) -> None:
    taken = 0
    try:
        with path.open("wb") as file:
            async for chunk in request.stream():
                taken += len(chunk)
                if taken > MAX_BYTES:
                    raise Problem(f"{name} is larger than 8 GB and was not taken in.")
                await asyncio.to_thread(file.write, chunk)
    except OSError as error:
        reason = error.strerror or "the disk refused"
        raise Problem(f"{name} could not be kept: {reason}. Nothing else was touched.") from None


@router.delete("/footage/{identity}", response_class=HTMLResponse)
def remove(identity: str, request: Request, context: Ctx) -> Response:
    for job in context.library.jobs.all("prepare"):
        if job.target == identity:
            context.library.jobs.cancel(job.id)
    context.library.footage.remove(identity, context.library.shots)
    return card_list(request, context)


@router.get("/footage/{identity}/poster.jpg", **gives("image/jpeg"))
def poster(identity: str, context: Ctx) -> Response:
    return _file(context.library.folder.poster(context.library.footage.get(identity).id))


@router.get("/footage/{identity}/strip.jpg", **gives("image/jpeg"))
def strip(identity: str, context: Ctx) -> Response:
    return _file(context.library.folder.strip(context.library.footage.get(identity).id))


@router.get("/footage/{identity}/wave.json", **gives("application/json"))
def wave(identity: str, context: Ctx) -> Response:
    return _file(context.library.folder.wave(context.library.footage.get(identity).id))


def _file(path: Any) -> Response:
    if not path.exists():
        raise Problem("This picture is not ready yet.")
    return FileResponse(path, headers={"cache-control": "max-age=86400"})
