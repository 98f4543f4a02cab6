"""Steps: the computations a plan is made of, and the footage that they read."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, fields, is_dataclass
from fractions import Fraction
from functools import cache, partial
from hashlib import blake2b
from types import FunctionType
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

    @property
    def small(self) -> Footage:
        """The same as it is previewed: what need not be found at full size is found of that, so that a render agrees
        with what was seen before it."""


@dataclass(frozen=True)
class Packing:
    """How a result becomes bytes that outlast the program, and is had of them again, equal to the bit.

    Args:
        unpack: raises a ValueError for bytes that are none of its own.
    """

    pack: Callable[[Any], bytes]
    unpack: Callable[[bytes], Any]


class Shelf(Protocol):
    """Results that outlast the program, by the keys of their steps. All of it may be thrown away."""

    def get(self, key: str) -> bytes | None: ...

    def put(self, key: str, held: bytes) -> None: ...


@dataclass(frozen=True, eq=False)
class Step:
    """One computation: its kind, what to call with the inputs' results, and its key.

    ``keep`` says that it is worth keeping: dear to compute and likely to be asked for again when
    something after it changes. ``lasting`` says that it does not change from frame to frame by
    itself, so even a render that passes every frame once gains by keeping it; ``soon``, that the frames
    beside this one ask for it, too. What has a ``packing`` is kept even when the program ends. Steps of one ``lane`` read one file, which is fastest in the order
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
    packing: Packing | None = None


def step(
    kind: str, function: Callable[..., Any], args: tuple[Any, ...], *inputs: Step, lasting: bool = True,
    keep: bool = True, lane: str = "", soon: bool = False, packing: Packing | None = None,
) -> Step:  # fmt: skip
    """A step that calls a function with ``args`` and then with what its inputs give.

    Its key is made of exactly that: of the function, which holds nothing of its own, of what it is called
    with, and of the keys of the inputs. So two steps of one key give one result. It lasts when nothing it is
    made from changes from frame to frame.

    Raises:
        TypeError: for a function that holds values of its own, or an argument that does not say all it is.
    """
    digest = blake2b(repr((_called(function), said(args))).encode(), digest_size=16)
    for one in inputs:
        digest.update(one.key.encode())
    lasting = lasting and all(one.lasting for one in inputs)
    run = partial(function, *args) if args else function
    return Step(kind, digest.hexdigest(), run, inputs, lasting, keep, lane, soon, packing)


@cache
def _called(function: Callable[..., Any]) -> tuple[str, str, str]:
    """What a function is called, and a digest of its own code: its version."""
    if not isinstance(function, FunctionType) or function.__closure__:
        raise TypeError(f"{function} holds values that no key can name")
    code = blake2b(function.__code__.co_code, digest_size=8).hexdigest()
    return function.__module__, function.__qualname__, code


_PLAIN = frozenset({type(None), bool, int, float, str, bytes})


def said(argument: Any) -> Any:
    """An argument in words that differ wherever it differs: plain values as they are, footage and the like by
    their ``digest``.

    >>> said((1, [2.5, "three"], None)), said(np.zeros(1, np.uint8))
    ((1, (2.5, 'three'), None), ('|u1', (1,), b'\\x00'))
    """
    kind = type(argument)
    if kind in _PLAIN:
        return argument
    if kind is tuple or kind is list:
        return tuple([one if type(one) in _PLAIN else said(one) for one in argument])
    if isinstance(argument, float):  # of NumPy's
        return float(argument)
    if isinstance(argument, np.ndarray):
        return argument.dtype.str, argument.shape, argument.tobytes()
    digest = getattr(argument, "digest", None)
    if isinstance(digest, str):
        return digest
    if is_dataclass(argument):
        return (
            type(argument).__qualname__,
            *(said(getattr(argument, f.name)) for f in fields(argument)),
        )
    raise TypeError(f"{argument!r} does not say all that it is")
