"""One writer at a time on a file that is arriving: the last one that came."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager

from velvet_seam.core.problem import Problem


class Writer:
    """May write for as long as no other has begun."""

    def __init__(self, lock: asyncio.Lock) -> None:
        self._lock = lock
        self.overtaken = False

    @asynccontextmanager
    async def turn(self, name: str) -> AsyncIterator[None]:
        """Hold on while something is written; a Problem for one that another has overtaken."""
        async with self._lock:
            if self.overtaken:
                raise Problem(f"{name} is being sent a second time, and goes on there.")
            yield


class Writers:
    """The writers of all files on their way, by the arrival they write."""

    def __init__(self) -> None:
        self._last: dict[str, Writer] = {}
        self._locks: dict[str, asyncio.Lock] = {}

    @asynccontextmanager
    async def begin(self, identity: str) -> AsyncIterator[Writer]:
        """A new writer; those before it write no more, also while this context is held."""
        lock = self._locks.setdefault(identity, asyncio.Lock())
        async with lock:
            before = self._last.get(identity)
            if before is not None:
                before.overtaken = True
            writer = self._last[identity] = Writer(lock)
            yield writer
        self._forget_idle()

    def _forget_idle(self) -> None:
        """Long after a file is here nobody asks for its lock."""
        while len(self._locks) > 1000:
            oldest = next(iter(self._locks))
            if self._locks[oldest].locked():
                break
            del self._locks[oldest]
            self._last.pop(oldest, None)
