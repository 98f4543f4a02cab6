"""Who has a shot open: every page on it is told when it has changed."""

from __future__ import annotations

import asyncio
from collections import defaultdict


class Watchers:
    """Queues of the pages by shot. Told from any thread, read on the loop they were made on."""

    def __init__(self) -> None:
        self._queues: dict[str, set[asyncio.Queue[int]]] = defaultdict(set)
        self._loop: asyncio.AbstractEventLoop | None = None

    def join(self, shot: str) -> asyncio.Queue[int]:
        """Stamps of a shot as it changes; only the latest is kept for who does not read."""
        self._loop = asyncio.get_running_loop()
        queue: asyncio.Queue[int] = asyncio.Queue(1)
        self._queues[shot].add(queue)
        return queue

    def leave(self, shot: str, queue: asyncio.Queue[int]) -> None:
        self._queues[shot].discard(queue)
        if not self._queues[shot]:
            del self._queues[shot]

    def open(self) -> list[str]:
        """The shots that pages have open."""
        return list(self._queues)

    def changed(self, shot: str, stamp: int) -> None:
        if self._loop is not None and shot in self._queues:
            self._loop.call_soon_threadsafe(self._tell, shot, stamp)

    def _tell(self, shot: str, stamp: int) -> None:
        """Two edits at once may be told in either order: the later one is not dropped for the earlier."""
        for queue in self._queues.get(shot, ()):
            latest = stamp
            while not queue.empty():
                latest = max(latest, queue.get_nowait())
            queue.put_nowait(latest)
