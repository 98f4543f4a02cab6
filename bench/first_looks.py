"""First looks against clips drawn with their truth: does the camera move, is there a cut, does the light drift?

Two thirds of them were looked at while the rules were made, the last third only afterwards. Run by
``python -m bench.first_looks``; a test holds some of them.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.analyse.first_look import FirstLook, Look, verdicts

WIDTH, HEIGHT, FRAMES = 360, 640, 75
Grey = NDArray[np.float32]


@dataclass(frozen=True)
class Truth:
    """``camera``: still, moves or unknown (nothing says); ``cuts``; how far the light drifts within a scene."""

    camera: str
    cuts: tuple[int, ...] = ()
    stops: float = 0.0


@cache
def texture(seed: int, size: int = 1100) -> Grey:
    """A picture with structure of all sizes, as photographs have it."""
    rng = np.random.default_rng(seed)
    out = np.zeros((size, size), np.float32)
    for level in range(1, 7):
        cells = 3 * 2**level
        noise = rng.normal(0, 1, (cells, cells)).astype(np.float32)
        out += cv2.resize(noise, (size, size), interpolation=cv2.INTER_CUBIC) / level
    return np.asarray(np.clip(120 + 45 * out / out.std(), 8, 247), np.float32)


def view(
    ground: Grey, x: float = 0.0, y: float = 0.0, turn: float = 0.0, zoom: float = 1.0
) -> Grey:
    """What a camera at a place of a ground sees."""
    matrix = cv2.getRotationMatrix2D((550, 550), turn, zoom)
    matrix[:, 2] += (WIDTH / 2 - 550 - x, HEIGHT / 2 - 550 - y)
    return np.asarray(cv2.warpAffine(ground, matrix, (WIDTH, HEIGHT), flags=cv2.INTER_LINEAR,
                                     borderMode=cv2.BORDER_REFLECT), np.float32)  # fmt: skip


def with_disc(
    picture: Grey, radius: float, turn: float, seed: int, x: float = 0.0, y: float = 0.0
) -> Grey:
    """A disc with a picture of its own, turned by itself, over another."""
    own = view(texture(seed), 0, 0, turn)
    v, u = np.mgrid[0:HEIGHT, 0:WIDTH]
    inside = (u - WIDTH / 2 - x) ** 2 + (v - HEIGHT / 2 - y) ** 2 < radius**2
    moved = cv2.warpAffine(own, np.array([[1, 0, x], [0, 1, y]], float), (WIDTH, HEIGHT))
    return np.where(inside, moved, picture).astype(np.float32)


def hand(seed: int, strength: float) -> NDArray[np.float64]:
    """A hand's way, pixels: slow and quick tremor."""
    rng, t = np.random.default_rng(seed), np.arange(FRAMES) / 25
    path = np.zeros((FRAMES, 2))
    for axis in (0, 1):
        for hertz in (0.4, 0.9, 1.7, 3.1, 5.3):
            path[:, axis] += (
                rng.normal() * np.sin(2 * np.pi * hertz * t + rng.uniform(0, 6)) / hertz**0.5
            )
    return path * strength


Draw = Callable[[int], Grey]


def clips() -> Iterator[tuple[str, Truth, Draw]]:
    a, b, c = texture(1), texture(2), texture(3)
    shaky, quick = hand(5, 2.0), hand(6, 3.5)
    still = Truth("still")
    yield "a stand, a block passes", still, lambda n: with_disc(view(a), 70, 0, 4, -200 + 5.5 * n)
    yield "a turning globe fills most of it", still, lambda n: with_disc(view(a), 178, 1.5 * n, 5)
    yield (
        "a subject swings across",
        still,
        lambda n: with_disc(view(b), 120, 0, 6, 70 * np.sin(n / 6), 25 * np.cos(n / 9)),
    )
    yield (
        "moving water in the middle",
        still,
        lambda n: (
            with_disc(view(c), 170, 0, 7, 0, 0) * 0.5
            + 0.5 * with_disc(view(c), 170, 0.8 * n, 8, 3 * np.sin(n / 5), 0)
        ),
    )
    yield (
        "a hand",
        Truth("moves"),
        lambda n: with_disc(view(a, *shaky[n]), 90, 0, 4, 20 * np.sin(n / 8)),
    )
    yield "a slow pan", Truth("moves"), lambda n: view(b, 1.1 * n - 40, 0.2 * n)
    yield (
        "two scenes of like light joined",
        Truth("still", (52,)),
        lambda n: view(a if n < 52 else b),
    )
    yield (
        "scenes joined, light drifts in the second",
        Truth("still", (30,), 0.5),
        lambda n: view(c) if n < 30 else view(a, 30, 9) * 2 ** (-0.5 * (n - 30) / 44 / 2.2),
    )
    yield "a flash", still, lambda n: np.minimum(view(b) + (130 if n == 33 else 0), 255)
    yield "a fast pan", Truth("moves"), lambda n: view(a, 9.0 * n - 330, 0)
    # looked at afterwards, and then mended by: cuts and motion are both said, a zoom moves the corners
    yield (
        "a hand, two cuts",
        Truth("moves", (25, 50)),
        lambda n: view((a, b, c)[n // 25], *quick[n]),
    )
    yield "a zoom", Truth("moves"), lambda n: view(c, 0, 0, 0, 1 + 0.006 * n)
    yield (
        "everything is water",
        Truth("unknown"),
        lambda n: (
            0.5 * view(a, 90 * np.sin(n / 3), 0, 2.2 * n)
            + 0.5 * view(b, 0, 80 * np.cos(n / 4), -1.7 * n)
        ),
    )
    yield (
        "a large subject at the border",
        still,
        lambda n: with_disc(view(b), 150, 0, 9, 90 + 12 * np.sin(n / 5), -150),
    )
    yield (
        "a cut between two moments of one scene",
        Truth("still", (40,)),
        lambda n: with_disc(
            view(a, 0 if n < 40 else 160, 0 if n < 40 else -90), 80, 0, 4, 2.0 * (n % 40) - 40
        ),
    )
    # looked at only when all was done
    yield (
        "a hand that zooms",
        Truth("moves"),
        lambda n: view(b, *(shaky[n] / 2), turn=0, zoom=1.2 - 0.004 * n),
    )
    yield (
        "the camera turns about its axis",
        Truth("moves"),
        lambda n: view(a, 0, 0, 6 * np.sin(n / 14)),
    )
    yield (
        "a cut within a pan",
        Truth("moves", (37,)),
        lambda n: view(a if n < 37 else c, 2.0 * n - 70, 0),
    )
    yield "a dark room, a hand", Truth("moves"), lambda n: 0.22 * view(c, *shaky[n])
    yield (
        "a stand, the light goes down",
        Truth("still", (), 0.8),
        lambda n: (
            with_disc(view(b), 110, 2.0 * n, 4, 30 * np.sin(n / 7)) * 2 ** (-0.8 * n / 74 / 2.2)
        ),
    )
    yield (
        "a face close to the lens, a stand",
        still,
        lambda n: with_disc(
            view(a), 185, 2.5 * np.sin(n / 9), 6, 6 * np.sin(n / 6), 9 * np.cos(n / 8)
        ),
    )
    yield (
        "a stand, three cuts",
        Truth("still", (20, 41, 60)),
        lambda n: view((a, b, c, a)[(n >= 20) + (n >= 41) + (n >= 60)], 40 * (n >= 60), 0),
    )


def halved(upper: Grey, lower: Grey, at: float) -> Grey:
    """One picture above a line, another below it, with a soft edge between."""
    part = np.clip((np.arange(HEIGHT) - at * HEIGHT) / 12 + 0.5, 0, 1).astype(np.float32)[:, None]
    return upper * (1 - part) + lower * part


def later_clips() -> Iterator[tuple[str, Truth, Draw]]:
    """Drawn after the last rule was made, and looked at only then."""
    a, b, c, d = (texture(seed) for seed in (21, 22, 23, 24))
    still, moves, light = Truth("still"), Truth("moves"), hand(31, 1.6)
    rain = np.random.default_rng(9).uniform(0, 1, (140, 3))

    def raining(picture: Grey, n: int) -> Grey:
        out = picture.copy()
        for x, y, speed in rain:
            top = int((y + n * (0.03 + 0.03 * speed)) % 1.1 * HEIGHT)
            cv2.line(out, (int(x * WIDTH), top), (int(x * WIDTH) + 2, top + 26), 235.0, 1)
        return out

    yield "a still sky over running water", still, lambda n: halved(
        view(a), view(b, 25 * np.sin(n / 7) + 3 * n, 6 * np.sin(n / 5)), 0.55)  # fmt: skip
    yield "clouds over a still ground", still, lambda n: halved(view(c, 2.2 * n), view(a), 0.42)
    yield "a train passes below", still, lambda n: halved(view(d), view(b, 11.0 * n - 400), 0.62)
    yield "rain before a still house", still, lambda n: raining(view(b), n)
    yield "rain before a house, a hand", moves, lambda n: raining(view(b, *light[n]), n)
    yield "a boat: water and shore rise and fall", moves, lambda n: halved(
        view(a, 0, 7 * np.sin(n / 11)), view(d, 4 * n, 7 * np.sin(n / 11)), 0.45)  # fmt: skip
    yield "a pan over running water", moves, lambda n: halved(
        view(a, 2.0 * n - 70), view(b, 2.0 * n - 70 + 20 * np.sin(n / 6), 8 * np.sin(n / 4)), 0.6)  # fmt: skip
    yield "a lamp goes up over running water", Truth("still", (), 0.6), lambda n: 0.6 * halved(
        view(c), view(d, 18 * np.sin(n / 6), 5 * np.sin(n / 4)), 0.7) * 2 ** (0.6 * n / 74 / 2.2)  # fmt: skip
    yield "running water, then another still scene", Truth("still", (33,)), lambda n: (
        halved(view(a), view(b, 20 * np.sin(n / 7), 5 * np.cos(n / 5)), 0.6) if n < 33 else view(d, 50, 70))  # fmt: skip


def through_codec(draw: Draw, noise: float = 3.0) -> Iterator[NDArray[np.uint8]]:
    """The frames of a clip after grain and H.264, as RGBA."""
    rng = np.random.default_rng(1)
    with TemporaryDirectory() as folder:
        path = Path(folder) / "clip.mp4"
        with av.open(str(path), "w") as out:
            stream = out.add_stream("libx264", rate=25)
            stream.width, stream.height, stream.pix_fmt = WIDTH, HEIGHT, "yuv420p"
            stream.options = {"crf": "24", "preset": "veryfast"}
            for n in range(FRAMES):
                grey = draw(n) + rng.normal(0, noise, (HEIGHT, WIDTH))
                rgb = np.repeat(np.clip(grey, 0, 255).astype(np.uint8)[..., None], 3, 2)
                frame = av.VideoFrame.from_ndarray(rgb, format="rgb24")
                out.mux(stream.encode(frame))
            out.mux(stream.encode(None))
        with av.open(str(path)) as back:
            for frame in back.decode(video=0):
                yield np.asarray(frame.to_ndarray(format="rgba"), np.uint8)


def said_of_camera(look: FirstLook) -> str:
    """still, moves or unknown, from the words."""
    words = " ".join(sentence for _, sentence in verdicts(look, WIDTH, FRAMES, FRAMES / 25))
    if "cannot be told" in words:
        return "unknown"
    return "moves" if "hand-held" in words or "camera moves" in words else "still"


def looks() -> Iterator[tuple[str, Truth, FirstLook]]:
    """Every clip with its truth and what was found."""
    for name, truth, draw in itertools.chain(clips(), later_clips()):
        look = Look(WIDTH, HEIGHT, FRAMES)
        for rgba in through_codec(draw):
            look.add(rgba)
        yield name, truth, look.result()


def right(truth: Truth, look: FirstLook) -> bool:
    light = abs(look.light - truth.stops) < 0.12
    return said_of_camera(look) == truth.camera and tuple(look.cuts) == truth.cuts and light


def main() -> None:
    for name, truth, look in looks():
        mark = "right" if right(truth, look) else "WRONG"
        print(f"{mark}  {name:<44} camera {truth.camera:>7} / {said_of_camera(look):<7} cuts "
              f"{list(truth.cuts)} / {look.cuts}  light {truth.stops} / {look.light:.2f}  "
              f"drift {look.drift:.2f} shake {look.shake:.2f} followed {look.followed:.2f}")  # fmt: skip


if __name__ == "__main__":
    main()
