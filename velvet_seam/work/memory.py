"""Memory for pictures: handed back to the next picture rather than to the system."""

import ctypes
import ctypes.util

_TRIM_THRESHOLD, _MMAP_THRESHOLD, _ARENA_MAX = -1, -3, -8  # names of mallopt(3)


def keep_freed_memory() -> None:
    """Let the C library reuse freed blocks of up to 32 MB instead of unmapping them.

    By default every picture-sized array is mapped afresh and its pages are cleared one by one as
    they are touched, which cost a tenth of the time of a frame. All threads share one store of freed
    blocks: one that makes pictures in turn with others would else give its blocks back each time.
    Does nothing where the C library has no such settings.
    """
    name = ctypes.util.find_library("c")
    mallopt = getattr(ctypes.CDLL(name), "mallopt", None) if name else None
    if mallopt is not None:
        mallopt(_ARENA_MAX, 1)
        mallopt(_MMAP_THRESHOLD, 32 << 20)
        mallopt(_TRIM_THRESHOLD, 512 << 20)
