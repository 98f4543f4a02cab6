"""Clips before screens with exact coverage, made for measuring the screen key: photo cut-outs and drawn soft things.

A subject moves before a screen of some colour whose light is uneven; the screen's light falls on it; both are mixed, get
noise, and are encoded. Coverage and the subject's own colour are known from before that. A third of the clips, of
other cut-outs, kinds and colours, is for the end: nothing is chosen on them.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from io import BytesIO
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
from numpy.typing import NDArray

F32 = NDArray[np.float32]
Cut = tuple[F32, F32]
"""Premultiplied R'G'B' (h, w, 3) and coverage (h, w), 0 to 1."""

UNSEEN_CUTOUTS = (
    "bee", "dumper", "indian_blackbuck", "jackolantern_mean", "lightbulb", "propeller_hat", "stethoscope",
)  # fmt: skip
SEEN_DRAWN = ("fur", "smoke", "ball", "spokes", "leaves")
UNSEEN_DRAWN = ("hair", "flame", "veil", "glass")

SCREENS = {
    "vivid green": (38, 176, 72), "vivid blue": (28, 66, 196), "dim green": (22, 74, 40), "orange": (216, 128, 52),
    "grey wall": (128, 126, 119), "pale blue": (148, 168, 190),
    "blue cloth": (62, 92, 150), "magenta": (190, 52, 140), "dark green": (14, 46, 26), "beige wall": (178, 165, 142),
}  # fmt: skip
SEEN_SCREENS, UNSEEN_SCREENS = tuple(SCREENS)[:6], tuple(SCREENS)[6:]
LIGHTS = ("even", "slope", "hot spot", "folds")
SPILLS = ("none", "added", "wrapped", "multiplied")


@dataclass(frozen=True)
class Clip:
    """How a clip is made.

    Attributes:
        stops: by how much the screen's light differs over the picture.
        linear: mixed in linear light, not in display-referred values.
        colour: the screen's R, G, B, in place of its named colour.
        cloth: how much fine spots and threads of the screen differ in light.
        speed: the subject's, short sides in a second at 25 frames a second; it is blurred by it.
    """

    subject: str
    screen: str
    light: str = "slope"
    stops: float = 0.8
    spill: str = "none"
    strength: float = 0.0
    linear: bool = False
    codec: str = "libx264"
    quality: int = 23
    size: tuple[int, int] = (540, 960)
    noise: float = 2.0
    speed: float = 0.5
    seed: int = 1
    colour: tuple[int, ...] = ()
    cloth: float = 0.0

    @property
    def name(self) -> str:
        return f"{self.subject} before {self.screen}, {self.light}, {self.spill}"


@dataclass(frozen=True)
class Made:
    """A clip's frames (h, w, 4) uint8 as they come from the codec, and what is true of each."""

    clip: Clip
    frames: list[NDArray[np.uint8]]
    truth: list[Cut]


def _rng(*of: int) -> np.random.Generator:
    return np.random.default_rng(of)


def _noise(height: int, width: int, size: float, seed: int) -> F32:
    """Smooth noise of mean 0 and spread 1, of some size."""
    small = max(size / 4, 1.0)
    h, w = int(height / small) + 3, int(width / small) + 3
    made = cv2.GaussianBlur(
        _rng(seed).normal(0, 1, (h, w)).astype(np.float32), (0, 0), size / small / 2
    )
    made = cv2.resize(made, (width, height), interpolation=cv2.INTER_CUBIC)
    return np.asarray((made - made.mean()) / max(float(made.std()), 1e-6), np.float32)


def _strokes(height: int, width: int, lines: list[tuple[NDArray[np.float64], float, Any]]) -> Cut:
    """Thin lines with their colours, two samples a pixel each way."""
    mask = np.zeros((2 * height, 2 * width), np.uint8)
    colour = np.zeros((2 * height, 2 * width, 3), np.float32)
    for points, wide, tone in lines:
        line = [np.round(points * 2 * 16).astype(np.int32)]
        cv2.polylines(mask, line, False, 255, max(1, round(2 * wide)), cv2.LINE_AA, 4)
        cv2.polylines(colour, line, False, tone, max(1, round(2 * wide)) + 2, cv2.LINE_8, 4)
    own = mask.astype(np.float32)[..., None] / 255
    both = cv2.resize(
        np.concatenate([colour * own, own], 2), (width, height), interpolation=cv2.INTER_AREA
    )
    return np.asarray(both[..., :3], np.float32), np.asarray(both[..., 3], np.float32)


def over(top: Cut, below: Cut) -> Cut:
    rest = 1 - top[1]
    return top[0] + below[0] * rest[..., None], top[1] + below[1] * rest


def _disc(height: int, width: int, x: float, y: float, r: float, soft: float = 0.7) -> F32:
    yy, xx = np.mgrid[:height, :width].astype(np.float32)
    return np.asarray(
        np.clip((r - np.hypot(xx + 0.5 - x, yy + 0.5 - y)) / (2 * soft) + 0.5, 0, 1), np.float32
    )


def _painted(alpha: F32, colour: tuple[float, float, float], shade: F32) -> Cut:
    tone = np.clip(np.array(colour, np.float32) * (1 + shade[..., None]), 0, 1)
    return np.asarray(tone * alpha[..., None], np.float32), alpha


def _furry(
    size: int, t: float, seed: int, long: float, count: int, tone: tuple[float, float, float]
) -> Cut:
    rng, mid, r = _rng(seed, 5), size / 2, 0.3 * size
    shade = 0.25 * _noise(size, size, 0.05 * size, seed)
    body = _painted(_disc(size, size, mid, mid, r), tone, shade)
    lines = []
    for _ in range(count):
        a, k = rng.uniform(0, 2 * np.pi), rng.uniform(0.5, 1)
        bend = rng.normal(0, 0.35) + 0.15 * np.sin(5 * t + 3 * a)
        s = np.linspace(0, 1, 7)
        way = a + bend * s
        reach = r * (rng.uniform(0.75, 1) + long * k * s)
        points = np.stack([mid + reach * np.cos(way), mid + reach * np.sin(way)], 1)
        own = np.clip(np.array(tone) * rng.uniform(0.55, 1.35), 0, 1)
        lines.append((points, float(rng.choice([0.5, 1.0, 1.5])), tuple(float(c) for c in own)))
    return over(_strokes(size, size, lines), body)


def _smoke(size: int, t: float, seed: int, tone: tuple[float, float, float], most: float) -> Cut:
    y, x = np.mgrid[:size, :size].astype(np.float32) / size
    rise = round(t * 0.25 * size)
    thick = sum(
        np.roll(_noise(2 * size, size, size * s, seed + n), -rise * (n + 1), 0)[:size] * w
        for n, (s, w) in enumerate(((0.3, 1.0), (0.12, 0.6), (0.05, 0.35)))
    )
    hold = (
        np.exp(-(((x - 0.5) / (0.1 + 0.2 * (1 - y))) ** 2))
        * np.clip(y * 4, 0, 1)
        * np.clip((1 - y) * 8, 0, 1)
    )
    alpha = np.clip(hold * (0.75 + 0.5 * np.asarray(thick)), 0, 1) * most
    return _painted(
        np.asarray(alpha, np.float32), tone, 0.1 * _noise(size, size, 0.1 * size, seed + 9)
    )


def _flame(size: int, t: float, seed: int) -> Cut:
    (_, alpha) = _smoke(size, 4 * t, seed, (1, 1, 1), 1.0)
    hot = np.clip(alpha * 1.3, 0, 1)
    tone = np.stack([0.75 + 0.25 * hot, 0.2 + 0.75 * hot, 0.05 + 0.5 * hot**2], 2)
    return np.asarray(tone * alpha[..., None], np.float32), alpha


def _spokes(size: int, t: float, seed: int) -> Cut:
    mid, r = size / 2, 0.38 * size
    parts, done = 8, []
    for part in range(parts):  # blurred by its turn
        turn = 2.2 * (t + 0.02 * part / parts)
        ring = [
            (
                mid + r * np.stack([np.cos(a := np.linspace(0, 2 * np.pi, 90)), np.sin(a)], 1),
                0.022 * size,
                (0.55, 0.16, 0.12),
            )
        ]
        for n in range(14):
            a = turn + 2 * np.pi * n / 14
            ring.append(
                (
                    mid + np.array([[0, 0], [r * np.cos(a), r * np.sin(a)]]),
                    0.006 * size,
                    (0.8, 0.66, 0.3),
                )
            )
        done.append(
            over(
                _painted(
                    _disc(size, size, mid, mid, 0.06 * size),
                    (0.4, 0.3, 0.25),
                    0 * _disc(size, size, 0, 0, 1),
                ),
                _strokes(size, size, ring),
            )
        )
    return np.mean([c for c, _ in done], 0), np.mean([a for _, a in done], 0)


def _leaves(size: int, t: float, seed: int) -> Cut:
    rng = _rng(seed, 3)
    mask = np.zeros((2 * size, 2 * size), np.uint8)
    colour = np.zeros((2 * size, 2 * size, 3), np.float32)
    for _ in range(150):
        x, y = rng.normal(size, 0.27 * size, 2)
        a, r = rng.uniform(0, np.pi) + 0.1 * np.sin(3 * t + x), rng.uniform(0.03, 0.07) * size
        tone = np.clip(
            np.array([0.55, 0.3, 0.12]) * rng.uniform(0.5, 1.6) + [0, rng.uniform(0, 0.2), 0], 0, 1
        )
        leaf = cv2.ellipse2Poly(
            (int(x), int(y)), (int(2 * r), int(0.6 * r)), int(np.degrees(a)), 0, 360, 12
        )
        cv2.fillConvexPoly(mask, leaf, 255, cv2.LINE_AA)
        cv2.fillConvexPoly(colour, cv2.convexHull(leaf), tuple(float(c) for c in tone))
    cover = mask.astype(np.float32)[..., None] / 255
    both = cv2.resize(
        np.concatenate([colour * cover, cover], 2), (size, size), interpolation=cv2.INTER_AREA
    )
    return np.asarray(both[..., :3], np.float32), np.asarray(both[..., 3], np.float32)


def _veil(size: int, t: float, seed: int) -> Cut:
    y, x = np.mgrid[:size, :size].astype(np.float32) / size
    sway = 0.03 * np.sin(6 * y + 4 * t)
    hang = (
        np.clip((0.33 - np.abs(x - 0.5 - sway)) * 0.5 * size, 0, 1)
        * np.clip((y - 0.15) * size, 0, 1)
        * np.clip((0.95 - y) * size, 0, 1)
    )
    folds = 0.4 + 0.2 * np.sin((x - sway) * 55 + 3 * np.sin(4 * y)) * np.clip(y, 0.2, 1)
    alpha = np.asarray(hang * folds, np.float32)
    cloth = _painted(alpha, (0.9, 0.82, 0.86), 0.1 * _noise(size, size, 0.04 * size, seed))
    head = _painted(
        _disc(size, size, 0.5 * size, 0.36 * size, 0.14 * size),
        (0.72, 0.5, 0.4),
        0.15 * _noise(size, size, 0.05 * size, seed + 2),
    )
    return over(cloth, head)


def _glass(size: int, t: float, seed: int) -> Cut:
    mid = 0.5 * size
    outer, inner = (
        _disc(size, size, mid, mid, 0.34 * size),
        _disc(size, size, mid, mid, 0.31 * size, 5),
    )
    alpha = np.asarray(outer * (0.72 - 0.58 * inner), np.float32)
    shine = _disc(size, size, mid - 0.1 * size, mid - 0.12 * size, 0.05 * size, 6)
    body = _painted(alpha, (0.55, 0.62, 0.6), 0.1 * _noise(size, size, 0.1 * size, seed))
    return over(_painted(0.9 * shine, (0.97, 0.97, 0.95), 0 * shine), body)


def _ball(size: int, t: float, seed: int) -> Cut:
    shade = 0.35 * _noise(size, size, 0.06 * size, seed)
    return _painted(_disc(size, size, size / 2, size / 2, 0.2 * size), (0.8, 0.22, 0.2), shade)


def drawn(kind: str, size: int, t: float, seed: int) -> Cut:
    """A drawn thing in a square, at a time in seconds."""
    return _DRAWN[kind](size, t, seed)


_DRAWN: dict[str, Callable[[int, float, int], Cut]] = {
    "fur": lambda size, t, seed: _furry(size, t, seed, 0.4, 2600, (0.45, 0.3, 0.18)),
    "hair": lambda size, t, seed: _furry(size, t, seed, 0.75, 900, (0.3, 0.2, 0.14)),
    "smoke": lambda size, t, seed: _smoke(size, t, seed, (0.78, 0.78, 0.8), 0.75),
    "flame": _flame, "spokes": _spokes, "leaves": _leaves, "veil": _veil, "glass": _glass, "ball": _ball,
}  # fmt: skip


def cutout(path: Path) -> Cut:
    read = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
    alpha = read[..., 3].astype(np.float32) / 255
    return np.asarray(
        read[..., 2::-1].astype(np.float32) / 255 * alpha[..., None], np.float32
    ), alpha


def _subject(clip: Clip, folder: Path, t: float) -> Cut:
    width, height = clip.size
    short = min(clip.size)
    if clip.subject in SEEN_DRAWN + UNSEEN_DRAWN:
        own = drawn(clip.subject, round(0.85 * short), t, clip.seed)
    else:
        own = cutout(folder / f"{clip.subject}.png")
    tall, wide = own[1].shape
    rng = _rng(clip.seed, 8)
    scale = min(0.72 * height / tall, 0.82 * width / wide) * rng.uniform(0.8, 1.0)
    if clip.subject in SEEN_DRAWN + UNSEEN_DRAWN:
        scale = 1.0
    parts = 6 if clip.speed > 0.15 else 1
    way, phase, turn = rng.uniform(0, 2 * np.pi), rng.uniform(0, 6), rng.uniform(-12, 12)
    both = np.dstack([own[0], own[1]])
    if scale < 1:
        both = cv2.GaussianBlur(both, (0, 0), max(0.35 / scale, 0.35))
    made = []
    for part in range(parts):
        at = t + 0.02 * part / parts
        swing = np.sin(3 * at + phase) / 3 * clip.speed * short
        a = np.radians(turn + 10 * clip.speed * np.sin(2.2 * at + phase)) if scale != 1.0 else 0.0
        c, s = scale * np.cos(a), scale * np.sin(a)
        m = np.array([[c, -s, 0], [s, c, 0]], np.float32)
        m[:, 2] = (
            np.array([width, height]) / 2
            + swing * np.array([np.cos(way), np.sin(way)])
            - m[:, :2] @ [wide / 2, tall / 2]
        )
        made.append(cv2.warpAffine(both, m, (width, height), flags=cv2.INTER_LINEAR))
    mean = np.clip(np.mean(made, 0), 0, 1).astype(np.float32)
    return mean[..., :3], mean[..., 3]


def _screen(clip: Clip, t: float) -> F32:
    """The screen, R'G'B' (h, w, 3), with its light."""
    width, height = clip.size
    rng = _rng(clip.seed, 4)
    y, x = np.mgrid[:height, :width].astype(np.float32)
    way = rng.uniform(0, 2 * np.pi)
    slope = ((x / width - 0.5) * np.cos(way) + (y / height - 0.5) * np.sin(way)) * np.ones_like(x)
    if clip.light == "hot spot":
        cx, cy = rng.uniform(0.2, 0.8, 2)
        light = (
            1.2 * np.exp(-(((x / width - cx) / 0.35) ** 2) - ((y / height - cy) / 0.3) ** 2)
            - 0.5
            + 0.3 * slope
        )
    elif clip.light == "folds":
        along = (x * np.cos(way) + y * np.sin(way)) / min(clip.size)
        light = (
            0.3 * np.sin(9 * along + 2 * np.sin(3 * along))
            + 0.5 * slope
            + 0.12 * _noise(height, width, 0.1 * width, clip.seed + 1)
        )
    elif clip.light == "slope":
        light = slope + 0.06 * _noise(height, width, 0.3 * width, clip.seed + 1)
    else:
        light = 0.02 * _noise(height, width, 0.3 * width, clip.seed + 1)
    span = max(float(np.ptp(light)), 0.2)
    stops = clip.stops * light / span + 0.05 * np.sin(11 * t)
    if clip.cloth:
        spots = _noise(height, width, 0.02 * min(clip.size), clip.seed + 2) + 0.6 * _noise(
            height, width, 0.005 * min(clip.size), clip.seed + 3
        )
        stops = stops + 2.2 * clip.cloth * spots
    colour = np.array(clip.colour or SCREENS[clip.screen], np.float32) / 255
    return np.asarray(np.clip(colour * (2 ** (stops / 2.2))[..., None], 0, 1), np.float32)


def _lit(clip: Clip, cut: Cut, screen: F32) -> F32:
    """The subject's premultiplied colour with the screen's light on it."""
    colour, alpha = cut
    tint = screen.reshape(-1, 3).mean(0)
    if clip.spill == "added":
        height = alpha.shape[0]
        facing = np.linspace(0.3, 1, height, dtype=np.float32)[:, None, None]
        colour = colour + clip.strength * 0.4 * facing * tint * alpha[..., None]
    elif clip.spill == "wrapped":
        near = cv2.GaussianBlur(1 - alpha, (0, 0), 0.02 * min(clip.size))
        colour = colour + clip.strength * (near * alpha)[..., None] * screen * 0.8
    elif clip.spill == "multiplied":
        colour = colour * (1 - clip.strength + clip.strength * tint / tint.max())
    return np.asarray(np.minimum(colour, alpha[..., None]), np.float32)


def frame(clip: Clip, folder: Path, number: int) -> tuple[F32, Cut]:
    """A frame before noise and codec, R'G'B' (h, w, 3), and what is true of it."""
    t = number / 25
    cut = _subject(clip, folder, t)
    screen = _screen(clip, t)
    colour, alpha = _lit(clip, cut, screen), cut[1][..., None]
    if clip.linear:
        own = np.where(alpha > 1e-4, colour / np.maximum(alpha, 1e-4), 0).clip(0, 1)
        mixed = (alpha * own**2.2 + (1 - alpha) * screen**2.2) ** (1 / 2.2)
    else:
        mixed = colour + (1 - alpha) * screen
    return np.asarray(mixed, np.float32), cut


def made(clip: Clip, folder: Path, count: int = 6, keep: tuple[int, ...] = (2, 3)) -> Made:
    """A clip as it comes out of its codec; ``keep`` says which of its frames are measured."""
    rng, truth, out = _rng(clip.seed, 6), [], BytesIO()
    with av.open(out, "w", format="matroska") as film:
        options = {
            "libx264": {"crf": str(clip.quality), "preset": "fast"},
            "mpeg4": {"qscale": "3"},
            "mjpeg": {"qscale": "3"},
        }
        stream = film.add_stream(clip.codec, Fraction(25), options=options[clip.codec])
        stream.width, stream.height = clip.size
        stream.pix_fmt = "yuvj420p" if clip.codec == "mjpeg" else "yuv420p"
        if clip.codec == "mpeg4":
            stream.bit_rate = 12 * clip.size[0] * clip.size[1]
        for number in range(count):
            mixed, cut = frame(clip, folder, number)
            if number in keep:
                truth.append(cut)
            noisy = 255 * mixed + rng.normal(0, clip.noise, mixed.shape)
            shown = av.VideoFrame.from_ndarray(
                np.clip(noisy + 0.5, 0, 255).astype(np.uint8), "rgb24"
            )
            shown = shown.reformat(format=stream.pix_fmt, dst_colorspace="ITU709")
            film.mux(stream.encode(shown))
        film.mux(stream.encode())
    out.seek(0)
    with av.open(out) as read:
        frames = []
        for n, one in enumerate(read.decode(video=0)):
            if n in keep:
                rgb = one.reformat(format="rgb24", src_colorspace="ITU709").to_ndarray()
                frames.append(np.dstack([rgb, np.full(rgb.shape[:2], 255, np.uint8)]))
    return Made(clip, frames, truth)


def _spread(
    subjects: tuple[str, ...], screens: tuple[str, ...], seed: int, count: int
) -> list[Clip]:
    """So many clips over all subjects, screens and troubles."""
    rng, clips = _rng(seed), []
    order = [subjects[int(n)] for n in rng.permutation(len(subjects))]
    for n in range(count):
        spill = SPILLS[n % 4]
        clips.append(
            Clip(
                order[n % len(order)], screens[int(rng.integers(len(screens)))] if n >= len(screens) else screens[n],
                light=LIGHTS[int(rng.integers(4))], stops=float(rng.choice([0.3, 0.8, 1.3, 2.0])), spill=spill,
                strength=0.0 if spill == "none" else float(rng.uniform(0.15, 0.5)), linear=bool(rng.random() < 0.4),
                codec=str(rng.choice(["libx264"] * 4 + ["mpeg4", "mjpeg"])), quality=int(rng.choice([18, 23, 23, 28])),
                size=((540, 960), (960, 540), (360, 640), (320, 180), (720, 1280))[int(rng.choice(5, p=[0.3, 0.25, 0.2, 0.15, 0.1]))],
                noise=float(rng.choice([1.0, 2.0, 4.0])), speed=float(rng.choice([0.0, 0.4, 1.2])), seed=seed * 1000 + n,
            )
        )  # fmt: skip
    return clips


def names(folder: Path) -> list[str]:
    return sorted(one.stem for one in folder.glob("*.png"))


def measured(folder: Path, unseen: bool) -> list[Clip]:
    """The clips that the key is measured on: 22 while it is made, 12 at the end."""
    if unseen:
        return _spread(
            (*UNSEEN_CUTOUTS, *UNSEEN_DRAWN), UNSEEN_SCREENS + ("vivid green", "vivid blue"), 91, 12
        )
    seen = tuple(name for name in names(folder) if name not in UNSEEN_CUTOUTS)
    return _spread((*seen, *SEEN_DRAWN), SEEN_SCREENS, 17, 22)
