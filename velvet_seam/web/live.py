"""The live socket: pictures under the hand, also of edits that are only being tried."""

from __future__ import annotations

import asyncio
import json
import struct
from typing import Any

from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from pydantic import BaseModel, Field, ValidationError

from velvet_seam.core.engine.engine import PREVIEW_SHORT_SIDE
from velvet_seam.core.engine.plan import View
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.words import Id
from velvet_seam.web.context import Context
from velvet_seam.work.painter import Paint
from velvet_seam.work.studio import LIVE, WHENEVER

router = APIRouter()

HEAD = struct.Struct("<IIII")
"""Number of the request, frame, revision, and 1 when the picture shows a trial."""


class Ask(BaseModel):
    """What the page asks for. ``trial`` is an edit that is shown but not kept."""

    number: int = Field(ge=0, lt=2**32)
    frame: int = Field(ge=0, lt=2**31)
    view: View = "joined"
    chosen: Id | None = None
    solo: tuple[Id, ...] = Field((), max_length=200)
    trial: dict[str, Any] | None = None
    passing: bool = False
    full: bool = False
    """At canvas size and from the originals, for looking at single pixels."""
    ready: bool = False
    """Only make the frame ready for play: least urgent, and the answer is the head alone."""
    side: int = Field(PREVIEW_SHORT_SIDE, ge=64, le=1080)


@router.websocket("/shots/{identity}/live")
async def live(socket: WebSocket, identity: str) -> None:
    """Answers each request with a head and JPEG bytes, or with ``{"number", "problem"}``; says
    ``{"changed": stamp}`` when the shot has changed, in this page or in another."""
    context: Context = socket.app.state.context
    await socket.accept()
    tasks: set[asyncio.Task[None]] = set()
    sending = asyncio.Lock()
    changes = context.watchers.join(identity)
    tasks.add(asyncio.create_task(_tell(socket, changes, sending)))
    try:
        while True:
            text = await socket.receive_text()
            task = asyncio.create_task(_serve(context, socket, identity, text, sending))
            tasks.add(task)
            task.add_done_callback(tasks.discard)
    except (WebSocketDisconnect, RuntimeError):
        for task in tasks:
            task.cancel()
    finally:
        context.watchers.leave(identity, changes)


async def _tell(socket: WebSocket, changes: asyncio.Queue[int], sending: asyncio.Lock) -> None:
    """Pass on that the shot has changed, by whomever."""
    while True:
        stamp = await changes.get()
        async with sending:
            await socket.send_json({"changed": stamp})


async def _serve(
    context: Context, socket: WebSocket, identity: str, text: str, sending: asyncio.Lock
) -> None:
    number = 0
    try:
        try:
            ask = Ask.model_validate_json(text)
        except ValidationError:
            raise Problem("The page asked for a picture in a way that is not understood.") from None
        number = ask.number
        standing = await asyncio.to_thread(context.library.shots.get, identity)
        paint = Paint(
            standing.document, ask.frame, ask.view, ask.chosen, ask.solo, passing=ask.passing,
            trial=json.dumps(ask.trial) if ask.trial is not None else "", full=ask.full,
            shown_side=ask.side if ask.side < PREVIEW_SHORT_SIDE else None,
        )  # fmt: skip
        data = await context.studio.ask(paint, WHENEVER if ask.ready else LIVE)
        if ask.ready:
            data = b""
        head = HEAD.pack(number, ask.frame, standing.revision, int(ask.trial is not None))
        async with sending:
            await socket.send_bytes(head + data)
    except Problem as problem:
        async with sending:
            await socket.send_json({"number": number, "problem": str(problem)})
    except (WebSocketDisconnect, RuntimeError):
        return
