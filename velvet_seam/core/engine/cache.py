"""A cache bounded in bytes that forgets what was used longest ago; for use by several threads."""

from __future__ import annotations

from collections import OrderedDict
from threading import Lock
from typing import Generic, TypeVar

V = TypeVar("V")


class ByteCache(Generic[V]):
    """Values by key, at most ``limit`` bytes of them.

    >>> cache = ByteCache[str](10)
    >>> cache.put("a", "A", 6); cache.put("b", "B", 6)
    >>> cache.get("a"), cache.get("b"), cache.size
    (None, 'B', 6)
    """

    def __init__(self, limit: int) -> None:
        self.limit = limit
        self.size = 0
        self._held: OrderedDict[str, tuple[V, int]] = OrderedDict()
        self._lock = Lock()

    def get(self, key: str) -> V | None:
        with self._lock:
            held = self._held.get(key)
            if held is None:
                return None
            self._held.move_to_end(key)
            return held[0]

    def put(self, key: str, value: V, size: int) -> None:
        """Keep a value; one that is larger than the whole limit is not kept."""
        if size > self.limit:
            return
        with self._lock:
            if key in self._held:
                self.size -= self._held.pop(key)[1]
            self._held[key] = (value, size)
            self.size += size
            while self.size > self.limit:
                _, (_, freed) = self._held.popitem(last=False)
                self.size -= freed

    def clear(self) -> None:
        with self._lock:
            self._held.clear()
            self.size = 0
