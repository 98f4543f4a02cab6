"""The web process's side of the painter: asks it for pictures, the urgent ones first."""

from __future__ import annotations

import asyncio
import itertools
from collections import OrderedDict
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path
from typing import Any

from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.written import Piece, Written
from velvet_seam.work.asks import Request
from velvet_seam.work.helper import Helper
from velvet_seam.work.painter import serve

LIVE, SOON, WHENEVER = 0, 1, 2
"""How urgent a picture is: under the hand, on the screen, or for a wall of posters."""

HELD_BYTES = 16 << 20
"""So much text of layers the painter holds, read."""

LONGEST_SECONDS = 120.0
"""A painter that has not answered for so long hangs, and another takes its place."""


class Studio:
    """Hands requests to the painter one at a time; restarts it should it ever fall over."""

    def __init__(self, root: Path) -> None:
        self._helper = Helper(root, serve, "painter")
        self._thread = ThreadPoolExecutor(1, thread_name_prefix="studio")
        self._waiting: asyncio.PriorityQueue[tuple[int, int, Any, asyncio.Future[Any]]]
        self._order = itertools.count()
        self._sent: OrderedDict[str, int] = OrderedDict()
        self._task: asyncio.Task[None] | None = None

    async def start(self) -> None:
        self._waiting = asyncio.PriorityQueue()
        self._task = asyncio.create_task(self._work())

    async def stop(self) -> None:
        if self._task:
            self._task.cancel()
        self._helper.stop()
        self._thread.shutdown(wait=False)

    async def ask(self, request: Request, urgency: int = SOON) -> Any:
        """The painter's answer: JPEG bytes, or a screen reading.

        Raises:
            Problem: with the painter's sentence.
        """
        future: asyncio.Future[Any] = asyncio.get_running_loop().create_future()
        await self._waiting.put((urgency, next(self._order), request, future))
        return await future

    def _launch(self) -> None:
        self._sent.clear()
        self._helper.launch()

    async def _work(self) -> None:
        loop = asyncio.get_running_loop()
        await loop.run_in_executor(self._thread, self._launch)
        while True:
            _, _, request, future = await self._waiting.get()
            if future.cancelled():
                continue
            try:
                outcome, value = await loop.run_in_executor(self._thread, self._exchange, request)
            except (EOFError, OSError):
                await loop.run_in_executor(self._thread, self._launch)
                outcome, value = "problem", "The picture could not be made; it is tried afresh."
            if future.cancelled():
                continue
            if outcome == "fine":
                future.set_result(value)
            else:
                future.set_exception(Problem(value))

    def _exchange(self, request: Request) -> tuple[str, Any]:
        return self._helper.exchange(self._new_only(request), LONGEST_SECONDS)

    def _new_only(self, request: Request) -> tuple[Request, list[str]]:
        """A request without the text of layers that the painter has, and what it may forget."""
        pieces = []
        for piece in request.document.pieces:
            known = piece.digest in self._sent
            self._sent[piece.digest] = len(piece.text)
            self._sent.move_to_end(piece.digest)
            pieces.append(Piece(piece.digest, "") if known else piece)
        forgotten, size = [], sum(self._sent.values())
        while size > HELD_BYTES and len(self._sent) > len(pieces):
            digest, count = self._sent.popitem(last=False)
            forgotten.append(digest)
            size -= count
        return replace(request, document=Written(request.document.head, tuple(pieces))), forgotten
