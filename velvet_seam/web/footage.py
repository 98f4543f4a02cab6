"""The footage page: bringing in, looking, removing."""

from __future__ import annotations

import asyncio
import contextlib
from pathlib import Path
from typing import Annotated, Any, BinaryIO, Literal
from urllib.parse import unquote

import numpy as np
from fastapi import APIRouter, Header, Query, Request
from fastapi.responses import HTMLResponse, Response
from pydantic import BaseModel, Field
from starlette.requests import ClientDisconnect

from velvet_seam.core.analyse.first_look import Grade, verdicts
from velvet_seam.core.media.probe import Probe
from velvet_seam.core.problem import Full, Problem
from velvet_seam.core.sound.mix import wav_head, wav_samples
from velvet_seam.core.timing.rate import SOUND_RATE
from velvet_seam.store.arrivals import MAX_BYTES
from velvet_seam.store.footage import FootageItem, shown_name
from velvet_seam.web.context import Context, Ctx, gives, templates
from velvet_seam.web.writers import Writer
from velvet_seam.work.look import look

router = APIRouter()

Whose = Literal["all", "yours", "shelf"]
"""All footage, what was brought in, or what ships with the application."""

Kind = Literal["", "clip", "still", "sound"]
"""Only footage of a kind, or of every one."""

HEARD_SECONDS = 12


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
    if item.missing:
        said.append(("fix", "its file is missing; what shows it stays as it is"))
    if probe.missing:
        said.append(("look", f"breaks off: {probe.missing:.1f} s are missing; "
                             f"{probe.seconds:.1f} s can be used"))  # fmt: skip
    if probe.unheard:
        said.append(("look", "its sound cannot be read: it is used without"))
    if probe.hdr:
        said.append(("note", f"HDR ({probe.hdr}), shown and rendered as SDR"))
    look = context.library.footage.first_look(item.id)
    if look and probe.kind == "clip":
        short = min(probe.width, probe.height)
        said += verdicts(look, short, probe.frames, probe.seconds)
    elif look and look.silent:
        said.append(("look", "all of it is silence"))
    elif look and look.loudest is not None:
        said.append(("note", f"loudest at {look.loudest:.2f} s"))
    return said


@router.get("/footage", response_class=HTMLResponse)
def page(request: Request, context: Ctx, of: Whose = "all", kind: Kind = "") -> Response:
    shown = {"page": "footage", **_shown(context, of, kind)}
    return templates.TemplateResponse(request, "footage.html", shown)


@router.get("/footage/cards", response_class=HTMLResponse)
def card_list(
    request: Request, context: Ctx, of: Whose = "all", kind: Kind = ""
) -> Response:  # fmt: skip
    return templates.TemplateResponse(
        request, "parts/footage_cards.html", _shown(context, of, kind)
    )


def _shown(context: Context, of: Whose, kind: Kind) -> dict[str, Any]:
    items = context.library.footage.all()
    kept = [
        item for item in items
        if (of == "all" or item.shelf == (of == "shelf")) and kind in ("", item.probe.kind)
    ]  # fmt: skip
    counts = {"all": len(items), "shelf": sum(item.shelf for item in items)}
    counts["yours"] = counts["all"] - counts["shelf"]
    return {"cards": cards(context, kept), "of": of, "kind": kind, "counts": counts}


class Arriving(BaseModel):
    """A file that is about to be sent. ``modified``: when it was last changed, in ms."""

    name: str = Field(max_length=4000)
    size: int = Field(ge=0)
    modified: int = 0


class Arrived(BaseModel):
    """All has been sent. ``crc``: CRC-32 of the whole file, where the page has worked it out."""

    crc: int | None = Field(None, ge=0, lt=2**32)


@router.post("/footage")
async def bring_in(
    request: Request, context: Ctx, x_name: Annotated[str, Header(max_length=4000)] = ""
) -> dict[str, str]:
    """Take in one file at once: the body is the file, ``X-Name`` its name, percent-encoded.

    It streams to disk, is looked into by a process of its own, and is refused with a sentence when
    it cannot be used. A proxy is made in the background; it can be used before that.
    """
    name = shown_name(unquote(x_name))
    incoming = context.library.folder.incoming()
    try:
        await _receive(request, incoming, name, MAX_BYTES)
        return await take_in(context, incoming, name)
    finally:
        incoming.unlink(missing_ok=True)


@router.post("/footage/arrivals")
def arrive(body: Arriving, context: Ctx) -> dict[str, Any]:
    """Announce a file; says how much of it is here already from an attempt that broke off."""
    identity, have = context.library.arrivals.begin(shown_name(body.name), body.size, body.modified)
    return {"id": identity, "have": have}


@router.put("/footage/arrivals/{identity}")
async def go_on(
    identity: str, request: Request, context: Ctx, at: Annotated[int, Query(ge=0)] = 0
) -> dict[str, int]:
    """The bytes of an announced file from ``at`` on, which is how many are here."""
    path = context.library.arrivals.path(identity)
    async with context.writers.begin(identity) as writer:
        name, size, have = context.library.arrivals.about(identity)
        if at != have:
            raise Problem(f"{name} is here up to byte {have}, not {at}. Nothing was changed.")
    await _receive(request, path, name, size - have, at=have, writer=writer)
    return {"have": path.stat().st_size}


@router.post("/footage/arrivals/{identity}/finish")
async def arrived(identity: str, context: Ctx, body: Arrived | None = None) -> dict[str, str]:
    """All of an announced file is here: look into it and take it in."""
    arrivals = context.library.arrivals
    async with context.writers.begin(identity):  # nothing is written to it any more
        await asyncio.to_thread(arrivals.checked, identity, body.crc if body else None)
        name, _, _ = arrivals.about(identity)
        try:
            return await take_in(context, arrivals.path(identity), name)
        finally:
            arrivals.forget(identity)


@router.delete("/footage/arrivals/{identity}", status_code=204)
def not_after_all(identity: str, context: Ctx) -> Response:
    context.library.arrivals.forget(identity)
    return Response(status_code=204)


async def _look(context: Context, incoming: Path, poster: Path, name: str) -> Probe:
    loop = asyncio.get_running_loop()
    try:
        return await loop.run_in_executor(context.looks, look, incoming, poster)
    except Full as problem:
        raise Full(f"{name} was not taken in. {problem}") from None
    except Problem as problem:
        raise Problem(f"{name} was not taken in. {problem}") from None


async def take_in(context: Context, incoming: Path, name: str) -> dict[str, str]:
    poster = incoming.with_suffix(".jpg")
    try:
        probe = await _look(context, incoming, poster, name)
        item = await asyncio.to_thread(context.library.take_in, incoming, name, probe)
        if poster.exists():
            poster.replace(context.library.folder.poster(item.id))
        context.queue.wake()
    finally:
        poster.unlink(missing_ok=True)
    return {"id": item.id, "name": item.name, "kind": item.probe.kind}


@router.post("/footage/{identity}/file")
async def find_again(identity: str, request: Request, context: Ctx) -> dict[str, str]:
    """The file of footage that is missing; refused when it is another one."""
    item = await asyncio.to_thread(context.library.footage.get, identity)
    incoming = context.library.folder.incoming()
    poster = incoming.with_suffix(".jpg")
    try:
        await _receive(request, incoming, item.name, MAX_BYTES)
        probe = await _look(context, incoming, poster, item.name)
        item = await asyncio.to_thread(context.library.footage.put_back, identity, incoming, probe)
        if poster.exists():
            poster.replace(context.library.folder.poster(item.id))
        if not item.ready:
            context.library.prepare_again(item)
            context.queue.wake()
    finally:
        incoming.unlink(missing_ok=True)
        poster.unlink(missing_ok=True)
    return {"id": item.id, "name": item.name, "kind": item.probe.kind}


async def _receive(
    request: Request, path: Path, name: str, most: int, *, at: int | None = None,
    writer: Writer | None = None,
) -> None:  # fmt: skip
    """Stream a body into a file: a new one, or from a place of one that is there on."""
    taken = 0
    try:
        with path.open("wb" if at is None else "r+b") as file:
            file.seek(at or 0)
            async for chunk in request.stream():
                taken += len(chunk)
                if taken > most:
                    said = "larger than 8 GB" if at is None else "longer than was said"
                    raise Problem(f"{name} is {said} and was not taken in.")
                async with writer.turn(name) if writer else contextlib.nullcontext():
                    await asyncio.to_thread(_write, file, chunk)
    except ClientDisconnect:
        raise Problem(f"{name} broke off; what has arrived is kept.") from None
    except OSError as error:
        reason = error.strerror or "the disk refused"
        raise Full(f"{name} could not be kept: {reason}. Nothing else was touched.") from None


def _write(file: BinaryIO, chunk: bytes) -> None:
    """So that what the file is said to have is there, whoever goes on with it."""
    file.write(chunk)
    file.flush()


@router.delete("/footage/{identity}", response_class=HTMLResponse)
def remove(
    identity: str, request: Request, context: Ctx, of: Whose = "all", kind: Kind = ""
) -> Response:  # fmt: skip
    for job in context.library.jobs.all("prepare"):
        if job.target == identity:
            context.library.jobs.cancel(job.id)
    context.library.footage.remove(identity, context.library.shots)
    return card_list(request, context, of, kind)


@router.get("/footage/{identity}/poster.jpg", **gives("image/jpeg"))
def poster(identity: str, context: Ctx) -> Response:
    return _file(context.library.folder.poster(context.library.footage.get(identity).id))


@router.get("/footage/{identity}/unsure.jpg", **gives("image/jpeg"))
def unsure(identity: str, context: Ctx) -> Response:
    """Where a clean plate is unsure."""
    return _file(context.library.folder.unsure(context.library.footage.get(identity).id))


@router.get("/footage/{identity}/strip.jpg", **gives("image/jpeg"))
def strip(identity: str, context: Ctx) -> Response:
    return _file(context.library.folder.strip(context.library.footage.get(identity).id))


@router.get("/footage/{identity}/wave.json", **gives("application/json"))
def wave(identity: str, context: Ctx) -> Response:
    return _file(context.library.folder.wave(context.library.footage.get(identity).id))


@router.get("/footage/{identity}/heard.wav", **gives("audio/wav"))
def heard(identity: str, context: Ctx) -> Response:
    """The beginning of what is heard of it, for a hand that rests on it."""
    sound = context.library.sound_of(context.library.footage.get(identity).id)
    if sound is None:
        raise Problem("It has no sound.")
    some = np.clip(np.asarray(sound[: HEARD_SECONDS * SOUND_RATE]), -1, 1)
    data = wav_head(len(some)) + wav_samples(some)
    return Response(data, media_type="audio/wav", headers={"cache-control": "max-age=86400"})


def _file(path: Path) -> Response:
    """A small derived file, read at once: it may be made anew while it is being sent."""
    try:
        data = path.read_bytes()
    except FileNotFoundError:
        raise Problem("This picture is not ready yet.") from None
    kind = "application/json" if path.suffix == ".json" else "image/jpeg"
    return Response(data, media_type=kind, headers={"cache-control": "max-age=86400"})
