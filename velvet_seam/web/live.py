"""The live socket: pictures under the hand, also of edits that are only being tried."""

from __future__ import annotations

import asyncio
import contextlib
import json
import struct
from base64 import b64encode
from collections import deque
from typing import Annotated, Any, Literal

from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from pydantic import BaseModel, Field, ValidationError

from velvet_seam.core.engine.engine import PREVIEW_SHORT_SIDE
from velvet_seam.core.engine.plan import View
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.shot import MAX_SIDE
from velvet_seam.core.words import Id
from velvet_seam.store.tables import Unwritable
from velvet_seam.web.context import Context
from velvet_seam.web.limits import MOST_BYTES
from velvet_seam.work.asks import Paint, Painted
from velvet_seam.work.studio import LIVE, WHENEVER

router = APIRouter()

HEAD = struct.Struct("<IIIII")
"""Number of the request, frame, revision, 1 when the picture shows a trial, and the bytes of JSON that come
before the picture: ``stray``, where the chosen layer lies in it (:class:`~velvet_seam.core.engine.lying.Stray`), and
where it was asked for ``scope``, an instrument as JPEG in base64, with what is ``lost`` in black and white."""

MOST_WAITING = 8
"""So many pictures one page may wait for; of more, those asked for first are passed over."""

MOST_READY = 16
"""The same for frames that are only to be made ready."""


Place = Annotated[int, Field(ge=-MAX_SIDE, le=MAX_SIDE)]
Side = Annotated[int, Field(ge=1, le=2 * MAX_SIDE)]


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
    window: tuple[Place, Place, Side, Side] | None = None
    """Of a picture at canvas size only this part: left, top, width, height in canvas pixels."""
    ready: bool = False
    """Only make the frame ready for play: least urgent, and the answer is the head alone."""
    scope: Literal["", "histogram", "waveform", "vectorscope"] = ""
    """An instrument of the picture, too."""
    scope_layer: bool = False
    beside: Id | None = None
    """What the chosen layer is compared with."""
    gain: float = Field(4.0, ge=1, le=64)
    marks: bool = False
    side: int = Field(PREVIEW_SHORT_SIDE, ge=64, le=1080)


@router.websocket("/shots/{identity}/live")
async def live(socket: WebSocket, identity: str) -> None:
    """Answers each request with a head and JPEG bytes, or with ``{"number", "problem"}``; says
    ``{"changed": stamp}`` when the shot has changed, in this page or in another."""
    context: Context = socket.app.state.context
    await socket.accept()
    page = _Page(context, socket, identity)
    changes = context.watchers.join(identity)
    telling = asyncio.create_task(_tell(socket, changes, page.sending))
    try:
        while True:
            page.wish(await socket.receive_text())
    except (WebSocketDisconnect, RuntimeError):
        pass
    finally:
        telling.cancel()
        page.leave()
        context.watchers.leave(identity, changes)


class _Page:
    """One page at its socket. A fast hand, or a page gone wild, delays only itself: of what it waits for,
    the newest is served."""

    def __init__(self, context: Context, socket: WebSocket, identity: str) -> None:
        self.sending = asyncio.Lock()
        self._context, self._socket, self._identity = context, socket, identity
        self._waiting: dict[bool, deque[asyncio.Task[None]]] = {False: deque(), True: deque()}

    def wish(self, text: str) -> None:
        """A request has come; where too many wait, the oldest is answered with nothing."""
        ask = _understood(text)
        ready = ask is not None and ask.ready
        waiting, most = self._waiting[ready], MOST_READY if ready else MOST_WAITING
        while len(waiting) >= most:
            waiting.popleft().cancel()
        task = asyncio.create_task(self._serve(ask))
        waiting.append(task)
        task.add_done_callback(lambda one: waiting.remove(one) if one in waiting else None)

    def leave(self) -> None:
        for waiting in self._waiting.values():
            for task in waiting:
                task.cancel()

    async def _serve(self, ask: Ask | None) -> None:
        number = ask.number if ask else 0
        try:
            if ask is None:
                raise Problem("The page asked for a picture in a way that is not understood.")
            head, data = await _painted(self._context, self._identity, ask)
            async with self.sending:
                await self._socket.send_bytes(head + data)
        except asyncio.CancelledError:
            with contextlib.suppress(WebSocketDisconnect, RuntimeError):
                await self._socket.send_json({"number": number, "passed": True})
            raise
        except Problem as problem:
            await self._say({"number": number, "problem": str(problem)})
        except Unwritable:
            await self._say({"number": number, "problem": "The store cannot be read just now."})
        except (WebSocketDisconnect, RuntimeError):
            return

    async def _say(self, words: dict[str, Any]) -> None:
        with contextlib.suppress(WebSocketDisconnect, RuntimeError):
            async with self.sending:
                await self._socket.send_json(words)


def _understood(text: str) -> Ask | None:
    if len(text) > MOST_BYTES:
        return None
    try:
        return Ask.model_validate_json(text)
    except (ValidationError, RecursionError):
        return None


async def _painted(context: Context, identity: str, ask: Ask) -> tuple[bytes, bytes]:
    standing = await asyncio.to_thread(context.library.shots.get, identity)
    paint = Paint(
        standing.written, ask.frame, ask.view, ask.chosen, ask.solo, passing=ask.passing,
        trial=json.dumps(ask.trial) if ask.trial is not None else "", full=ask.full, window=ask.window,
        shown_side=ask.side if ask.side < PREVIEW_SHORT_SIDE else None, stray=True,
        scope=ask.scope, scope_layer=ask.scope_layer, marks=ask.marks, beside=ask.beside, gain=ask.gain,
    )  # fmt: skip
    made: Painted = await context.studio.ask(paint, WHENEVER if ask.ready else LIVE)
    more: dict[str, Any] = {"stray": made.stray.model_dump() if made.stray else None}
    if made.scope is not None:
        more |= {"scope": b64encode(made.scope.data).decode(), "lost": made.scope.lost}
    where = json.dumps(more).encode()
    trial = int(ask.trial is not None)
    head = HEAD.pack(ask.number, ask.frame, standing.revision, trial, len(where))
    return head + where, b"" if ask.ready else made.data


async def _tell(socket: WebSocket, changes: asyncio.Queue[int], sending: asyncio.Lock) -> None:
    """Pass on that the shot has changed, by whomever."""
    while True:
        stamp = await changes.get()
        async with sending:
            await socket.send_json({"changed": stamp})
