"""Light matched and clean plates made, on truth that is known, beside what a median or a mean and spread would give.

Two takes of a picture, each with somebody else before it, lit otherwise, with noise and through JPEG: ΔE of the background
after the match, measured without the noise. And takes of a hundred frames through H.264 in which somebody walks, stands
still, comes to stay or was there from the start: the share of the plate that is wrong by over 20 of 255, and how much of
that is marked. ``python -m bench.light`` draws its own pictures; with ``--pictures FOLDER`` it takes those of a folder,
every third by name unseen while the methods were made.
"""

from __future__ import annotations

import argparse
import os
import statistics
import time
from fractions import Fraction
from io import BytesIO
from pathlib import Path

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from bench.register import Colour, pictures
from velvet_seam.core.analyse.match import Matched, curved, gain_of, lent, matched, mixed
from velvet_seam.core.analyse.plate import clean_plate, spread_over
from velvet_seam.core.picture.colour import delta_e

SIZE = 540, 360
LIGHTS = "exposure", "balance", "mix", "curve", "both"
WALKS = "walks", "stands", "stays", "was there", "two"
FRAMES = 100
WRONG = 20

Values = NDArray[np.float64]


def lit(kind: str, v: Values, rng: np.random.Generator) -> Values:
    """Display values in another light; ``both``: another exposure and balance through another curve."""
    if kind in ("exposure", "balance", "both"):
        gain = 2 ** rng.uniform(-0.6, 0.6) * (
            np.ones(3) if kind == "exposure" else np.exp(rng.uniform(-0.18, 0.18, 3))
        )
        v = np.clip(gain * v**2.2, 0, 1) ** (1 / 2.2)
    if kind == "mix":
        mix = np.eye(3) + rng.uniform(-0.12, 0.12, (3, 3))
        v = v @ (mix / mix.sum(1, keepdims=True)).T * rng.uniform(0.85, 1.1) + rng.uniform(
            -0.02, 0.02
        )
    if kind in ("curve", "both"):
        v = np.clip(v, 0, 1) ** rng.uniform(0.75, 1.3) * (
            1 - 0.1 * np.sin(np.clip(v, 0, 1) * np.pi)
        )
    return np.asarray(np.clip(v, 0, 1))


def cropped(picture: Colour) -> Colour:
    """The middle of a picture at the size that is measured."""
    height, width = picture.shape[:2]
    k = max(SIZE[0] / width, SIZE[1] / height)
    large = cv2.resize(picture, (max(SIZE[0], round(width * k)), max(SIZE[1], round(height * k))),
                       interpolation=cv2.INTER_AREA if k < 1 else cv2.INTER_CUBIC)  # fmt: skip
    y, x = (large.shape[0] - SIZE[1]) // 2, (large.shape[1] - SIZE[0]) // 2
    return np.ascontiguousarray(large[y : y + SIZE[1], x : x + SIZE[0]])


def body(
    rng: np.random.Generator, other: Colour, height: float
) -> tuple[Colour, NDArray[np.float32]]:
    """Somebody: a shape of a few ovals with the pixels of another picture, and its coverage."""
    tall = round(SIZE[1] * height)
    wide = round(tall * rng.uniform(0.4, 0.6))
    cover = np.zeros((tall, wide), np.float32)
    for cx, cy, rx, ry in (
        (0.5, 0.16, 0.22, 0.14),
        (0.5, 0.52, 0.36, 0.3),
        (0.36, 0.85, 0.14, 0.16),
        (0.64, 0.85, 0.14, 0.16),
    ):
        cv2.ellipse(
            cover,
            (round(cx * wide), round(cy * tall)),
            (round(rx * wide), round(ry * tall)),
            0,
            0,
            360,
            1,
            -1,
        )
    turned = cv2.cvtColor(other, cv2.COLOR_BGR2HSV)
    turned[..., 0] = (turned[..., 0].astype(int) + int(rng.integers(180))) % 180
    skin = cv2.resize(
        cv2.cvtColor(turned, cv2.COLOR_HSV2BGR), (wide, tall), interpolation=cv2.INTER_AREA
    )
    return skin, np.asarray(cv2.GaussianBlur(cover, (0, 0), 1.0))


def put(
    view: Values, somebody: tuple[Colour, NDArray[np.float32]], x: float, y: float
) -> NDArray[np.bool_]:
    """Lay somebody over a picture, in place, with his middle at a place; where he is."""
    skin, cover = somebody
    move = np.array([[1, 0, x - skin.shape[1] / 2], [0, 1, y - skin.shape[0] / 2]], np.float32)
    over = cv2.warpAffine(cover, move, SIZE)[..., None]
    view[:] = view * (1 - over) + cv2.warpAffine(skin, move, SIZE) * over
    return np.asarray(over[..., 0] > 0.02)


def as_jpeg(picture: Values) -> Colour:
    kept = cv2.imencode(
        ".jpg", np.clip(np.rint(picture), 0, 255).astype(np.uint8), [cv2.IMWRITE_JPEG_QUALITY, 90]
    )[1]
    return np.asarray(cv2.imdecode(kept, cv2.IMREAD_COLOR), np.uint8)


def applied(found: Matched, v: Values) -> Values:
    flat = v.reshape(-1, 3)
    made = {
        "gain": lambda: flat * np.array(found.gain), "mix": lambda: mixed(flat, found.mix),
        "curve": lambda: curved(flat, found.curves),
    }[found.model]()  # fmt: skip
    return np.asarray(np.clip(made, 0, 1).reshape(v.shape))


def match_case(
    kind: str, picture: Colour, other: Colour, seed: int
) -> tuple[float, float, float] | None:
    """ΔE of the background before, after the match, and after mean and spread; None where it was refused."""
    rng = np.random.default_rng(seed)
    plain = cropped(picture)[..., ::-1] / 255.0  # RGB
    second = lit(kind, plain, rng)
    takes, hidden = [], np.zeros(SIZE[::-1], bool)
    for side, one in ((0.25, plain), (0.75, second)):
        view = 255.0 * one + rng.normal(0, 2.5, one.shape)
        hidden |= put(view, body(rng, cropped(other), 0.6), side * SIZE[0], 0.65 * SIZE[1])
        takes.append(as_jpeg(view))
    all_of_it = np.ones(SIZE[::-1], bool)
    found = matched(takes[0], takes[1], all_of_it)
    slope = lent(takes[0], takes[1], all_of_it, all_of_it)
    if found is None or slope is None:
        return None
    where = (
        ~hidden
        & (second > 0.02).all(-1)
        & (second < 0.98).all(-1)
        & (plain > 0.02).all(-1)
        & (plain < 0.98).all(-1)
    )
    if where.mean() < 0.05:
        return None
    told = [second, applied(found, second), np.clip(second * slope[0] + slope[1], 0, 1)]
    before, after, spread = (float(np.median(delta_e(one, plain)[where])) for one in told)
    return before, after, spread


def flicker_case(picture: Colour, other: Colour, seed: int) -> tuple[float, float]:
    """Standard deviation of the light of 30 frames before and after, in per cent."""
    rng = np.random.default_rng(seed)
    plain = cropped(picture)[..., ::-1].astype(float)
    gains, left = 1 + rng.uniform(-0.1, 0.1, 30), []
    still = plain + rng.normal(0, 2.5, plain.shape)
    put(still, body(rng, cropped(other), 0.6), 0.25 * SIZE[0], 0.65 * SIZE[1])
    first, somebody = as_jpeg(still), body(rng, cropped(other), 0.6)
    for n, gain in enumerate(gains):
        view = plain * gain + rng.normal(0, 2.5, plain.shape)
        put(view, somebody, (0.5 + 0.01 * n) * SIZE[0], 0.65 * SIZE[1])
        found = gain_of(first, as_jpeg(view), np.ones(SIZE[::-1], bool))
        left.append(np.nan if found is None else float(np.mean(found)) * gain)
    return 100 * float(np.std(gains)), 100 * float(np.nanstd(left))


def through_h264(pictures: list[Colour]) -> NDArray[np.uint8]:
    """Pictures, BGR, as a phone would have kept them: (n, h, w, 3) RGB."""
    out = BytesIO()
    with av.open(out, "w", format="mp4") as made:
        stream = made.add_stream(
            "libx264", Fraction(25), options={"crf": "23", "preset": "veryfast"}
        )
        stream.width, stream.height, stream.pix_fmt = *SIZE, "yuv420p"
        for one in pictures:
            made.mux(stream.encode(av.VideoFrame.from_ndarray(one, format="bgr24")))
        made.mux(stream.encode())
    out.seek(0)
    with av.open(out) as clip:
        return np.stack([frame.to_ndarray(format="rgb24") for frame in clip.decode(video=0)])


def way(kind: str, n: int, k: int = 0) -> tuple[float, float]:
    """Where somebody's middle is in a frame, as parts of the picture."""
    t = n / (FRAMES - 1)
    sway = 0.004 * np.sin(n * 0.9)
    if kind == "walks":
        return 1.4 * t - 0.2, 0.62
    if kind in ("stands", "two"):  # in, still for seven tenths, and out again
        at = 0.35 + 0.3 * k
        x = np.interp(t, [0.02, 0.15, 0.85, 0.98], [-0.25, at, at, 1.25])
        return float(x) + sway, 0.62
    if kind == "stays":
        return float(np.interp(t, [0.2, 0.4], [-0.25, 0.5])) + sway, 0.62
    return float(np.interp(t, [0.6, 0.8], [0.5, 1.25])) + sway, 0.62  # was there from the start


def plate_case(
    kind: str, picture: Colour, other: Colour, seed: int
) -> tuple[float, float, float, float]:
    """Shares of the picture: wrong in the plate, wrong in a median; of the wrong ones marked; and seconds it took."""
    rng = np.random.default_rng(seed)
    plain = cropped(picture).astype(float)
    bodies = [
        body(rng, cropped(other), rng.uniform(0.5, 0.7)) for _ in range(2 if kind == "two" else 1)
    ]
    drift = (
        1
        + 0.05 * np.sin(np.arange(FRAMES) * 0.23 + rng.uniform(0, 6))
        + rng.normal(0, 0.008, FRAMES)
    )

    def view(n: int, empty: bool) -> Colour:
        made = plain.copy()
        for k, one in enumerate([] if empty else bodies):
            x, y = way(kind, n, k)
            put(made, one, x * SIZE[0], y * SIZE[1])
        lit_so = made * drift[n] + rng.normal(0, 2.5, made.shape)
        return np.asarray(np.clip(lit_so, 0, 255), np.uint8)

    frames = through_h264([view(n, False) for n in range(FRAMES)])
    frames = frames[spread_over(0, FRAMES - 1)]
    # what the codec does to the scene is no fault of the plate
    truth = np.median(through_h264([view(n, True) for n in range(40)]), axis=0)
    begin = time.process_time()
    found = clean_plate(frames)
    seconds = time.process_time() - begin

    def wrong(plate: NDArray[np.uint8]) -> NDArray[np.bool_]:
        near = plate.astype(float) + 4, truth + 4
        gain = np.median(near[1] / near[0], axis=(0, 1))  # its own light is no fault
        return np.asarray(np.abs(plate * gain - truth).max(-1) > WRONG)

    bad = wrong(found.picture)
    marked = float((bad & found.unsure).sum() / bad.sum()) if bad.sum() > 30 else np.nan
    return (
        float(bad.mean()),
        float(wrong(np.median(frames, 0).astype(np.uint8)).mean()),
        marked,
        seconds,
    )


def main() -> None:
    given = argparse.ArgumentParser()
    given.add_argument("--pictures", type=Path)
    given.add_argument("--each", type=int, default=2, help="cases of each kind from each picture")
    given.add_argument("--seed", type=int, default=0)
    given.add_argument("--thin", type=int, default=1, help="plates of every so many pictures")
    told = given.parse_args()
    some = pictures(told.pictures)
    print(f"machine load {os.getloadavg()[0]:.1f}; {len(some)} pictures", flush=True)
    for unseen in (False, True):
        own = [n for n in range(len(some)) if (n % 3 == 2) == unseen]
        print("unseen" if unseen else "seen")
        for kind in LIGHTS:
            found = [
                match_case(kind, some[n][1], some[n - 1][1], 1000 * told.seed + 10 * n + k)
                for n in own for k in range(told.each)
            ]  # fmt: skip
            good = [one for one in found if one is not None]
            before, after, spread = (statistics.median(one[c] for one in good) for c in range(3))
            worst = float(np.quantile([one[1] for one in good], 0.95))
            print(f"  match {kind:9} ΔE {before:5.2f} -> {after:5.2f} (95 % {worst:5.2f}; mean and spread {spread:5.2f}), "
                  f"{len(found) - len(good)} of {len(found)} refused", flush=True)  # fmt: skip
        flickers = [flicker_case(some[n][1], some[n - 1][1], told.seed + n) for n in own]
        print(f"  flicker {statistics.median(f[0] for f in flickers):5.2f} % -> {statistics.median(f[1] for f in flickers):5.2f} %, "
              f"worst {max(f[1] for f in flickers):5.2f} %", flush=True)  # fmt: skip
        for kind in WALKS:
            plates = [
                plate_case(kind, some[n][1], some[n - 1][1], told.seed + n)
                for n in own[:: told.thin]
            ]
            marked = [one[2] for one in plates if not np.isnan(one[2])]
            print(f"  plate {kind:9} wrong {100 * statistics.median(p[0] for p in plates):5.2f} % (worst {100 * max(p[0] for p in plates):5.2f}; "
                  f"a median {100 * statistics.median(p[1] for p in plates):5.2f}), of those marked "
                  f"{100 * statistics.median(marked) if marked else 100:3.0f} %, {statistics.median(p[3] for p in plates):.2f} s of CPU", flush=True)  # fmt: skip


if __name__ == "__main__":
    main()
