"""The passphrase: what is asked of visitors when the application listens to the network."""

from __future__ import annotations

import asyncio
import hashlib
import hmac
import secrets
from urllib.parse import parse_qs

from starlette.datastructures import Headers
from starlette.requests import Request, cookie_parser
from starlette.responses import HTMLResponse, PlainTextResponse, RedirectResponse, Response

COOKIE = "velvet-seam-visit"
WAIT_SECONDS = 1.0
_WORDS = (
    "lantern", "moth", "paper", "velvet", "thread", "needle", "puppet", "stage", "curtain", "ember",
    "waltz", "harbour", "pebble", "maple", "copper", "violet", "willow", "orchard", "candle",
    "ribbon", "saddle", "meadow", "pepper", "marble", "button", "feather", "walnut", "cotton",
    "basket", "thimble",
)  # fmt: skip


def new_passphrase() -> str:
    """Five words and a number from a secure source, some 31 bits; guesses take a second each.

    >>> len(new_passphrase().split("-"))
    6
    """
    return "-".join([*(secrets.choice(_WORDS) for _ in range(5)), str(secrets.randbelow(90) + 10)])


class Passphrase:
    """Who has said it gets a cookie that holds for as long as the program runs."""

    def __init__(self, phrase: str) -> None:
        self._digest = hashlib.sha256(phrase.encode()).digest()
        self._visit = secrets.token_urlsafe(32)
        self._trying = asyncio.Lock()

    def knows(self, headers: Headers) -> bool:
        given = cookie_parser(headers.get("cookie", "")).get(COOKIE, "")
        return hmac.compare_digest(given.encode(), self._visit.encode())

    async def answer(self, request: Request) -> Response:
        """For a visitor who has not said it: the question, or the answer to their attempt."""
        if request.method == "POST" and request.url.path == "/passphrase":
            return await self._try(request)
        if request.method == "GET" and "text/html" in request.headers.get("accept", ""):
            return HTMLResponse(_page(""), status_code=401)
        return PlainTextResponse("Velvet Seam asks for its passphrase first.", 401)

    async def _try(self, request: Request) -> Response:
        body = bytearray()
        async for chunk in request.stream():
            body += chunk
            if len(body) > 2000:
                return HTMLResponse(_page("That is not the passphrase."), status_code=401)
        given = parse_qs(body.decode("utf-8", "replace")).get("passphrase", [""])[0].strip()
        digest = hashlib.sha256(given.encode()).digest()
        async with self._trying:  # one guess at a time, for all visitors together
            if not hmac.compare_digest(digest, self._digest):
                await asyncio.sleep(WAIT_SECONDS)
                return HTMLResponse(_page("That is not the passphrase."), status_code=401)
        answer = RedirectResponse("/", status_code=303)
        answer.set_cookie(COOKIE, self._visit, httponly=True, samesite="strict")
        return answer


def _page(said: str) -> str:
    return f"""<!doctype html><html lang="en"><head><meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1"><title>Velvet Seam</title>
<link rel="stylesheet" href="/static/app.css"></head><body><main class="page">
<form class="sheet max-w-[420px] mx-auto mt-16 p-10 grid gap-3" method="post" action="/passphrase">
<h1 class="text-[22px]">Velvet Seam</h1>
<label>Passphrase, as shown where the program was started
<input class="field mt-1" type="password" name="passphrase" autocomplete="current-password" autofocus required></label>
<p class="verdict verdict-fix" role="alert">{said}</p>
<button class="button button-main justify-center">Enter</button></form></main></body></html>"""
