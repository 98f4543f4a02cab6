"""What a form of file that a shot is written as says of itself, and how it is written in parts."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from fractions import Fraction
from pathlib import Path
from types import TracebackType
from typing import Literal, Protocol

import numpy as np
from numpy.typing import NDArray

Quality = Literal["small", "good", "best"]


class PartWriter(Protocol):
    """Writes some pictures, one after the other, to a file that has its name only when it is complete."""

    def add(self, picture: NDArray[np.uint8]) -> None: ...

    def finish(self) -> None: ...

    def __enter__(self) -> PartWriter: ...

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None,
        trace: TracebackType | None,
    ) -> None: ...  # fmt: skip


class Form:
    """A form of file.

    A shot is written in parts, which are joined at the end without being encoded again; so what is finished is
    never done again.
    """

    name: str
    label: str
    says: str
    short: str
    """What it is called in the list of renders."""
    suffix: str
    media_type: str
    in_planes = False
    """It takes pictures as the planes of a video frame."""
    sounding = True
    """It holds the sound, too."""
    playable = False
    """Browsers play it."""
    graded = False
    """How well it is written can be chosen."""
    sound_bits = 0
    """Bits of sound in a second, for a guess of the size."""

    def bits(self, quality: Quality) -> float:
        """About how many bits a pixel takes: from what pictures of such shots took."""
        raise NotImplementedError

    def part(
        self, path: Path, first: int, size: tuple[int, int], rate: Fraction, quality: Quality
    ) -> PartWriter:
        """A writer of one part, whose ``first`` picture has this number in the whole."""
        raise NotImplementedError

    def join(
        self, parts: Sequence[Path], path: Path, rate: Fraction, quality: Quality,
        sound: NDArray[np.float32] | None, check: Callable[[], None],
    ) -> None:  # fmt: skip
        """Put parts together; what ``check`` raises ends it, and leaves nothing."""
        raise NotImplementedError
