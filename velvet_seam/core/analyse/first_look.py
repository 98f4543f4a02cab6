"""The first look: what people ask of a clip before anything else, measured once over all of it."""

from __future__ import annotations

from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from velvet_seam.core.analyse.steadiness import Steadiness
from velvet_seam.core.picture.colour import LUMA_709
from velvet_seam.core.picture.screen import measure_border
from velvet_seam.core.problem import Problem
from velvet_seam.core.timing.rate import SOUND_RATE

SIDE = 270
"""Short side at which pictures are measured, in pixels."""

_LUMA = np.array([[*LUMA_709, 0.0]], np.float32)
_LIGHT = ((np.arange(256) / 255) ** 2.2).astype(np.float32)

DISTINCT = 0.2
"""A screen's strongest channel exceeds the others by so much, 0 to 1: curtains and skies do not."""

Grade = Literal["fine", "look", "fix", "note"]


class FirstLook(BaseModel):
    """Distances in pixels of the clip, light in stops, parts in 0 to 1, moments in frames."""

    drift: float = 0.0
    shake: float = 0.0
    followed: float = 0.0
    light: float = 0.0
    cuts: list[int] = []
    frozen: list[tuple[int, int]] = []
    """First and last frame of every stretch in which the picture does not change at all."""
    repeated: int = 0
    brightest: int = 0
    burnt: float = 0.0
    blocked: float = 0.0
    screen: str = ""
    screen_share: float = 0.0
    screen_uneven: float = 0.0
    loudest: float | None = None
    """Seconds from the start to the loudest twentieth of a second."""


class Look:
    """Takes the frames of a clip one after the other."""

    def __init__(self, width: int, height: int, frames: int) -> None:
        self._scale = max(1.0, min(width, height) / SIDE)
        self._steadiness = Steadiness()
        self._before: NDArray[np.uint8] | None = None
        self._first: NDArray[np.float32] | None = None
        self._changes: list[float] = []
        self._light: list[float] = []
        self._bright: list[float] = []
        self._burnt: list[float] = []
        self._blocked: list[float] = []
        self._kept: list[NDArray[np.uint8]] = []
        self._wanted = {round(k * (frames - 1) / 4) for k in range(5)}
        self._count = 0

    def add(self, rgba: NDArray[np.uint8]) -> None:
        """The next frame, (h, w, 4) uint8 RGBA of any size."""
        factor = SIDE / min(rgba.shape[:2])
        if factor < 1:
            size = (round(rgba.shape[1] * factor), round(rgba.shape[0] * factor))
            rgba = np.asarray(cv2.resize(rgba, size, interpolation=cv2.INTER_AREA), np.uint8)
        if self._count in self._wanted:
            self._kept.append(rgba.copy())
        self._count += 1
        r, g, b, _ = cv2.split(rgba)
        grey = np.asarray(cv2.transform(rgba, _LUMA), np.uint8)
        self._steadiness.add(grey)
        light = np.asarray(cv2.LUT(grey, _LIGHT), np.float32)
        self._bright.append(float(light.mean()))
        self._burnt.append(float((cv2.min(cv2.min(r, g), b) >= 254).mean()))
        self._blocked.append(float((cv2.max(cv2.max(r, g), b) <= 1).mean()))
        quarter = cv2.resize(light, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA)
        stops = np.log2(np.asarray(quarter, np.float32) + np.float32(0.002))
        if self._first is None:
            self._first = stops
        # the median over all places: what moves through the picture does not count as light
        self._light.append(float(np.median(stops - self._first)))
        if self._before is not None:
            self._changes.append(float(cv2.absdiff(grey, self._before).mean()))
        self._before = grey

    def result(self, sound: NDArray[np.float32] | None = None) -> FirstLook:
        """What was found; ``sound`` is that of the clip, (samples, 2) at 48 kHz."""
        motion = self._steadiness.motion(self._scale)
        cuts = _cuts(self._changes)
        stretches, repeated = _standing(self._changes)
        found = FirstLook(
            drift=motion.drift, shake=motion.shake, followed=motion.known,
            light=float(np.ptp(_middle(self._light))) if not cuts else 0.0, cuts=cuts,
            frozen=stretches, repeated=repeated,
            brightest=int(np.argmax(self._bright)) if self._bright else 0,
            burnt=max(self._burnt, default=0.0), blocked=max(self._blocked, default=0.0),
            loudest=loudest(sound),
        )  # fmt: skip
        try:
            reading = measure_border(self._kept)
        except Problem:
            return found
        r, g, b = (round(v) for v in reading.colour)
        _, middle, high = sorted(reading.colour)
        if high - middle < DISTINCT * 255 or reading.uneven > 2.5:
            return found
        return found.model_copy(
            update={
                "screen": f"#{r:02x}{g:02x}{b:02x}", "screen_share": reading.share,
                "screen_uneven": reading.uneven,
            }
        )  # fmt: skip


def _middle(values: list[float], width: int = 5) -> NDArray[np.float64]:
    """A running median: single flashes are not drift."""
    padded = np.pad(np.array(values or [0.0]), width // 2, mode="edge")
    return np.asarray(np.median(np.lib.stride_tricks.sliding_window_view(padded, width), axis=1))


def _cuts(changes: list[float]) -> list[int]:
    """Frames that begin something new: a change far greater than all around it.

    >>> _cuts([1.0] * 9 + [50.0] + [1.2] * 9)
    [10]
    """
    found = []
    for n, change in enumerate(changes):
        around = changes[max(0, n - 6) : n] + changes[n + 1 : n + 7]
        if change > 18 and change > 4 * max(around, default=0.0):
            found.append(n + 1)
    return found


def _standing(changes: list[float]) -> tuple[list[tuple[int, int]], int]:
    """Stretches of at least four frames without any change, and how many frames are repeated singly.

    >>> _standing([1, 0, 1, 0, 0, 0, 1, 1])
    ([(3, 6)], 1)
    """
    stretches, repeated, begin = [], 0, None
    for n, change in enumerate([*changes, 1.0]):
        if change < 0.003:
            begin = n if begin is None else begin
        elif begin is not None:
            if n - begin >= 3:
                stretches.append((begin, n))
            else:
                repeated += n - begin
            begin = None
    return stretches, repeated


def loudest(sound: NDArray[np.float32] | None) -> float | None:
    """Seconds to the middle of the loudest twentieth of a second; None where all is silence."""
    if sound is None:
        return None
    block = SOUND_RATE // 20
    count = len(sound) // block
    if count == 0:
        return None
    power = np.zeros(count)
    for first in range(0, count, 1200):  # a minute at a time
        some = sound[first * block : min(first + 1200, count) * block].astype(np.float64)
        power[first : first + 1200] = (some**2).sum(1).reshape(-1, block).mean(1)
    return float((int(power.argmax()) + 0.5) / 20) if power.max() > 1e-8 else None


def verdicts(
    look: FirstLook, short_side: int, frames: int, seconds: float
) -> list[tuple[Grade, str]]:
    """What was found, in words, the most pressing first. Motion is judged against a picture of 1080
    lines: a pixel there is what begins to be seen as a doubled line."""
    said: list[tuple[Grade, str]] = []
    unit = max(short_side, 1) / 1080
    if look.cuts:
        where = ", ".join(str(cut) for cut in look.cuts[:4])
        said.append(("look", f"{_plural(len(look.cuts), 'cut')} inside, at frame {where}"))
    elif look.followed < 0.7:
        said.append(("note", "too little to hold on to: the camera's motion cannot be told"))
    elif look.shake < 0.4 * unit and look.drift < unit:
        said.append(("fine", "the camera stands still"))
    elif look.shake < unit:
        said.append(("look", f"the camera moves {look.drift:.0f} px, smoothly"))
    else:
        said.append(
            ("look", f"hand-held: shakes by {look.shake:.1f} px, wanders {look.drift:.0f} px")
        )
    if not look.cuts and look.light >= 0.15:
        grade: Grade = "fix" if look.light >= 0.5 else "look"
        said.append((grade, f"the light changes by {look.light:.2f} stops"))
    if look.screen and look.screen_share >= 0.3:
        even = "even" if look.screen_uneven < 0.7 else "uneven"
        grade = "fine" if look.screen_uneven < 1.5 else "look"
        said.append((grade, f"a screen, {even}: {look.screen_uneven:.1f} stops across"))
    if look.frozen:
        first, last = look.frozen[0]
        more = f" and {len(look.frozen) - 1} more" if len(look.frozen) > 1 else ""
        said.append(("note", f"stands still from frame {first} to {last}{more}"))
    if look.repeated > max(2, frames / 50):
        said.append(("look", f"{_plural(look.repeated, 'frame')} shown twice"))
    if look.burnt >= 0.02:
        said.append(("look", f"up to {look.burnt:.0%} of the picture is burnt out"))
    if look.loudest is not None:
        said.append(("note", f"loudest at {look.loudest:.2f} s"))
    order = {"fix": 0, "look": 1, "fine": 2, "note": 3}
    return sorted(said, key=lambda one: order[one[0]])


def _plural(count: int, word: str) -> str:
    return f"{count} {word}" if count == 1 else f"{count} {word}s"
