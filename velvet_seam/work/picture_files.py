"""Small pictures kept as files: posters and strips, written whole or not at all."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import simplejpeg
from numpy.typing import NDArray

from velvet_seam.core.media.material import Material
from velvet_seam.core.media.probe import Probe
from velvet_seam.core.media.proxy import contact_strip

POSTER_HEIGHT = 480


def jpeg(picture: NDArray[np.uint8], quality: int = 82) -> bytes:
    """(h, w, 3) RGB or (h, w, 4) opaque RGBA, uint8, as JPEG bytes."""
    fast = quality < 90
    layout = "RGB" if picture.shape[2] == 3 else "RGBX"
    whole = np.ascontiguousarray(picture)
    return bytes(simplejpeg.encode_jpeg(whole, quality, layout, "420" if fast else "444", fast))


def write_whole(path: Path, data: bytes) -> None:
    """Write a file under a temporary name, then give it its own."""
    part = path.with_name(path.name + ".part")
    part.write_bytes(data)
    part.replace(path)


def write_poster(path: Path, probe: Probe, poster: Path) -> None:
    """A clip's or a still's poster: its first picture, or one that is not nearly black."""
    if probe.kind == "sound":
        return
    material = Material("poster", path, probe, preview=True)
    picture = material.read(0)
    if material.moving and picture[..., :3].mean() < 12 and probe.frames > 2:
        picture = material.read(min(probe.frames // 2, 60))
    material.close()
    write_whole(poster, jpeg(contact_strip([picture], POSTER_HEIGHT)))
