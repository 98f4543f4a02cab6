"""Stills: opened upright, with their coverage; written without loss."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageOps

from velvet_seam.core.damage import STILL_DAMAGE
from velvet_seam.core.media.probe import STILL_FORMATS
from velvet_seam.core.media.profile import in_srgb
from velvet_seam.core.picture.premultiply import premultiply
from velvet_seam.core.problem import Problem


def read_still(path: Path) -> NDArray[np.uint8]:
    """A still as (height, width, 4) uint8 RGBA, display-referred in sRGB, premultiplied, upright."""
    try:
        with Image.open(path, formats=STILL_FORMATS) as image:
            upright = ImageOps.exif_transpose(image)
            if upright.mode.startswith("I;16"):  # which would be cut off at 255, not divided
                grey = (np.asarray(upright, np.uint16) >> 8).astype(np.uint8)
                upright = Image.fromarray(grey)
            return premultiply(np.asarray(in_srgb(upright).convert("RGBA")).copy())
    except (*STILL_DAMAGE, Image.DecompressionBombError):
        raise Problem("A still can no longer be opened.") from None


def png_bytes(picture: NDArray[np.uint8]) -> bytes:
    """(height, width, 4) uint8 opaque RGBA as a lossless PNG."""
    done, data = cv2.imencode(".png", cv2.cvtColor(picture, cv2.COLOR_RGBA2BGR))
    if not done:
        raise Problem("The still could not be written.")
    return data.tobytes()


def write_png(path: Path, picture: NDArray[np.uint8]) -> None:
    """Write a lossless PNG, whole or not at all."""
    part = path.with_name(path.name + ".part")
    try:
        part.write_bytes(png_bytes(picture))
        part.replace(path)
    except OSError as error:
        part.unlink(missing_ok=True)
        raise Problem(f"The still could not be written: {error.strerror}.") from error


def reduced_size(width: int, height: int, short_side: int) -> tuple[int, int]:
    """Width and height with a short side of at most ``short_side``.

    >>> reduced_size(1080, 1920, 540), reduced_size(300, 200, 540)
    ((540, 960), (300, 200))
    """
    factor = min(1.0, short_side / min(width, height))
    return max(1, round(width * factor)), max(1, round(height * factor))


def reduced(picture: NDArray[np.uint8], short_side: int) -> NDArray[np.uint8]:
    """A premultiplied picture shrunk by area until its short side is at most ``short_side``."""
    height, width = picture.shape[:2]
    size = reduced_size(width, height, short_side)
    if size == (width, height):
        return picture
    return np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), np.uint8)


WIDEST = 16_000
"""Pixels: the widest strip that is made. A JPEG holds four times as many."""


def contact_strip(frames: list[NDArray[np.uint8]], height: int = 240) -> NDArray[np.uint8]:
    """Frames side by side, each ``height`` pixels high, on the grey of a mat: (height, w, 3). Of very wide
    frames the height is less, so that all are not wider than :data:`WIDEST`.

    >>> contact_strip([np.zeros((24, 4000, 4), np.uint8)], 480).shape
    (96, 16000, 3)
    """
    whole = sum(rgba.shape[1] / rgba.shape[0] for rgba in frames)
    height = max(1, min(height, int(WIDEST / whole)))
    tiles = []
    for rgba in frames:
        small = reduced(rgba, max(1, round(height * min(rgba.shape[:2]) / rgba.shape[0])))
        width = max(1, round(rgba.shape[1] * height / rgba.shape[0]))
        small = np.asarray(
            cv2.resize(small, (width, height), interpolation=cv2.INTER_AREA), np.uint8
        )
        clear = 255 - small[..., 3:].astype(np.uint16)
        tiles.append((small[..., :3] + clear * 0x4A // 255).astype(np.uint8))
    return np.concatenate(tiles, axis=1)
