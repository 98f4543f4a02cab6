"""One clip read at several places at once, each read on from where it was.

Clones out of one take, passes and far echoes ask one file, in turn, for frames that lie far apart. A decoder that
leaps between them decodes each time all from the last whole picture on, dozens of frames for one. So each place has a
decoder of its own; where there are too many places, those that have gone on keep theirs, and the others share one.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.media.clip import ClipReader
from velvet_seam.core.media.probe import Probe
from velvet_seam.core.picture.planes import Planes

STEP = 4
"""Frames: what is asked for so near before or after a place is that place gone on."""

IDLE = 24
"""After so many questions about other places one is forgotten."""

MOST, PIXELS = 8, 1920 * 1080
"""So many decoders of a picture of so many pixels, of a larger one less: each holds some pictures."""


@dataclass
class _Place:
    """Where a clip was read, at which question the last time, and whether it has gone on since it was begun."""

    reader: ClipReader
    number: int
    asked: int
    goes_on: bool = False

    def leads_to(self, number: int) -> bool:
        return abs(number - self.number) <= STEP or self.reader.is_at(number)


class Heads:
    """Reads frames of one file by number, as :class:`ClipReader` does. Not for use from two threads at once."""

    def __init__(self, path: Path, clip: Probe) -> None:
        self._path, self._clip = path, clip
        self._most = max(2, min(MOST, MOST * PIXELS // max(1, clip.width * clip.height)))
        self._places: list[_Place] = []
        self._asked = 0

    @property
    def open(self) -> int:
        """How many decoders there are."""
        return len(self._places)

    def close(self) -> None:
        for one in self._places:
            one.reader.close()
        self._places = []

    def read(self, number: int, size: tuple[int, int] | None = None) -> NDArray[np.uint8]:
        """Frame ``number``: see :meth:`ClipReader.read`."""
        return self._at(number).read(number, size)

    def read_planes(self, number: int) -> Planes | None:
        """Frame ``number`` as its codec holds it: see :meth:`ClipReader.read_planes`."""
        return self._at(number).read_planes(number)

    def _at(self, number: int) -> ClipReader:
        self._asked += 1
        self._forget()
        near = [one for one in self._places if one.leads_to(number)]
        if near:
            here = min(near, key=lambda one: abs(number - one.number))
            here.goes_on = here.goes_on or number != here.number
            here.number, here.asked = number, self._asked
            return here.reader
        reader = self._free()
        self._places.append(_Place(reader, number, self._asked))
        return reader

    def _forget(self) -> None:
        for one in [p for p in self._places if self._asked - p.asked > IDLE]:
            self._places.remove(one)
            one.reader.close()

    def _free(self) -> ClipReader:
        """A decoder for another place: a new one, or, where there may be no more, that of the place asked last, of
        those that do not go on if there are any. Places that take turns would each lose theirs just before they are
        asked again, if it were the one asked longest ago."""
        if len(self._places) < self._most:
            return ClipReader(self._path, self._clip)
        last = max(self._places, key=lambda one: (not one.goes_on, one.asked))
        self._places.remove(last)
        return last.reader
