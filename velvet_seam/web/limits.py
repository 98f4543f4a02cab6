"""How much one request may send: files stream to disk, all else is held in memory and is small."""

from __future__ import annotations

import re

from starlette.exceptions import HTTPException
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

MOST_BYTES = 4 << 20
"""Of a body that is not a file: an outline with all its keyframes has less."""

_FILES = re.compile(r"/footage(/arrivals/[^/]+|/[^/]+/file)?/?|/shots/[^/]+/tables")
"""Addresses that take files, which have limits of their own."""


_SENTENCE = f"That is more than {MOST_BYTES >> 20} MB at once. Nothing was changed."


class Limits:
    """ASGI middleware: refuses a body that is too long, as soon as that is known."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or _FILES.fullmatch(scope["path"]):
            await self._app(scope, receive, send)
            return
        said = dict(scope["headers"]).get(b"content-length", b"0")
        if said.isdigit() and int(said) > MOST_BYTES:
            answer = JSONResponse({"problem": _SENTENCE}, 413, headers={"connection": "close"})
            await answer(scope, receive, send)
            return
        taken = 0

        async def counted() -> Message:
            nonlocal taken
            message = await receive()
            taken += len(message.get("body", b""))
            if taken > MOST_BYTES:
                raise HTTPException(413, _SENTENCE)
            return message

        await self._app(scope, counted, send)
