"""MOV, to be worked on elsewhere."""

from __future__ import annotations

from velvet_seam.core.deliveries.base import Quality
from velvet_seam.core.deliveries.post import Post
from velvet_seam.core.media.writer import MASTER, Encoding


class Master(Post):
    """ProRes 422 HQ, and sound as PCM, in MOV."""

    name, label, suffix, media_type = "master", "Master", ".mov", "video/quicktime"
    says = "MOV, ProRes 422 HQ and PCM: to be worked on elsewhere; large"
    short = "Master, ProRes"
    in_planes = graded = playable = False
    sound_bits = 1_536_000

    def bits(self, quality: Quality) -> float:
        return 3.6

    def encoding(self, quality: Quality) -> Encoding:
        return MASTER
