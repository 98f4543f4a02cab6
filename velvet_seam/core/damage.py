"""What the libraries raise when a file is damaged: much more than one would think."""

import struct

import av.error

STILL_DAMAGE = (
    OSError, ValueError, SyntaxError, EOFError, MemoryError, RuntimeError, TypeError, KeyError,
    IndexError, AttributeError, OverflowError, ZeroDivisionError, struct.error,
)  # fmt: skip
"""Of Pillow and its plug-ins, tried with thousands of damaged files."""

CLIP_DAMAGE = (
    av.error.FFmpegError, EOFError, ValueError, OverflowError, MemoryError, ZeroDivisionError, IndexError,
    UnicodeDecodeError,
)  # fmt: skip
"""Of PyAV."""
