"""Small pictures kept as files: posters and strips, written whole or not at all."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import simplejpeg
from numpy.typing import NDArray

from velvet_seam.core.damage import CLIP_DAMAGE
from velvet_seam.core.media.clip import upright
from velvet_seam.core.media.flipbook import FORMATS
from velvet_seam.core.media.pictures import WIDE, picture_streams
from velvet_seam.core.media.probe import Probe
from velvet_seam.core.media.size import proxy_size
from velvet_seam.core.media.still import contact_strip, read_still, reduced
from velvet_seam.core.opening import open_file
from velvet_seam.core.problem import Problem

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
    try:
        part.write_bytes(data)
        part.replace(path)
    except OSError:
        part.unlink(missing_ok=True)
        raise


def write_poster(path: Path, probe: Probe, poster: Path) -> None:
    """A clip's or a still's poster: its first picture, or one that is not nearly black.

    Goes the plain way through the library's own converter: it runs in a fresh process for each new
    file, where loading the engine's kernels would take longer than the picture itself.
    """
    if probe.kind == "sound":
        return
    if probe.kind == "still":
        picture = reduced(read_still(path), POSTER_HEIGHT)
    else:
        picture = _first_picture(path, probe)
    write_whole(poster, jpeg(contact_strip([picture], POSTER_HEIGHT)))


def _first_as_read(path: Path, probe: Probe) -> NDArray[np.uint8]:
    """As the engine reads it."""
    from velvet_seam.core.media.reader import open_clip

    return open_clip(path, probe).read(0, proxy_size(probe.width, probe.height))


def _first_picture(path: Path, probe: Probe) -> NDArray[np.uint8]:
    if probe.format in FORMATS or probe.hdr:  # the plain way does not know these
        return _first_as_read(path, probe)
    kept: NDArray[np.uint8] | None = None
    width, height = proxy_size(probe.width, probe.height)
    if probe.rotation in (90, 270):
        width, height = height, width
    try:
        with open_file(path) as container:
            for number, frame in enumerate(container.decode(picture_streams(container)[0])):
                if int(frame.color_primaries) in WIDE:  # nor these
                    return _first_as_read(path, probe)
                rgba = frame.reformat(width, height, format="rgba").to_ndarray()
                kept = upright(np.ascontiguousarray(rgba, np.uint8), probe.rotation)
                if kept[..., :3].mean() >= 12 or number >= 30:
                    break
    except CLIP_DAMAGE:
        pass  # what came before the damage will do
    if kept is None:
        raise Problem("This clip holds no picture that can be decoded.")
    return kept
