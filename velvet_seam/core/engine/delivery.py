"""Delivery: as what, how large, how fast and how well a shot is written."""

from __future__ import annotations

from fractions import Fraction
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from velvet_seam.core.engine.plan import Sheet
from velvet_seam.core.media.writer import MASTER, Encoding, post
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.timing.rate import FrameRate

Kind = Literal["post", "master", "stills"]
Quality = Literal["small", "good", "best"]
Loudness = Literal["as-mixed", "posts"]

_FACTORS: dict[Quality, int] = {"small": 26, "good": 20, "best": 16}
_BITS: dict[Quality, float] = {"small": 0.045, "good": 0.10, "best": 0.18}
_MASTER_BITS, _STILL_BITS = 3.6, 13.0


class Delivery(BaseModel):
    """``post``: MP4 (H.264, AAC), for putting online. ``master``: MOV (ProRes 422 HQ, sound as PCM),
    to be worked on elsewhere. ``stills``: every frame as a lossless PNG, in one ZIP."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: Kind = "post"
    scale: int = Field(100, ge=10, le=100, description="per cent of the canvas")
    quality: Quality = "good"
    rate: FrameRate | None = None
    loudness: Loudness = Field(
        "as-mixed", description="posts: the sound brought to -14 LUFS, without clipping"
    )

    @property
    def suffix(self) -> str:
        return {"post": ".mp4", "master": ".mov", "stills": ".zip"}[self.kind]

    @property
    def encoding(self) -> Encoding:
        return MASTER if self.kind == "master" else post(_FACTORS[self.quality])

    def size(self, shot: Shot) -> tuple[int, int]:
        """Width and height, both even, for colour is stored in pairs.

        >>> from velvet_seam.core.shot.shot import Canvas
        >>> canvas = Canvas(width=1080, height=1350)
        >>> Delivery(scale=50).size(Shot(name="s", canvas=canvas, rate="25", length=1))
        (540, 676)
        """
        width, height = shot.canvas.width, shot.canvas.height
        if self.scale == 100:
            return width, height
        return (
            max(2, round(width * self.scale / 200) * 2),
            max(2, round(height * self.scale / 200) * 2),
        )

    def sheet(self, shot: Shot) -> Sheet:
        return Sheet(shot.canvas.width, shot.canvas.height, *self.size(shot))

    def rate_of(self, shot: Shot) -> Fraction:
        return self.rate or shot.rate

    def frames(self, shot: Shot) -> list[int]:
        """For every frame that is written, the frame of the shot that is shown then.

        >>> from velvet_seam.core.shot.shot import Canvas
        >>> shot = Shot(name="s", canvas=Canvas(width=64, height=64), rate="50", length=7)
        >>> Delivery(rate="25").frames(shot), Delivery(rate="60").frames(shot)
        ([0, 2, 4, 6], [0, 0, 1, 2, 3, 4, 5, 5, 6])
        """
        if self.rate is None or self.rate == shot.rate:
            return list(range(shot.length))
        step = shot.rate / self.rate
        count = -(-shot.length // step)
        return [min(int(n * step), shot.length - 1) for n in range(int(count))]

    def expected_bytes(self, shot: Shot) -> int:
        """About how large the file will be, from what pictures of such shots took: a guess."""
        width, height = self.size(shot)
        bits = {"master": _MASTER_BITS, "stills": _STILL_BITS}.get(self.kind, _BITS[self.quality])
        sound = {"post": 192_000, "master": 1_536_000}.get(self.kind, 0)
        count = len(self.frames(shot))
        return int((width * height * bits * count + sound * count / self.rate_of(shot)) / 8)
