"""*fox-and-hare-talk-a*, *-b*: the fox and the hare talk on the little stage, seen and heard by two cameras.

Troubles put in on purpose: the second was started later, by a time that is no whole number of frames; somebody knocked
against the first. The hare comes up through a trap door and goes down again, so that the second has seen the stage
without her. A curtain hangs between the two, where both cameras see it.
"""

from __future__ import annotations

from functools import lru_cache

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.analyse.plate import clean_plate, spread_over
from velvet_seam.demo import fox, hare, stage
from velvet_seam.demo.paper import F32, finish, rgb, texture

WIDTH, HEIGHT, FRAMES = 1080, 1920, 140
RATE = 48_000
LATER = 0.7312
"""Seconds by which the second camera was started later."""

UP, DOWN = (2.0, 2.3), (5.3, 5.6)
"""Seconds between which the hare comes up, and goes down."""

KNOCK = 2.9
"""Seconds at which the first camera is knocked against; the other does not hear it."""

HARE_AT, HARE_SIZE, FLOOR = (742.0, 1508.0), 0.56, 1512.0
"""Where the hare's feet are on the stage, how large she is, and the trap door's edge."""

CURTAIN_AT, CURTAIN_WIDE, HEM = 567.0, 74.0, 1500.0
"""Where the curtain hangs that both cameras see, between the two, how wide it is, and where it ends, on the stage."""

SHADOW = (34.0, 20.0, 15.0, 0.42)
"""The hare's shadow on what is behind her: shifted by, as soft as, as dark as."""

CAMERAS: dict[str, tuple[float, float, float]] = {"a": (392, 1230, 1.5), "b": (742, 1200, 1.5)}
"""What of the stage each looks at, and how much nearer it is."""


def begins(camera: str) -> float:
    """Seconds of the talk at which a camera's first frame was taken."""
    return LATER if camera == "b" else 0.0


def _rise(seconds: float) -> float:
    """How far the hare is below the stage, 0 to 1."""
    up = np.clip((seconds - UP[0]) / (UP[1] - UP[0]), 0, 1)
    down = np.clip((seconds - DOWN[0]) / (DOWN[1] - DOWN[0]), 0, 1)
    return float(1 - up * up * (3 - 2 * up) + down * down * (3 - 2 * down))


def _view(camera: str) -> NDArray[np.float64]:
    """3 × 3, from pixels of the stage to those of a camera."""
    x, y, near = CAMERAS[camera]
    return np.array([[near, 0, WIDTH / 2 - near * x], [0, near, HEIGHT / 2 - near * y], [0, 0, 1]])


def curtain_edge(y: F32, side: int) -> F32:
    """Where on the stage the curtain's left (-1) or right (1) edge is, at heights of the stage."""
    sway = 6 * np.sin(y / 96 + side) + 3 * np.sin(y / 37)
    return np.asarray(CURTAIN_AT + side * CURTAIN_WIDE / 2 + sway, np.float32)


def on_camera(camera: str, x: float, y: float) -> tuple[float, float]:
    """Where a camera shows a point of the stage, in pixels of its clip."""
    shown = _view(camera) @ [x, y, 1]
    return float(shown[0]), float(shown[1])


@lru_cache(maxsize=2)
def _curtain(camera: str) -> tuple[F32, F32]:
    """The curtain between the two as a camera sees it: colour, premultiplied, and coverage."""
    x0, y0, near = CAMERAS[camera]
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    x, y = (x - WIDTH / 2) / near + x0, (y - HEIGHT / 2) / near + y0
    left, right = curtain_edge(y, -1), curtain_edge(y, 1)
    cover = np.clip((x - left) * near + 0.5, 0, 1) * np.clip((right - x) * near + 0.5, 0, 1)
    cover = cover * np.clip((HEM + 4 * np.sin(x / 11) - y) * near + 0.5, 0, 1)
    along = (x - left) / (right - left)
    fold = 0.68 + 0.24 * np.sin(along * 15 + y / 240) + 0.08 * np.sin(along * 37 - y / 120)
    cloth = rgb("#8b2145") * (fold * texture(HEIGHT, WIDTH, 73, 1.2))[..., None]
    return np.asarray(cloth * cover[..., None], np.float32), np.asarray(cover, np.float32)


def _seen(picture: F32, matrix: NDArray[np.float64]) -> F32:
    return np.asarray(cv2.warpAffine(picture, matrix[:2], (WIDTH, HEIGHT), flags=cv2.INTER_CUBIC,
                                     borderMode=cv2.BORDER_REPLICATE), np.float32)  # fmt: skip


@lru_cache(maxsize=2)
def _ground(camera: str) -> F32:
    _, curtain = _curtain(camera)
    return _seen(stage.light(), _view(camera)) * (1 - _shadow(camera, curtain)[..., None])


@lru_cache(maxsize=2)
def _fox(camera: str, frame: float) -> tuple[F32, F32]:
    colour, alpha = fox.truth("left", frame)
    view = _view(camera)
    return _seen(colour, view), np.clip(_seen(alpha, view), 0, 1)


def _hare(camera: str, frame: float, low: float) -> tuple[F32, F32]:
    colour, alpha = hare.truth(frame)
    x, y = HARE_AT
    own = np.array([[HARE_SIZE, 0, x - HARE_SIZE * 540], [0, HARE_SIZE, y - HARE_SIZE * 1640 + 760 * low], [0, 0, 1]])  # fmt: skip
    view = _view(camera)
    both = [
        _seen(np.pad(one[1:-1, 1:-1], ((1, 1), (1, 1)) + ((0, 0),) * (one.ndim - 2)), view @ own)
        for one in (colour, alpha)
    ]
    above = np.arange(HEIGHT, dtype=np.float32)
    edge = np.clip((view @ [0, FLOOR, 1])[1] - above, 0, 1).astype(np.float32)
    return both[0] * edge[:, None, None], np.clip(both[1], 0, 1) * edge[:, None]


def _shadow(camera: str, alpha: F32) -> F32:
    """How much of the light the hare takes from what is behind her, 0 to 1."""
    right, down, soft, dark = SHADOW
    near = CAMERAS[camera][2]
    moved = np.array([[1, 0, near * right], [0, 1, near * down]], np.float32)
    fallen = cv2.warpAffine(alpha, moved, (WIDTH, HEIGHT))
    return np.asarray(dark * cv2.GaussianBlur(fallen, (0, 0), near * soft), np.float32)


def picture(camera: str, frame: int) -> NDArray[np.uint8]:
    """Frame of a camera: (1920, 1080, 3) uint8."""
    seconds = begins(camera) + frame / 25
    out = _ground(camera).copy()
    low = _rise(seconds)
    if low < 1:
        colour, alpha = _hare(camera, 25 * seconds, low)
        out = out * (1 - _shadow(camera, alpha)[..., None])
        out = out * (1 - alpha[..., None]) + colour
    for colour, alpha in (_fox(camera, 25 * seconds), _curtain(camera)):
        out = out * (1 - alpha[..., None]) + colour
    light = stage.flicker(25 * seconds)
    return finish(out * np.float32(light), (7400 if camera == "a" else 7700) + frame, 0.009)


def first(frame: int) -> NDArray[np.uint8]:
    return picture("a", frame)


def second(frame: int) -> NDArray[np.uint8]:
    return picture("b", frame)


@lru_cache(maxsize=1)
def _said() -> NDArray[np.float64]:
    """What is said on the stage: the fox's low syllables, and the hare's high ones while she is there."""
    rng = np.random.default_rng(41)
    out = np.zeros(round(RATE * 7.2))
    at, turn = 0.15, 0
    while at < 6.4:
        hares = turn % 2 == 1 and UP[1] < at < DOWN[0] - 0.6
        for _ in range(int(rng.integers(2, 6))):
            long = rng.uniform(0.09, 0.22)
            t = np.arange(round(RATE * long)) / RATE
            base = rng.uniform(330, 460) if hares else rng.uniform(120, 175)
            pitch = base * (1 + rng.uniform(-0.2, 0.25) * t / long)
            phase = 2 * np.pi * np.cumsum(pitch) / RATE
            mouth = rng.uniform(500, 1500)
            voice = sum(
                np.sin(n * phase) * np.exp(-(((n * base - mouth) / 500) ** 2)) + np.sin(n * phase) / n**1.6
                for n in range(1, 12)
            )  # fmt: skip
            start = round(RATE * at)
            shaped = np.asarray(voice) * np.sin(np.pi * t / long) ** 0.7 * rng.uniform(0.5, 1)
            out[start : start + t.size] += shaped
            at += long + rng.uniform(0.02, 0.09)
        at += rng.uniform(0.12, 0.3)
        turn += 1
    return np.asarray(out / np.abs(out).max())


def sound(camera: str) -> NDArray[np.float32]:
    """(samples, 2) float32 at 48 kHz: what a camera hears, with its own hiss and echo of the room."""
    rng = np.random.default_rng(43 if camera == "a" else 44)
    count = round(RATE * FRAMES / 25)
    heard = np.zeros(count + RATE)
    said = _said()[round(RATE * begins(camera)) :][: heard.size]
    heard[: said.size] = said
    for delay, loud in (
        ((0.013, 0.35), (0.031, 0.2)) if camera == "a" else ((0.019, 0.42), (0.047, 0.25))
    ):
        heard[round(RATE * delay) :] += loud * heard[: heard.size - round(RATE * delay)]
    heard = heard[:count] * (0.5 if camera == "a" else 0.62)
    if camera == "a":
        t = np.arange(round(RATE * 0.5)) / RATE
        knock = np.sin(2 * np.pi * (62 * t + 6 * (1 - np.exp(-30 * t)))) * np.exp(-13 * t)
        knock += rng.normal(0, 0.5, t.size) * np.exp(-70 * t)
        start = round(RATE * KNOCK)
        heard[start : start + t.size] += 0.9 * knock
    heard += rng.normal(0, 0.004, count)
    both = np.stack([heard, np.roll(heard, 9) * 0.94], 1)
    return np.asarray(np.clip(both, -0.98, 0.98), np.float32)


def plate(path: str) -> NDArray[np.uint8]:
    """*talk-plate*: the clean plate of the second camera's clip, as the application makes it: (1920, 1080, 3) uint8."""
    wanted = set(spread_over(0, FRAMES - 1))
    with av.open(path) as clip:
        frames = [
            one.to_ndarray(format="rgb24")
            for n, one in enumerate(clip.decode(video=0)) if n in wanted
        ]  # fmt: skip
    return clean_plate(np.stack(frames)).picture
