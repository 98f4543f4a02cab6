"""Steps: the computations a plan is made of, and the footage that they read."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from hashlib import blake2b
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.picture.planes import Planes

Picture = NDArray[np.uint8]


class Clip(Protocol):
    """Footage as far as its own time is concerned."""

    @property
    def moving(self) -> bool: ...

    @property
    def frames(self) -> int: ...

    @property
    def length(self) -> Fraction: ...

    def frame_at(self, time: Fraction) -> int: ...

    def begins(self, number: int) -> Fraction: ...


class Footage(Clip, Protocol):
    """What the engine asks of footage; see :class:`velvet_seam.core.media.material.Material`."""

    width: int
    height: int
    digest: str

    @property
    def in_planes(self) -> bool: ...

    @property
    def picture_size(self) -> tuple[int, int]: ...

    def read(self, number: int) -> Picture: ...

    def read_planes(self, number: int) -> Planes | Picture: ...


@dataclass(frozen=True, eq=False)
class Step:
    """One computation: its kind, what to call with the inputs' results, and its key.

    ``keep`` says that it is worth keeping: dear to compute and likely to be asked for again when
    something after it changes. ``lasting`` says that it does not change from frame to frame by
    itself, so even a render that passes every frame once gains by keeping it; ``soon``, that the frames
    beside this one ask for it, too. Steps of one ``lane`` read one file, which is fastest in the order
    of the frames.
    """

    kind: str
    key: str
    run: Callable[..., Any]
    inputs: tuple[Step, ...] = ()
    lasting: bool = False
    keep: bool = True
    lane: str = ""
    soon: bool = False


def step(
    kind: str, run: Callable[..., Any], params: object, *inputs: Step, lasting: bool = True,
    keep: bool = True, lane: str = "", soon: bool = False,
) -> Step:  # fmt: skip
    """A step with its key. It lasts when nothing it is made from changes from frame to frame."""
    digest = blake2b(repr((kind, params)).encode(), digest_size=16)
    for one in inputs:
        digest.update(one.key.encode())
    lasting = lasting and all(one.lasting for one in inputs)
    return Step(kind, digest.hexdigest(), run, inputs, lasting, keep, lane, soon)
