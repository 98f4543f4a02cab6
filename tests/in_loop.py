"""Work that needs an event loop of its own."""

from __future__ import annotations

import asyncio
from collections.abc import Coroutine
from concurrent.futures import ThreadPoolExecutor
from typing import Any, TypeVar

T = TypeVar("T")


def run(work: Coroutine[Any, Any, T]) -> T:
    """Run it in a thread: this one may have the browser tests' own event loop already."""
    with ThreadPoolExecutor(1) as thread:
        return thread.submit(asyncio.run, work).result()
