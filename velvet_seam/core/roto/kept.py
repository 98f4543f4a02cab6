"""Regions as they are kept on disk: a bit a pixel, and where the edge lies between pixels; and numbers that belong to them."""

from __future__ import annotations

import struct
import zlib

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.roto.first import inside_of
from velvet_seam.core.roto.settled import edged, offsets

F32 = NDArray[np.float32]

_HEAD, _NUMBER = struct.Struct("<HH"), struct.Struct("<d")


def packed(inside: F32) -> bytes:
    """A region, (h, w), in a few hundred bytes, or a few thousand where its edge lies between pixels.

    >>> region = inside_of(np.arange(600).reshape(20, 30) > 300)
    >>> np.array_equal(unpacked(packed(region)), region)
    True
    """
    height, width = inside.shape
    region = np.asarray(inside > 0)
    held = np.packbits(region).tobytes()
    off = offsets(inside, region)
    if off.any():
        held += off.tobytes()
    return _HEAD.pack(height, width) + zlib.compress(held, 6)


def unpacked(held: bytes) -> F32:
    """The region again, to the bit: what is inside says how far, and what is kept of the edge where between pixels it is.

    Raises:
        ValueError: for what is no region.
    """
    try:
        height, width = _HEAD.unpack_from(held)
        said = np.frombuffer(zlib.decompress(held[_HEAD.size :]), np.uint8)
    except (struct.error, zlib.error) as error:
        raise ValueError("no region") from error
    bits, off = said[: -(-height * width // 8)], said[-(-height * width // 8) :].view(np.int8)
    if bits.size != -(-height * width // 8):
        raise ValueError("no region")
    region = np.unpackbits(bits, count=height * width).reshape(height, width).astype(np.bool_)
    return inside_of(region) if not off.size else edged(region, off)


def packed_number(number: float) -> bytes:
    """A number in eight bytes."""
    return _NUMBER.pack(number)


def unpacked_number(held: bytes) -> float:
    """The number again.

    Raises:
        ValueError: for what is none.

    >>> unpacked_number(packed_number(0.3))
    0.3
    """
    if len(held) != _NUMBER.size:
        raise ValueError("no number")
    return float(_NUMBER.unpack(held)[0])
