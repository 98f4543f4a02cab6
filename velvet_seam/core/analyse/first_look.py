"""The first look: what people ask of a clip before anything else, measured once over all of it."""

from __future__ import annotations

import itertools
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from velvet_seam.core.analyse.steadiness import Steadiness
from velvet_seam.core.picture.colour import LUMA_709
from velvet_seam.core.picture.screen import measure_border
from velvet_seam.core.timing.rate import SOUND_RATE
from velvet_seam.core.words import rgb_to_colour

SIDE = 270
"""Short side at which pictures are measured, in pixels."""

_LUMA = np.array([[*LUMA_709, 0.0]], np.float32)
_LIGHT = ((np.arange(256) / 255) ** 2.2).astype(np.float32)

FLAT = 1.0
"""Levels by which a picture that shows something differs from its surroundings, in the mean."""

CUT_LIKENESS, CUT_DROP = 0.45, 0.3
"""Likeness of two pictures, −1 to 1, below which one begins something new; and by how much it lies below what
is usual around it, for a fast pan is unlike all along."""

STILL = 0.12
"""Pixels at which pictures are measured: what moves less cannot be told from noise."""

KNOWN = 0.7
"""Of a clip's frames so many must be followed, for its camera's motion to be told."""

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
    screen_second: str = ""
    ground: Literal["", "black"] = ""
    """What a picture stands on that is not a screen: light on black is joined by a blend."""
    silent: bool = False
    """There is a sound track, and nothing is on it."""
    loudest: float | None = None
    """Seconds from the start to the loudest twentieth of a second."""


class Look:
    """Takes the frames of a clip one after the other."""

    def __init__(self, width: int, height: int, frames: int) -> None:
        self._scale = max(1.0, min(width, height) / SIDE)
        self._steadiness = Steadiness()
        self._before: NDArray[np.uint8] | None = None
        self._first: NDArray[np.float32] | None = None
        self._first_at, self._first_form, self._first_light = np.zeros(2), np.zeros(2), 0.0
        self._changes: list[float] = []
        self._likeness: list[float] = []
        self._small: list[NDArray[np.float32]] = []
        self._dark: list[float] = []
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
        anew = self._compare(grey)
        self._steadiness.add(grey, anew)
        self._dark.append(_dark_border(grey))
        light = np.asarray(cv2.LUT(grey, _LIGHT), np.float32)
        self._bright.append(float(light.mean()))
        self._burnt.append(float((cv2.min(cv2.min(r, g), b) >= 254).mean()))
        self._blocked.append(float((cv2.max(cv2.max(r, g), b) <= 1).mean()))
        quarter = cv2.resize(light, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA)
        stops = np.log2(np.asarray(quarter, np.float32) + np.float32(0.002))
        self._light.append(self._light_of(stops, anew))
        if self._before is not None:
            self._changes.append(float(cv2.absdiff(grey, self._before).mean()))
        self._before = grey

    def _light_of(self, stops: NDArray[np.float32], anew: bool) -> float:
        """How much more light there is than at first, in stops: the median over places that both show, so
        that neither what moves through the picture counts, nor what the camera has left behind."""
        here, form = self._steadiness.at / 4, self._steadiness.form
        if self._first is None or anew:
            self._first, self._first_at, self._first_form = stops, here, form
            self._first_light = self._light[-1] if self._light else 0.0
        dx, dy = (round(float(v)) for v in here - self._first_at)
        ours, then = _overlap(stops, self._first, dx, dy)
        if ours.size >= 0.4 * stops.size and np.abs(form - self._first_form).max() < 0.03:
            return self._first_light + float(np.median(ours - then))
        light = self._light[
            -1
        ]  # most of what was seen then is gone: from here on this frame is the measure
        self._first, self._first_at, self._first_form = stops, here, form
        self._first_light = light
        return light

    def _compare(self, grey: NDArray[np.uint8]) -> bool:
        """Note how alike this frame is to the two before it; whether it may show something new."""
        small = _structure(grey)
        before = self._small[-1] if self._small else small
        like = 1.0  # of what shows nothing, nothing new can be told
        if max(float(small.std()), float(before.std())) > FLAT:
            like = float((small * before).mean() / ((small.std() + 0.5) * (before.std() + 0.5)))
        self._likeness.append(like)
        self._small = [*self._small[-1:], small]
        return like < CUT_LIKENESS

    def result(self, sound: NDArray[np.float32] | None = None) -> FirstLook:
        """What was found; ``sound`` is that of the clip, (samples, 2) at 48 kHz."""
        cuts = _cuts(self._likeness, self._changes)
        motion = self._steadiness.motion(self._scale, cuts)
        stretches, repeated = _standing(self._changes)
        light = max(
            (
                float(np.ptp(_middle(self._light[first:end])))
                for first, end in itertools.pairwise([0, *cuts, len(self._light)])
            ),
            default=0.0,
        )
        if motion.restless > 0.25:  # where everything moves, places say nothing of the light
            light = 0.0
        moment = loudest(sound)
        found = FirstLook(
            drift=motion.drift, shake=motion.shake, followed=motion.known, light=light, cuts=cuts,
            frozen=stretches, repeated=repeated,
            brightest=int(np.argmax(self._bright)) if self._bright else 0,
            burnt=max(self._burnt, default=0.0), blocked=max(self._blocked, default=0.0),
            loudest=moment, silent=sound is not None and moment is None,
        )  # fmt: skip
        if self._dark and float(np.median(self._dark)) >= 0.85:
            return found.model_copy(update={"ground": "black"})
        if not self._kept:
            return found
        reading = measure_border(self._kept)
        if not reading.found:
            return found
        return found.model_copy(
            update={
                "screen": rgb_to_colour(*reading.colour), "screen_share": reading.share,
                "screen_uneven": reading.uneven,
                "screen_second": rgb_to_colour(*reading.second) if reading.second else "",
            }
        )  # fmt: skip


def _overlap(
    one: NDArray[np.float32], other: NDArray[np.float32], dx: int, dy: int
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """What two pictures both show, where the first shows everything so much further right and down."""
    h, w = one.shape
    dx, dy = min(max(dx, -w), w), min(max(dy, -h), h)
    ours = one[max(dy, 0) : h + min(dy, 0), max(dx, 0) : w + min(dx, 0)]
    then = other[max(-dy, 0) : h + min(-dy, 0), max(-dx, 0) : w + min(-dx, 0)]
    return ours, then


def _structure(grey: NDArray[np.uint8]) -> NDArray[np.float32]:
    """What a picture shows, small, without its light: levels about a mean of 0."""
    small = cv2.resize(grey, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA)
    fine = np.asarray(cv2.GaussianBlur(small.astype(np.float32), (0, 0), 1.5))
    apart = fine - cv2.GaussianBlur(fine, (0, 0), 8)
    return np.asarray(apart - apart.mean(), np.float32)


def _dark_border(grey: NDArray[np.uint8]) -> float:
    """Part of the border that is black, as far as compression lets it be."""
    wide = max(2, min(grey.shape) // 16)
    rim = np.concatenate([grey[:wide].ravel(), grey[-wide:].ravel(),
                          grey[:, :wide].ravel(), grey[:, -wide:].ravel()])  # fmt: skip
    return float((rim <= 24).mean())


def _middle(values: list[float], width: int = 5) -> NDArray[np.float64]:
    """A running median: single flashes are not drift."""
    padded = np.pad(np.array(values or [0.0]), width // 2, mode="edge")
    return np.asarray(np.median(np.lib.stride_tricks.sliding_window_view(padded, width), axis=1))


def _cuts(likeness: list[float], changes: list[float]) -> list[int]:
    """Frames that begin something new: unlike the one before them, though those around are alike, or changed
    far more than all around it.

    Args:
        likeness: of each frame to the one before it.
        changes: mean difference of each frame but the first from the one before it, in levels.

    >>> _cuts([1.0] * 10 + [0.1] + [0.97] * 9, [1.0] * 19)
    [10]
    """
    found = []
    for n in range(1, len(likeness)):
        others = [k for k in range(max(1, n - 6), min(len(likeness), n + 7)) if k != n]
        usual = float(np.median([likeness[k] for k in others])) if others else 1.0
        most = max((changes[k - 1] for k in others), default=0.0)
        new = likeness[n] < CUT_LIKENESS and likeness[n] < usual - CUT_DROP
        # a flash is unlike both what comes before and what comes after it, and is no cut
        flash = any(likeness[k] < CUT_LIKENESS for k in (n - 1, n + 1) if 1 <= k < len(likeness))
        if (new and not flash) or (changes[n - 1] > 18 and changes[n - 1] > 4 * most):
            found.append(n)
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
    if look.followed < KNOWN:
        said.append(("note", "too little to hold on to: the camera's motion cannot be told"))
    elif not wanders(look, short_side):
        said.append(("fine", "the camera stands still"))
    elif look.shake < unit:
        said.append(("look", f"the camera moves {look.drift:.0f} px, smoothly"))
    else:
        said.append(
            ("look", f"hand-held: shakes by {look.shake:.1f} px, wanders {look.drift:.0f} px")
        )
    if look.light >= 0.15:
        grade: Grade = "fix" if look.light >= 0.5 else "look"
        within = " within a scene" if look.cuts else ""
        said.append((grade, f"the light changes by {look.light:.2f} stops{within}"))
    if look.screen_second:
        said.append(
            ("look", f"two screens, {look.screen} and {look.screen_second}: key each by itself")
        )
    if look.ground == "black":
        said.append(("note", "on black: lighten, screen or add join its light"))
    if look.silent:
        said.append(("look", "has a sound track, but all of it is silence"))
    if look.screen:
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


def wanders(look: FirstLook, short_side: int) -> float:
    """How far the camera goes, pixels of the clip; 0 where it stands still, and where that cannot be told.

    >>> wanders(FirstLook(followed=1.0, drift=0.5), 1080), wanders(FirstLook(followed=1.0, drift=30.0), 1080)
    (0.0, 30.0)
    """
    unit, scale = max(short_side, 1) / 1080, max(1.0, short_side / SIDE)
    still = look.shake < max(0.4 * unit, STILL * scale) and look.drift < max(
        unit, 2 * STILL * scale
    )
    return 0.0 if still or look.followed < KNOWN else max(look.drift, look.shake)


def _plural(count: int, word: str) -> str:
    return f"{count} {word}" if count == 1 else f"{count} {word}s"
