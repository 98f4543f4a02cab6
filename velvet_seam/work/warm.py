"""Warming: compiles every kernel once, so that no user waits for it: ``python -m …work.warm``."""

from __future__ import annotations

import av
import numpy as np

from velvet_seam.core.engine.engine import frames_at_once
from velvet_seam.core.picture.blend import MODES
from velvet_seam.core.picture.colour_key import colour_key
from velvet_seam.core.picture.compose import Join, compose, compose_rgba8
from velvet_seam.core.picture.coverage import joined, laid, mixed, weighed
from velvet_seam.core.picture.difference_key import difference_key
from velvet_seam.core.picture.edge import EdgeWork, worked
from velvet_seam.core.picture.hdr import to_sdr
from velvet_seam.core.picture.luma_key import luma_key
from velvet_seam.core.picture.outline import cover_outline, star
from velvet_seam.core.picture.placement import affine, place
from velvet_seam.core.picture.planes import Planes, yuv420_to_rgba
from velvet_seam.core.picture.screen_key import read_screen, screen_key
from velvet_seam.core.picture.shape import BAND, BOX, OVAL, STRAIGHT, Soft, cover
from velvet_seam.core.picture.steady import Neighbour, motion, steadied
from velvet_seam.core.picture.study import study
from velvet_seam.core.picture.yuv import (
    coefficients,
    planes_to_rgb16,
    rgb16_to_rgba,
    rgba_to_yuv420,
    rgba_to_yuv422p10,
)
from velvet_seam.core.sound.loudness import loudness
from velvet_seam.core.sound.speed import sampled


def warm() -> None:
    """Run every kernel on a small picture; Numba keeps the compiled code beside the source."""
    frames_at_once()
    picture = np.full((48, 32, 4), (60, 160, 70, 255), np.uint8)
    picture[10:30, 8:24, :3] = (200, 120, 40)
    k = coefficients("709", False)
    for depth in (np.uint8, np.uint16):
        own = np.full((8, 8), 128, depth)
        # some decoders hand over memory that may be written to, others do not
        for samples in (own, np.frombuffer(own.tobytes(), depth).reshape(8, 8)):
            if depth is np.uint8:
                yuv420_to_rgba(samples, samples, samples, 8, 8, k)
            rgb = planes_to_rgb16(samples, samples, samples, 8, 8, k, True, False, np.float32(1))
            rgb16_to_rgba(rgb, samples, 255)
    grey = np.full((360, 360), 128, np.uint8)
    study(Planes(grey, grey, grey, 360, 360, k))
    frame = av.VideoFrame(32, 48, "yuv420p")
    luma, blue, red = (
        np.frombuffer(memoryview(p), np.uint8).reshape(-1, p.line_size) for p in frame.planes
    )
    rgba_to_yuv420(picture, luma, blue, red)
    wide, half = np.zeros((48, 32), np.uint16), np.zeros((48, 16), np.uint16)
    rgba_to_yuv422p10(picture, wide, half, half.copy())
    to_sdr(np.zeros((8, 8, 3), np.uint16), "HLG")
    keyed = screen_key(picture, read_screen(picture, (60, 160, 70)), (60, 160, 70))
    large = np.repeat(np.repeat(picture, 12, 0), 12, 1)[:540, :360]
    loudness(np.zeros((24_000, 2), np.float32))
    sampled(np.zeros((64, 2), np.float32), np.arange(64, dtype=np.float64))
    read_screen(np.ascontiguousarray(large), (60, 160, 70))
    steadied(picture, keyed, [Neighbour(picture, keyed, motion(keyed, keyed))], 1.0)
    worked(keyed, EdgeWork(grow=2, clean=0.5))
    luma_key(picture, low=0.2, high=1, softness=0.1)
    colour_key(picture, [(60, 160, 70)], tolerance=6, softness=8)
    difference_key(picture, keyed, tolerance=6, softness=9, ignore_shadows=0.8)
    at = np.eye(3)
    for kind in (STRAIGHT, BAND, OVAL, BOX):
        plane = cover((32, 48), kind, at, (9.0, 9.0, 2.0)[: 1 if kind == BAND else 3], 1.0, Soft())
    joined(plane, cover_outline((32, 48), star(5, 9, 0.5), 1.0, Soft()), "add")
    masked = mixed(weighed(keyed, plane), laid(keyed, picture), plane)
    patch = place(masked, affine(16, 24, 0.9, 12, False, False, 32, 48), 32, 48)
    place(masked, affine(16, 24, 0.7, 0, True, False, 32, 48), 32, 48)
    assert patch is not None
    joins = [Join(patch, mode, 0.5) for mode in MODES]
    compose_rgba8(32, 48, (0, 0, 0), joins, compose(32, 48, (0, 0, 0), joins))


if __name__ == "__main__":
    warm()
