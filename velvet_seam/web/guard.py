"""What every request passes: only this machine's pages may write, and pages run only our scripts."""

from __future__ import annotations

import re
from urllib.parse import urlsplit

from starlette.datastructures import Headers
from starlette.requests import Request
from starlette.responses import PlainTextResponse, Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from velvet_seam.web.passphrase import Passphrase

POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; font-src 'self'; "
    "img-src 'self' blob: data:; media-src 'self' blob:; connect-src 'self'; "
    "form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
)
_OURS = re.compile(r"(127\.0\.0\.1|localhost|\[::1\])(:[0-9]{1,5})?", re.ASCII | re.IGNORECASE)
"""This machine's own names. They are compared whole: a name that only begins like one may be led here by a
network (DNS rebinding)."""

_HEADERS = {
    "content-security-policy": POLICY,
    "x-content-type-options": "nosniff",
    "referrer-policy": "same-origin",
    "cross-origin-opener-policy": "same-origin",
    "cross-origin-resource-policy": "same-origin",
}


def same_origin(headers: Headers) -> bool:
    """Whether a request was sent by a page of this very application, or by no page at all."""
    if headers.get("sec-fetch-site", "same-origin") not in ("same-origin", "none"):
        return False
    origin = headers.get("origin")
    return origin is None or urlsplit(origin).netloc == headers.get("host")


class Guard:
    """ASGI middleware: checks the host, the origin and the passphrase, adds the headers."""

    def __init__(self, app: ASGIApp, passphrase: str | None = None) -> None:
        self._app = app
        self._passphrase = Passphrase(passphrase) if passphrase else None

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket"):
            await self._app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        writes = scope["type"] == "websocket" or scope["method"] not in ("GET", "HEAD")
        # with a passphrase any name may lead here: the cookie holds for one of them only
        own = _OURS.fullmatch(headers.get("host", "")) is not None
        known = own or self._passphrase is not None
        if not known or (writes and not same_origin(headers)):
            if scope["type"] == "websocket":
                await send({"type": "websocket.close", "code": 4403})
                return
            answer: Response = PlainTextResponse("This request did not come from Velvet Seam.", 403)
            await answer(scope, receive, send)
            return

        async def send_with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                held = {name for name, _ in message["headers"]}
                message["headers"] = [
                    *message["headers"],
                    *(
                        (name.encode(), value.encode())
                        for name, value in _HEADERS.items()
                        if name.encode() not in held
                    ),
                ]
            await send(message)

        if self._passphrase is not None and scope["path"] == "/passphrase/end":
            answer = self._passphrase.end(Request(scope, receive))
            await answer(scope, receive, send_with_headers)
            return
        visitor = self._passphrase is not None and not self._passphrase.knows(headers)
        if visitor and not scope["path"].startswith("/static/"):
            if scope["type"] == "websocket":
                await send({"type": "websocket.close", "code": 4401})
                return
            assert self._passphrase is not None
            answer = await self._passphrase.answer(Request(scope, receive))
            await answer(scope, receive, send_with_headers)
            return
        if self._passphrase is not None:  # pages offer to end the visit
            scope.setdefault("state", {})["visits"] = True
        await self._app(scope, receive, send_with_headers)
