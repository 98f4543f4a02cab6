"""The passphrase: what is asked of visitors when the application listens to the network."""

from __future__ import annotations

import asyncio
import hashlib
import hmac
import secrets
import time
from collections.abc import Callable
from urllib.parse import parse_qs

from starlette.datastructures import Headers
from starlette.requests import Request, cookie_parser
from starlette.responses import HTMLResponse, PlainTextResponse, RedirectResponse, Response

from velvet_seam.web.context import shipped

COOKIE = "velvet-seam-visit"
WAIT_SECONDS = 1.0
VISIT_SECONDS = 12 * 3600
MOST_VISITS, MOST_ADDRESSES = 200, 1000
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
    """Who has said it gets a cookie of their own, which holds until they leave, or have not been seen for
    :data:`VISIT_SECONDS`, or the program ends."""

    def __init__(self, phrase: str, clock: Callable[[], float] = time.monotonic) -> None:
        self._digest = hashlib.sha256(phrase.strip().encode()).digest()
        self._clock = clock
        self._visits: dict[str, float] = {}
        self._trying: dict[str, asyncio.Lock] = {}

    def knows(self, headers: Headers) -> bool:
        given, now = _cookie(headers), self._clock()
        seen = self._visits.get(given)
        if seen is None or now - seen > VISIT_SECONDS:
            self._visits.pop(given, None)
            return False
        self._visits[given] = now
        return True

    def end(self, request: Request) -> Response:
        """The visit ends; its cookie opens nothing any more."""
        if request.method != "POST":
            return PlainTextResponse("A visit is ended by its button.", 405)
        self._visits.pop(_cookie(request.headers), None)
        answer = RedirectResponse("/", status_code=303)
        answer.delete_cookie(COOKIE, httponly=True, samesite="strict")
        return answer

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
        async with self._turn(request):
            if not hmac.compare_digest(digest, self._digest):
                await asyncio.sleep(WAIT_SECONDS)
                return HTMLResponse(_page("That is not the passphrase."), status_code=401)
        visit = secrets.token_urlsafe(32)
        self._forget_old()
        self._visits[visit] = self._clock()
        answer = RedirectResponse("/", status_code=303)
        answer.set_cookie(COOKIE, visit, httponly=True, samesite="strict", max_age=VISIT_SECONDS)
        return answer

    def _turn(self, request: Request) -> asyncio.Lock:
        """One guess at a time from one address (of IPv6, one network): wrong ones from elsewhere keep
        nobody waiting."""
        address = request.client.host if request.client else ""
        if ":" in address:
            address = ":".join(address.split(":")[:4])
        if len(self._trying) > MOST_ADDRESSES:
            self._trying = {one: lock for one, lock in self._trying.items() if lock.locked()}
        return self._trying.setdefault(address, asyncio.Lock())

    def _forget_old(self) -> None:
        now = self._clock()
        self._visits = {v: t for v, t in self._visits.items() if now - t <= VISIT_SECONDS}
        while len(self._visits) >= MOST_VISITS:
            del self._visits[min(self._visits, key=self._visits.__getitem__)]


def _cookie(headers: Headers) -> str:
    return cookie_parser(headers.get("cookie", "")).get(COOKIE, "")


def _page(said: str) -> str:
    return f"""<!doctype html><html lang="en"><head><meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1"><title>Velvet Seam</title>
<link rel="stylesheet" href="{shipped.address("app.css")}"></head><body><main class="page">
<form class="sheet max-w-[420px] mx-auto mt-16 p-10 grid gap-3" method="post" action="/passphrase">
<h1 class="text-[22px]">Velvet Seam</h1>
<label>Passphrase, as shown where the program was started
<input class="field mt-1" type="password" name="passphrase" autocomplete="current-password" autofocus required></label>
<p class="verdict verdict-fix" role="alert">{said}</p>
<button class="button button-main justify-center">Enter</button></form></main></body></html>"""
