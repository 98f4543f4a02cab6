"""Material: one piece of footage, ready to be read frame by frame at preview or at full size."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from functools import cached_property
from pathlib import Path
from threading import Lock

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.media.flipbook import FORMATS as FLIPBOOKS
from velvet_seam.core.media.glance import glance
from velvet_seam.core.media.heads import Heads
from velvet_seam.core.media.probe import Probe
from velvet_seam.core.media.proxy import ProxyReader
from velvet_seam.core.media.reader import Reader, open_clip
from velvet_seam.core.media.size import SHORT_SIDE, proxy_size
from velvet_seam.core.media.still import read_still, reduced, reduced_size
from velvet_seam.core.picture.planes import Planes
from velvet_seam.core.problem import Problem

LARGE = 1080
"""Shorter side, in pixels, above which a clip is dear to read."""

STILL_SHORT_SIDE = 2 * SHORT_SIDE
"""Stills are previewed at up to this many pixels a side, so that enlarging them stays sharp."""


class Material:
    """Footage by frame number.

    With ``preview`` it answers with proxy-sized pictures: from the proxy where there is one, else
    from the original, reduced. Without, always with the original's own pixels, or with ``half`` as many across and down.
    """

    def __init__(
        self, identity: str, path: Path, probe: Probe, *, preview: bool, proxy: Path | None = None,
        half: bool = False,
    ) -> None:  # fmt: skip
        self.probe, self._identity, self._there = probe, identity, proxy
        self.width, self.height = probe.width, probe.height
        self.moving = probe.kind == "clip"
        self._path, self._preview, self._half = path, preview, half
        self._proxy = proxy if preview and self.moving and proxy and proxy.exists() else None
        kind = "proxy" if self._proxy else "reduced" if preview else "half" if half else "original"
        self.digest = f"{identity}/{path.name}/{kind}"
        self._reader: Reader | None = None
        self._lock = Lock()

    @property
    def picture_size(self) -> tuple[int, int]:
        """Width and height of the pictures that are read; of pixels that are not square, as seen."""
        if self._half:
            return self.width // 2, self.height // 2
        if not self._preview:
            return self.width, self.height
        return (
            proxy_size(self.width, self.height)
            if self.moving
            else reduced_size(self.width, self.height, STILL_SHORT_SIDE)
        )

    def frame_at(self, time: Fraction) -> int:
        """The frame shown at a source time; 0 for a still."""
        return self.probe.frame_at(time) if self.moving else 0

    def begins(self, number: int) -> Fraction:
        return self.probe.begins(number)

    @property
    def frames(self) -> int:
        return self.probe.frames if self.moving else 1

    @property
    def length(self) -> Fraction:
        return self.probe.length

    def read(self, number: int) -> NDArray[np.uint8]:
        """Frame ``number``: (h, w, 4) uint8 RGBA, display-referred, premultiplied."""
        with self._lock:
            return self._read(number)

    @cached_property
    def small(self) -> Material:
        """The same as it is previewed."""
        if self._preview:
            return self
        return Material(self._identity, self._path, self.probe, preview=True, proxy=self._there)

    @property
    def halves(self) -> bool:
        """Whether it is so large that it is worth reading at half its size, and has one."""
        width, height = self.width, self.height
        large = min(width, height) > LARGE and width % 2 == height % 2 == 0
        return self.moving and large and not self._preview and not self._half

    @cached_property
    def halved(self) -> Material:
        """The same at half its size."""
        return Material(
            self._identity, self._path, self.probe, preview=False, proxy=self._there, half=True
        )

    @property
    def in_planes(self) -> bool:
        """Whether it may be had as its codec holds it: whether nothing else is to be done to it."""
        one = self.probe
        changed = one.rotation or one.hdr or one.alpha or one.format in FLIPBOOKS
        return self.moving and not self._preview and not self._half and not changed

    def read_planes(self, number: int) -> Planes | NDArray[np.uint8]:
        """The same, as its codec holds it where there is nothing else to be done to it."""
        with self._lock:
            if self.in_planes:
                reader = self._open()
                planes = reader.read_planes(number) if isinstance(reader, Heads) else None
                if planes:
                    return planes
            return self._read(number)

    def _open(self) -> Reader:
        if self._reader is None:
            self._reader = (
                ProxyReader(self._proxy, self.probe)
                if self._proxy
                else open_clip(self._path, self.probe)
            )
        return self._reader

    def _read(self, number: int) -> NDArray[np.uint8]:
        if self.probe.kind == "still":
            still = read_still(self._path)
            return reduced(still, STILL_SHORT_SIDE) if self._preview else still
        if not self.moving:
            raise Problem("A sound has no picture.")
        reader = self._open()
        if self._proxy or not (self._preview or self._half):
            return reader.read(number)
        size = self.picture_size
        return to_size(reader.read(number, size), size)

    def glances(self, numbers: Sequence[int]) -> list[NDArray[np.uint8]]:
        """Frames spread over the footage, or such as lie near them, as :meth:`read` gives them: an original that has no
        proxy yet is not kept from what else is asked of it, and read as quickly as its codec allows."""
        if self._proxy or not self.moving:
            return [self.read(one) for one in numbers]
        size = self.picture_size
        return [to_size(one, size) for one in glance(self._path, self.probe, numbers, size)]

    def close(self) -> None:
        if self._reader:
            self._reader.close()
            self._reader = None
        for other in ("small", "halved"):
            if other in self.__dict__ and self.__dict__[other] is not self:
                self.__dict__[other].close()


def to_size(picture: NDArray[np.uint8], size: tuple[int, int]) -> NDArray[np.uint8]:
    """A picture (h, w, 4) brought to a width and height, if it has another."""
    if (picture.shape[1], picture.shape[0]) == size:
        return picture
    return np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), np.uint8)


class Missing:
    """Stands for footage whose file is not there: a hatched field of the same size."""

    moving = False
    in_planes = False
    frames = 1
    length = Fraction(0)

    def __init__(self, identity: str, probe: Probe) -> None:
        self.probe = probe
        self.width, self.height = probe.width, probe.height
        self.digest = f"{identity}/missing"

    @property
    def picture_size(self) -> tuple[int, int]:
        return proxy_size(self.width, self.height)

    def frame_at(self, time: Fraction) -> int:
        return 0

    def begins(self, number: int) -> Fraction:
        return Fraction(0)

    def read(self, number: int) -> NDArray[np.uint8]:
        width, height = proxy_size(self.width, self.height)
        across, down = np.meshgrid(np.arange(width), np.arange(height))
        hatch = ((across + down) // 24 % 2).astype(bool)
        picture = np.empty((height, width, 4), np.uint8)
        picture[:] = np.where(hatch[..., None], (96, 92, 90, 255), (128, 124, 120, 255))
        return picture

    def read_planes(self, number: int) -> NDArray[np.uint8]:
        return self.read(number)

    @property
    def small(self) -> Missing:
        return self
