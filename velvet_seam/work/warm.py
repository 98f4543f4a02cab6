"""Warming: compiles every kernel once, so that no user waits for it: ``python -m …work.warm``."""

from __future__ import annotations

import av
import numpy as np

from velvet_seam.core.engine.engine import frames_at_once
from velvet_seam.core.picture.blend import MODES
from velvet_seam.core.picture.box_mask import Box, box_mask
from velvet_seam.core.picture.compose import Join, compose, compose_rgba8
from velvet_seam.core.picture.hdr import to_sdr
from velvet_seam.core.picture.placement import affine, place
from velvet_seam.core.picture.screen import screen_surface, study
from velvet_seam.core.picture.screen_key import screen_key, screen_light
from velvet_seam.core.picture.yuv import coefficients, rgba_to_yuv420, yuv420_to_rgba


def warm() -> None:
    """Run every kernel on a small picture; Numba keeps the compiled code beside the source."""
    frames_at_once()
    picture = np.full((48, 32, 4), (60, 160, 70, 255), np.uint8)
    picture[10:30, 8:24, :3] = (200, 120, 40)
    plane = np.full((8, 8), 128, np.uint8)
    frozen = np.frombuffer(plane.tobytes(), np.uint8).reshape(8, 8)  # as a decoder hands it over
    yuv420_to_rgba(frozen, frozen, frozen, 8, 8, coefficients("709", False))
    frame = av.VideoFrame(32, 48, "yuv420p")
    luma, blue, red = (
        np.frombuffer(memoryview(p), np.uint8).reshape(-1, p.line_size) for p in frame.planes
    )
    rgba_to_yuv420(picture, luma, blue, red)
    to_sdr(np.zeros((8, 8, 3), np.uint16), "HLG")
    light = screen_light(picture, screen_surface(study(picture), (60, 160, 70)))
    keyed = screen_key(
        picture, light, (60, 160, 70), tolerance=0.06, softness=0.86, keep_shadows=0, despill=1
    )
    masked = box_mask(keyed, [Box(2.0, 2.0, 30.0, 40.0, 3.0)])
    patch = place(masked, affine(16, 24, 0.9, 12, False, False, 32, 48), 32, 48)
    place(masked, affine(16, 24, 0.7, 0, True, False, 32, 48), 32, 48)
    assert patch is not None
    joins = [Join(patch, mode, 0.5) for mode in MODES]
    compose_rgba8(32, 48, (0, 0, 0), joins, compose(32, 48, (0, 0, 0), joins))


if __name__ == "__main__":
    warm()
