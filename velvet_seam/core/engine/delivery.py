"""Delivery: as what, how large, how fast and how well a shot is written."""

from __future__ import annotations

from fractions import Fraction
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from velvet_seam.core.deliveries import Form, FormName, Quality, form_of
from velvet_seam.core.engine.plan import Sheet
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.timing.rate import FrameRate

Loudness = Literal["as-mixed", "posts"]


class Delivery(BaseModel):
    """A form of file, and how large, how fast and how well it is written."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: FormName = "post"
    scale: int = Field(100, ge=10, le=100, description="per cent of the canvas")
    quality: Quality = "good"
    rate: FrameRate | None = None
    loudness: Loudness = Field(
        "as-mixed", description="posts: the sound brought to -14 LUFS, without clipping"
    )

    @property
    def form(self) -> Form:
        return form_of(self.kind)

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
        return Sheet.all((shot.canvas.width, shot.canvas.height), self.size(shot))

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
        count, form = len(self.frames(shot)), self.form
        picture = width * height * form.bits(self.quality) * count
        return int((picture + form.sound_bits * count / self.rate_of(shot)) / 8)
