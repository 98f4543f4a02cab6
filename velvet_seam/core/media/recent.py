"""The frames of a clip that were decoded last, for as long as reading goes back.

A decoder only goes forward. A clip that runs backwards would be decoded from its last whole picture on for every
frame; here the frames on the way to one are those before it.
"""

from __future__ import annotations

import av

MOST, BYTES = 16, 64 << 20
"""So many frames are kept, and no more than so many bytes of them."""

BACK = 64
"""Reading goes back while one of so many questions was for an earlier frame than the question before it."""

DOUBT = 4
"""Questions after a leap in which it is not known yet whether reading goes back from there; a quarter is kept."""


class Recent:
    """Holds decoded frames by number; told of every question and every leap."""

    def __init__(self) -> None:
        self._frames: dict[int, av.VideoFrame] = {}
        self._forward = BACK  # questions since one went back

    def __contains__(self, number: int) -> bool:
        return number in self._frames

    def asked(self, number: int, before: int | None) -> av.VideoFrame | None:
        """The frame that is asked for, if it is here; ``before`` is what was asked for last."""
        self._forward = 0 if before is not None and number < before else self._forward + 1
        if self._forward >= BACK:
            self._frames.clear()
        return self._frames.get(number)

    def leapt(self) -> None:
        """What is decoded from here on is kept for some questions."""
        self._forward = min(self._forward, BACK - DOUBT)

    def keep(self, number: int, frame: av.VideoFrame) -> None:
        if self._forward >= BACK:
            return
        self._frames.pop(number, None)
        self._frames[number] = frame
        size = sum(plane.buffer_size for plane in frame.planes)
        room = BYTES if self._forward < BACK - DOUBT else BYTES // 4
        while len(self._frames) > max(2, min(MOST, room // max(1, size))):
            del self._frames[next(iter(self._frames))]
