"""A reader for a clip of any kind."""

from __future__ import annotations

from pathlib import Path
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.media.flipbook import FORMATS, Flipbook
from velvet_seam.core.media.heads import Heads
from velvet_seam.core.media.probe import Probe


class Reader(Protocol):
    """Reads the pictures of a clip by number."""

    def read(self, number: int, size: tuple[int, int] | None = None) -> NDArray[np.uint8]: ...

    def close(self) -> None: ...


def open_clip(path: Path, clip: Probe) -> Reader:
    """A reader for a clip of any kind."""
    return Flipbook(path) if clip.format in FORMATS else Heads(path, clip)
