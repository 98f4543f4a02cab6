"""Pictures before a clean plate with exact coverage, for fitting the difference key: made-up things and cut-outs before
photographs and made-up grounds, with shadows, drifting light, grain, a camera that is not quite still, and what comes and
goes in the scene by itself."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.subjects import F32, Cut, cutout, rng_of, smooth_noise
from bench.things import KINDS, thing
from velvet_seam.core.picture.flutter import Flutter, flutter

Picture = NDArray[np.uint8]

SIZES = {
    (405, 720): 0.14, (720, 405): 0.1, (540, 960): 0.14, (960, 540): 0.1, (270, 480): 0.08, (480, 270): 0.06,
    (360, 640): 0.08, (720, 1280): 0.1, (320, 180): 0.05, (1080, 1920): 0.1, (1920, 1080): 0.05,
}  # fmt: skip
"""Of the pictures, and how often."""

KEPT_PHOTOS = (
    "chelsea",
    "coffee",
    "grass",
    "ihc",
    "motorcycle_left",
    "rocket",
    "testMo5",
    "testMo60",
)
"""Not fitted on."""

TURNS = 24


@dataclass(frozen=True)
class Taken:
    """A picture, its plate, what comes and goes, and its coverage; ``soft``: of cloth or clouds."""

    picture: Picture
    plate: Picture
    flutters: Flutter | None
    truth: F32
    soft: bool


def _ground(rng: np.random.Generator, size: tuple[int, int], photos: list[Path], seed: int) -> F32:
    width, height = size
    if rng.random() < 0.2:
        tone = rng.uniform(0.05, 0.9, 3)
        ground = tone + 0.08 * np.dstack(
            [
                smooth_noise(height, width, rng.uniform(0.03, 0.4) * width, seed + c)
                for c in range(3)
            ]
        )
        ground = ground * (1 + 0.15 * smooth_noise(height, width, 0.5 * width, seed + 5))[..., None]
        if rng.random() < 0.6:
            made = np.dstack(thing("clutter", min(max(size), 960), 0.0, seed + 7))
            made = cv2.resize(made, (max(size), max(size)))[:height, :width]
            colour, cover = made[..., :3], made[..., 3]
            ground = colour + (1 - cover[..., None]) * ground
        return np.clip(ground, 0, 1).astype(np.float32)
    wall = (
        cv2.imread(str(photos[int(rng.integers(len(photos)))]))[..., ::-1].astype(np.float32) / 255
    )
    if rng.random() < 0.5:
        wall = wall[:, ::-1]
    k = max(width / wall.shape[1], height / wall.shape[0]) * rng.uniform(1.02, 1.6)
    way = cv2.INTER_AREA if k < 1 else cv2.INTER_CUBIC
    wall = cv2.resize(wall, None, fx=k, fy=k, interpolation=way)
    y, x = (int(rng.integers(room + 1)) for room in (wall.shape[0] - height, wall.shape[1] - width))
    wall = wall[y : y + height, x : x + width]
    return np.clip(wall * rng.choice([1.0, 1.0, rng.uniform(0.3, 1.2)]), 0, 1).astype(np.float32)


def _laid(rng: np.random.Generator, own: Cut, size: tuple[int, int]) -> Cut:
    """A subject somewhere in the picture, turned, in places partly outside, blurred by its movement."""
    width, height = size
    both = np.dstack([own[0], own[1]])
    tall, wide = own[1].shape
    scale = min(height / tall, width / wide) * rng.uniform(0.35, 1.25)
    if scale < 1:
        both = cv2.GaussianBlur(both, (0, 0), max(0.35 / scale, 0.35))
    a = np.radians(rng.choice([0.0, rng.uniform(-20, 20), rng.uniform(-180, 180)]))
    c, s = scale * np.cos(a), scale * np.sin(a)
    m = np.array([[c, -s, 0], [s, c, 0]], np.float32)
    middle = np.array([width, height]) * rng.uniform(0.15, 0.85, 2)
    m[:, 2] = middle - m[:, :2] @ [wide / 2, tall / 2]
    blur = min(size) * rng.choice([0, 0, 0, rng.uniform(0.002, 0.04)])
    way, parts, made = rng.uniform(0, 2 * np.pi), 7 if blur else 1, 0.0
    for n in range(parts):
        at = m.copy()
        at[:, 2] += blur * (n / parts - 0.5) * np.array([np.cos(way), np.sin(way)])
        made = made + cv2.warpAffine(both, at, size, flags=cv2.INTER_LINEAR)
    mean = np.clip(made / parts, 0, 1).astype(np.float32)
    return mean[..., :3], mean[..., 3]


class _Scene:
    """A ground, with what sways or hangs in it, under light that drifts."""

    def __init__(self, rng: np.random.Generator, ground: F32, sways: str) -> None:
        self.ground, self.sways = ground, sways
        height, width = ground.shape[:2]
        self.y, self.x = np.mgrid[:height, :width].astype(np.float32)
        self.spot, self.wide = (
            rng.uniform(0.1, 0.9, 2) * (width, height),
            rng.uniform(0.08, 0.3) * width,
        )
        self.far, self.waves = rng.uniform(0.003, 0.012) * width, rng.uniform(0.05, 0.3) * width
        self.hung, self.tone = rng.uniform(0.1, 0.9) * width, rng.uniform(0.1, 0.95, 3)
        self.thick, self.swing = rng.uniform(0.004, 0.02) * width, rng.uniform(0.01, 0.05) * width
        self.long, self.turn = rng.uniform(0.4, 1.0) * height, rng.uniform(0.15, 0.6)

    def at(self, phase: float) -> F32:
        scene = self.ground
        if self.sways == "leaves":
            near = np.exp(
                -((self.x - self.spot[0]) ** 2 + (self.y - self.spot[1]) ** 2) / (2 * self.wide**2)
            )
            sway = (
                self.far * near * np.sin(2 * np.pi * (phase + (self.x + self.y) / self.waves / 4))
            )
            scene = cv2.remap(scene, self.x + sway.astype(np.float32), self.y + 0.5 * sway.astype(np.float32),
                              cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)  # fmt: skip
        if self.sways == "tape":
            height = len(scene)
            at = (
                self.hung
                + self.swing
                * np.sin(2 * np.pi * (phase + self.y / height * self.turn))
                * self.y
                / height
            )
            band = np.clip(self.thick - np.abs(self.x - at) + 0.5, 0, 1) * (self.y < self.long)
            scene = scene * (1 - band[..., None]) + band[..., None] * self.tone
        return np.asarray(scene, np.float32)


@dataclass(frozen=True)
class _Camera:
    """How strong its grain is, how it encodes, how soft it sees."""

    grain: float
    quality: int
    soft: float

    def shot(self, rng: np.random.Generator, shown: F32) -> Picture:
        if self.soft:
            shown = cv2.GaussianBlur(shown, (0, 0), self.soft)
        noisy = np.clip(shown * 255 + rng.normal(0, self.grain, shown.shape), 0, 255).astype(
            np.uint8
        )
        _, coded = cv2.imencode(".jpg", noisy[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, self.quality])
        rgb = cv2.imdecode(coded, cv2.IMREAD_COLOR)[..., ::-1]
        return np.dstack([rgb, np.full(rgb.shape[:2], 255, np.uint8)])


def _shaded(rng: np.random.Generator, cover: F32, scene: F32) -> F32:
    """The scene with the subject's shadow on it, one or two, and its light bounced to it."""
    height, width = cover.shape
    short = min(height, width)
    for _ in range(int(rng.choice([0, 1, 1, 2]))):
        x, y = rng.uniform(-0.12, 0.12, 2) * short
        thrown = cv2.warpAffine(cover, np.array([[1.0, 0, x], [0, 1, y]]), (width, height))
        soft = cv2.GaussianBlur(thrown, (0, 0), rng.uniform(0.003, 0.05) * short)
        tint = 1 + rng.normal(0, 0.06, 3)
        scene = scene * (1 - (rng.uniform(0.08, 0.6) * soft)[..., None] * tint)
    return np.asarray(scene, np.float32)


def taken(number: int, cutouts: list[Path], photos: list[Path]) -> Taken:
    """A picture of this number, the same each time."""
    rng, seed = rng_of(number, 137), 900_000 + 20 * number
    size = tuple(SIZES)[int(rng.choice(len(SIZES), p=list(SIZES.values())))]
    kind = "cutout" if number % 3 == 0 else KINDS[number % len(KINDS)]
    ground = _ground(rng, size, photos, seed)
    own = (
        cutout(cutouts[int(rng.integers(len(cutouts)))]) if kind == "cutout"
        else thing(kind, round(0.95 * min(*size, 640)), float(rng.uniform(0, 4)), seed)
    )  # fmt: skip
    colour, cover = _laid(rng, own, size)
    colour = colour * np.float32(rng.choice([1.0, 1.0, rng.uniform(0.25, 1.0)]))
    if rng.random() < 0.12:  # in the ground's own colours
        tone = np.median(ground[cover > 0.5], 0) if (cover > 0.5).any() else ground.mean((0, 1))
        own_tone = colour.sum((0, 1)) / max(float(cover.sum()), 1e-3)
        colour = np.clip(
            colour + (tone - own_tone) * cover[..., None] * rng.uniform(0.6, 1.0),
            0,
            cover[..., None],
        )
    if rng.random() < 0.04:
        colour, cover = colour * 0, cover * 0
    # what sways is looked at in many frames, which takes long in a large picture
    kinds = ["still"] if max(size) > 1000 else ["still", "still", "still", "leaves", "tape"]
    scene = _Scene(rng, ground, str(rng.choice(kinds)))
    camera = _Camera(
        float(rng.choice([0.5, 1.5, 2.5, 4.0, 6.0])),
        int(rng.integers(55, 96)),
        float(rng.choice([0, 0, 0.6, 1.2])),
    )
    light = np.exp(rng.normal(0, 0.05) + rng.normal(0, 0.02, 3) * rng.integers(2)).astype(
        np.float32
    )
    phase = float(rng.uniform())
    behind = scene.at(phase)
    nudge = rng.normal(0, 0.3, 2) * (rng.random() < 0.3)
    if nudge.any():
        move = np.array([[1, 0, nudge[0]], [0, 1, nudge[1]]])
        behind = cv2.warpAffine(
            behind, move, size, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
        )
    behind = _shaded(rng, cover, behind)
    if rng.random() < 0.3:
        behind = (
            behind * (1 + 0.04 * smooth_noise(size[1], size[0], 0.4 * size[0], seed + 9))[..., None]
        )
    picture = camera.shot(
        rng, np.clip((colour + (1 - cover[..., None]) * behind) * light, 0, 1).astype(np.float32)
    )
    if scene.sways == "still":
        bare = [camera.shot(rng, ground) for _ in range(int(rng.choice([1, 3])))]
        flutters = None
    else:
        turns = [(n * rng.uniform(0.9, 1.1) * 0.13) % 1 for n in range(TURNS)]
        drifts = [1 + 0.03 * np.sin(2 * np.pi * n / 37) for n in range(TURNS)]
        bare = [
            camera.shot(rng, np.clip(scene.at(t) * d, 0, 1).astype(np.float32))
            for t, d in zip(turns, drifts, strict=True)
        ]
        flutters = None
    plate = np.median(np.stack(bare[:: max(len(bare) // 9, 1)]), 0).astype(np.uint8)
    if scene.sways != "still" and rng.random() < 0.85:
        flutters = flutter(bare, plate)
    return Taken(picture, plate, flutters, cover, kind in ("cloth", "cloud", "both"))
