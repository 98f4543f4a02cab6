"""The application: routes put together, problems turned into sentences."""

from __future__ import annotations

import errno
from collections.abc import AsyncIterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import asynccontextmanager, suppress
from pathlib import Path
from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, RedirectResponse, Response
from starlette.exceptions import HTTPException

from velvet_seam.core.problem import Full, Gone, Problem
from velvet_seam.core.shot.shot import reason
from velvet_seam.store.library import Library
from velvet_seam.store.tables import Unwritable, is_full
from velvet_seam.web import (
    bench,
    copying,
    files,
    find,
    following,
    footage,
    holding,
    keep_frame,
    layers,
    lineup,
    live,
    looks,
    marks,
    matching,
    nesting,
    opening,
    passing,
    plates,
    renders,
    roto_states,
    rotoing,
    shots,
    tracking,
    warming,
    windows,
    working,
)
from velvet_seam.web.context import Context, shipped, templates
from velvet_seam.web.guard import Guard
from velvet_seam.web.limits import Limits
from velvet_seam.web.watchers import Watchers
from velvet_seam.web.writers import Writers
from velvet_seam.work.mixer import Mixing
from velvet_seam.work.queue import Queue
from velvet_seam.work.studio import Studio
from velvet_seam.work.warming import Warming

LOOKS_AT_ONCE = 2

ROOMS = (
    shots, footage, bench, layers, looks, copying, marks, keep_frame, files, find, live, renders, warming, windows, nesting, opening, lineup, matching, holding, plates, tracking, following, passing, rotoing, roto_states, working,
)  # fmt: skip
"""What has addresses of its own."""

_SAID = {
    "application/json": {
        "schema": {
            "type": "object",
            "properties": {"problem": {"type": "string"}},
            "required": ["problem"],
        }
    },
    "text/html": {},
}
_REFUSALS: dict[int | str, dict[str, Any]] = {
    400: {"description": "The request cannot be read; nothing was changed.", "content": _SAID},
    404: {"description": "What the request is about is no longer here.", "content": _SAID},
    405: {"description": "That cannot be done at this address.", "content": _SAID},
    413: {"description": "It is too much at once; nothing was changed.", "content": _SAID},
    422: {"description": "It cannot be done as asked; nothing was changed.", "content": _SAID},
    507: {"description": "There is no room to save it; nothing was changed.", "content": _SAID},
}
"""A sentence; as a page to who asks for one."""


def create_app(
    folder: Path, passphrase: str | None = None, kernels: Warming | None = None
) -> FastAPI:
    """The application over one folder of footage, shots and renders; visitors are asked for a
    passphrase where there is one. ``kernels`` may have been started before."""
    library, kernels = Library(folder), kernels or Warming()

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        studio, queue = Studio(library.folder.root), Queue(library)
        mixing = Mixing(library.folder.root)
        peeks = ThreadPoolExecutor(LOOKS_AT_ONCE, thread_name_prefix="look")
        kernels.start()
        app.state.context = Context(
            library, studio, mixing, queue, Watchers(), Writers(), peeks, kernels
        )
        lead = library.folder.lead()
        if lead:
            with suppress(
                Unwritable
            ):  # a full disk: the pages are there, and the next start clears up
                library.clear_up()
        await studio.start()
        queue.start()
        yield
        kernels.stop()
        queue.stop()
        await studio.stop()
        mixing.stop()
        peeks.shutdown(wait=False, cancel_futures=True)
        if lead:
            lead.close()

    app = FastAPI(
        title="Velvet Seam", lifespan=lifespan, docs_url=None, redoc_url=None, responses=_REFUSALS
    )
    app.add_middleware(Limits)
    app.add_middleware(Guard, passphrase=passphrase)
    app.mount(shipped.at, shipped)  # first: there are most of them
    app.add_route("/favicon.ico", _icon, include_in_schema=False)
    for part in ROOMS:
        app.include_router(part.router)
    app.add_exception_handler(Problem, _problem)
    app.add_exception_handler(RequestValidationError, _invalid)
    app.add_exception_handler(Unwritable, _unwritable)
    app.add_exception_handler(OSError, _no_room)
    app.add_exception_handler(HTTPException, _refused)
    return app


def _icon(request: Request) -> Response:
    """What browsers ask for of their own accord beside what is not a page: a picture, a file."""
    return RedirectResponse(shipped.address("icon.svg"))


def _wants_page(request: Request) -> bool:
    return request.method == "GET" and "text/html" in request.headers.get("accept", "")


def _say(request: Request, sentence: str, status: int) -> Response:
    if _wants_page(request):
        page = {"sentence": sentence}
        return templates.TemplateResponse(request, "problem.html", page, status_code=status)
    return JSONResponse({"problem": sentence}, status_code=status)


async def _problem(request: Request, problem: Exception) -> Response:
    status = 404 if isinstance(problem, Gone) else 507 if isinstance(problem, Full) else 422
    return _say(request, str(problem), status)


async def _unwritable(request: Request, error: Exception) -> Response:
    why = "the disk is full" if is_full(error) else "the disk does not take it"
    return _say(request, f"This was not saved: {why}. What was saved before is as it was.", 507)


async def _invalid(request: Request, error: Exception) -> Response:
    assert isinstance(error, RequestValidationError)
    first = error.errors()[0]
    where = " ".join(str(step) for step in first["loc"][1:]) or "request"
    return _say(request, f"Nothing was changed: {where}: {reason(first)}.", 422)


_ADDRESSES = {
    404: "There is nothing at this address.",
    405: "That cannot be done at this address.",
}


async def _refused(request: Request, error: Exception) -> Response:
    assert isinstance(error, HTTPException)
    status = error.status_code
    return _say(request, _ADDRESSES.get(status, str(error.detail)), status)


async def _no_room(request: Request, error: Exception) -> Response:
    """The disk refused: what was being written is gone, what was there before is as it was."""
    assert isinstance(error, OSError)
    if error.errno not in (errno.ENOSPC, errno.EDQUOT, errno.EFBIG, errno.EROFS, errno.EIO):
        raise error
    why = "the disk is full" if error.errno != errno.EIO else "the disk does not take it"
    return _say(
        request, f"This could not be written: {why}. What was there before is as it was.", 507
    )
