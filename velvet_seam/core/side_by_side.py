"""Pieces of one picture, made side by side by several threads.

A kernel that is ``parallel`` does this by itself, but compiling it takes two to four times as long, since what
it calls is compiled into each of the functions that its loop is turned into. The two largest kernels, on whose
compiling the first picture on a new machine waits, therefore make a piece at a time, and are called from here.
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor, wait
from functools import cache

import numba as nb


@cache
def _helpers() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(
        max(nb.config.NUMBA_NUM_THREADS - 1, 1),
        "beside",
        initializer=nb.set_num_threads,
        initargs=(1,),
    )


def side_by_side(make: Callable[[int], object], pieces: int) -> None:
    """Make every piece from 0 to ``pieces``, on as many threads as kernels called from this one may use.

    It gains where ``make`` is a kernel, since those run without Python's lock.

    Raises:
        Exception: what making one has raised, after all threads have ended.

    >>> made = []
    >>> side_by_side(made.append, 3)
    >>> sorted(made)
    [0, 1, 2]
    """
    numbers = iter(range(pieces))  # whoever is ready takes the next one

    def some() -> None:
        for n in numbers:
            make(n)

    others = [_helpers().submit(some) for _ in range(min(nb.get_num_threads(), pieces) - 1)]
    try:
        some()
    finally:
        wait(others)
    for one in others:
        one.result()
