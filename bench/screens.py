"""Clips before screens with exact coverage, made for measuring the screen key: photo cut-outs and drawn soft things.

A subject moves before a screen of some colour whose light is uneven; the screen's light falls on it; both are mixed, get
noise, and are encoded. Coverage and the subject's own colour are known from before that. A third of the clips, of
other cut-outs, kinds and colours, is for the end: nothing is chosen on them.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from io import BytesIO
from pathlib import Path

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from bench.subjects import F32, Cut, cutout, drawn, rng_of, smooth_noise
from bench.things import KINDS, thing

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
        shadow: how much darker the screen is where the subject's own shadow falls on it.
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
    shadow: float = 0.0

    @property
    def name(self) -> str:
        return f"{self.subject} before {self.screen}, {self.light}, {self.spill}"


@dataclass(frozen=True)
class Made:
    """A clip's frames (h, w, 4) uint8 as they come from the codec, and what is true of each."""

    clip: Clip
    frames: list[NDArray[np.uint8]]
    truth: list[Cut]


def _subject(clip: Clip, folder: Path, t: float) -> Cut:
    width, height = clip.size
    short = min(clip.size)
    made_up = clip.subject in KINDS
    if made_up:
        own = thing(clip.subject, round(0.95 * short), t, clip.seed)
    elif clip.subject in SEEN_DRAWN + UNSEEN_DRAWN:
        own = drawn(clip.subject, round(0.85 * short), t, clip.seed)
    else:
        own = cutout(folder / f"{clip.subject}.png")
    tall, wide = own[1].shape
    rng = rng_of(clip.seed, 8)
    scale = min(0.72 * height / tall, 0.82 * width / wide) * rng.uniform(0.8, 1.0)
    if made_up or clip.subject in SEEN_DRAWN + UNSEEN_DRAWN:
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
    rng = rng_of(clip.seed, 4)
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
            + 0.12 * smooth_noise(height, width, 0.1 * width, clip.seed + 1)
        )
    elif clip.light == "slope":
        light = slope + 0.06 * smooth_noise(height, width, 0.3 * width, clip.seed + 1)
    else:
        light = 0.02 * smooth_noise(height, width, 0.3 * width, clip.seed + 1)
    span = max(float(np.ptp(light)), 0.2)
    stops = clip.stops * light / span + 0.05 * np.sin(11 * t)
    if clip.cloth:
        spots = smooth_noise(
            height, width, 0.02 * min(clip.size), clip.seed + 2
        ) + 0.6 * smooth_noise(height, width, 0.005 * min(clip.size), clip.seed + 3)
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


def _thrown(clip: Clip, alpha: F32) -> F32:
    """Where the subject's shadow falls, 0 to 1: its outline moved aside, hard or soft."""
    rng, (width, height) = rng_of(clip.seed, 12), clip.size
    across, down = rng.normal(0, 0.08, 2) * min(clip.size)
    move = np.array([[1, 0, across], [0, 1, down]], np.float32)
    made = cv2.warpAffine(alpha, move, (width, height))
    return np.asarray(
        cv2.GaussianBlur(made, (0, 0), rng.choice([0.004, 0.012, 0.04]) * min(clip.size)),
        np.float32,
    )


def frame(clip: Clip, folder: Path, number: int) -> tuple[F32, Cut]:
    """A frame before noise and codec, R'G'B' (h, w, 3), and what is true of it."""
    t = number / 25
    cut = _subject(clip, folder, t)
    screen = _screen(clip, t)
    if clip.shadow:
        screen = screen * (1 - clip.shadow * _thrown(clip, cut[1]))[..., None]
    colour, alpha = _lit(clip, cut, screen), cut[1][..., None]
    if clip.linear:
        own = np.where(alpha > 1e-4, colour / np.maximum(alpha, 1e-4), 0).clip(0, 1)
        mixed = (alpha * own**2.2 + (1 - alpha) * screen**2.2) ** (1 / 2.2)
    else:
        mixed = colour + (1 - alpha) * screen
    return np.asarray(mixed, np.float32), cut


def made(clip: Clip, folder: Path, count: int = 6, keep: tuple[int, ...] = (2, 3)) -> Made:
    """A clip as it comes out of its codec; ``keep`` says which of its frames are measured."""
    rng, truth, out = rng_of(clip.seed, 6), [], BytesIO()
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
    rng, clips = rng_of(seed), []
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


SOFT_FROM, SHADOW_FROM, MIXED_FROM, GRAINY_FROM = 3600, 4400, 5300, 9500
"""Number of the first of the clips that are soft things before screens of a strong colour, of those in which the
subject's shadow falls on the screen, of those that are of every kind again, one in five with such a shadow, and of those
that have three times the grain."""


def fitted_on(folder: Path, count: int) -> list[Clip]:
    """Clips that the key is fitted on: made-up things, and cut-outs that are not kept for the end, before screens of
    any colour from vivid to grey."""
    rng, clips = rng_of(4711), []
    cuts = [name for name in names(folder) if name not in UNSEEN_CUTOUTS]
    for n in range(count):
        soft = SOFT_FROM <= n < SHADOW_FROM
        shadow = SHADOW_FROM <= n < MIXED_FROM or (n >= MIXED_FROM and n % 5 == 0)
        subject = cuts[int(rng.integers(len(cuts)))] if n % 3 == 0 else KINDS[n % len(KINDS)]
        full = rng.random() < 0.75  # most screens have a strong colour
        if soft:
            subject, full = ("cloth", "cloth", "cloud", "both")[n % 4], True
        hue = rng.choice([60, 60, 112, 112, rng.uniform(0, 180), rng.uniform(0, 180)]) + rng.normal(
            0, 5
        )
        chroma = rng.uniform(100, 240) if full else rng.uniform(6, 110)
        hsv = np.array([[[hue % 180, chroma, rng.uniform(40, 225)]]], np.uint8)
        red, green, blue = cv2.cvtColor(hsv, cv2.COLOR_HSV2RGB)[0, 0].tolist()
        spill = SPILLS[int(rng.integers(4))]
        clips.append(
            Clip(
                subject, "any", LIGHTS[int(rng.integers(4))], float(rng.choice([0.2, 0.6, 1.0, 1.6, 2.0])), spill,
                0.0 if spill == "none" else float(rng.uniform(0.1, 0.55)), bool(rng.random() < 0.4),
                str(rng.choice(["libx264"] * 4 + ["mpeg4", "mjpeg"])), int(rng.choice([16, 18, 23, 23, 28])),
                ((540, 960), (960, 540), (360, 640), (320, 180), (720, 1280), (1080, 1920))[int(rng.choice(6, p=[0.3, 0.2, 0.15, 0.1, 0.15, 0.1]))],
                (3.0 if n >= GRAINY_FROM else 1.0) * float(rng.choice([0.5, 1.0, 2.0, 4.0])),
                float(rng.choice([0.0, 0.0, 0.4, 1.2])), 500_000 + n,
                (red, green, blue), float(rng.choice([0.0, 0.0, 0.02])),
                float(rng.uniform(0.15, 0.8)) if shadow else 0.0,
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


def fresh() -> list[Clip]:
    """48 more clips of the subjects that are kept for the end, before screens of every colour."""
    return _spread((*UNSEEN_CUTOUTS, *UNSEEN_DRAWN), tuple(SCREENS), 1711, 48)
