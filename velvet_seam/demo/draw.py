"""Draws the demo footage into ``velvet_seam/demo/footage``: ``python -m velvet_seam.demo.draw``.

The files are committed, so that starting the demo does not wait for them; drawing them again
gives the same pictures.
"""

from __future__ import annotations

import sys
import wave
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.media.writer import ClipWriter, post
from velvet_seam.demo import (
    acrobat,
    curtain,
    dancer,
    embers,
    flare,
    fox,
    glitter,
    hand,
    hare,
    lantern,
    moth,
    noises,
    parade,
    sea,
    stage,
    tonight,
    town,
    varnish,
    waltz,
    whoosh,
)  # fmt: skip

FOLDER = Path(__file__).parent / "footage"
RATE = Fraction(25)

CLIPS: dict[str, tuple[Callable[[int], NDArray[np.uint8]], int, int]] = {
    # name: picture, frames, quality
    "paper-sea": (sea.picture, sea.FRAMES, 24),
    "moth-on-card": (moth.picture, moth.FRAMES, 23),
    "embers": (embers.picture, embers.FRAMES, 23),
    "stage-empty": (stage.picture, stage.FRAMES, 24),
    "acrobat-on-blue": (acrobat.picture, acrobat.FRAMES, 23),
    "tonight-card": (tonight.picture, tonight.FRAMES, 23),
    "fox-left": (fox.left, fox.FRAMES, 24),
    "fox-right": (fox.right, fox.FRAMES, 24),
    "dancer-backlit": (dancer.picture, dancer.FRAMES, 23),
    "ink-in-milk": (dancer.ink, dancer.FRAMES, 25),
    "curtain-pass": (curtain.picture, curtain.FRAMES, 24),
    "glitter-burst": (glitter.picture, glitter.FRAMES, 24),
    "lantern-flare": (flare.picture, flare.FRAMES, 25),
    "hare": (hare.picture, hare.FRAMES, 24),
    "rail-parade": (parade.picture, parade.FRAMES, 29),
    "lantern-walk": (lantern.picture, lantern.FRAMES, 25),
}


def draw_clip(name: str) -> str:
    """Draw one clip and write it; returns its name and size."""
    picture, frames, quality = CLIPS[name]
    path = FOLDER / f"{name}.mp4"
    with ClipWriter(path, 1080, 1920, RATE, post(quality, speed="slow", threads=1)) as writer:
        for frame in range(frames):
            writer.add(picture(frame))
        writer.finish()
    return f"{path.name}: {path.stat().st_size / 1e6:.2f} MB"


def draw_rest() -> str:
    """The moon as PNG with coverage, the hand on white, the town and the varnish as JPEG, the sounds as WAV."""
    moon = cv2.cvtColor(sea.moon(), cv2.COLOR_RGBA2BGRA)
    cv2.imwrite(str(FOLDER / "moon-still.png"), moon, [cv2.IMWRITE_PNG_COMPRESSION, 9])
    still = cv2.cvtColor(hand.picture(), cv2.COLOR_RGB2BGR)
    cv2.imwrite(str(FOLDER / "cut-hand-still.jpg"), still, [cv2.IMWRITE_JPEG_QUALITY, 93])
    for name, drawn in (("paper-town", town.picture), ("cracked-varnish", varnish.picture)):
        flat = cv2.cvtColor(drawn(), cv2.COLOR_RGB2BGR)
        cv2.imwrite(str(FOLDER / f"{name}.jpg"), flat, [cv2.IMWRITE_JPEG_QUALITY, 90])
    sounds = {
        "tin-waltz": waltz.sound, "whoosh": whoosh.sound, "drum-roll": noises.drum_roll,
        "sheet-thunder": noises.sheet_thunder, "squeak": noises.squeak,
    }  # fmt: skip
    for name, sound in sounds.items():
        with wave.open(str(FOLDER / f"{name}.wav"), "wb") as file:
            file.setnchannels(2)
            file.setsampwidth(2)
            file.setframerate(waltz.RATE)
            file.writeframes(np.rint(sound() * 32767).astype("<i2").tobytes())
    return f"the moon, {len(sounds)} sounds and three stills"


def main(names: list[str]) -> None:
    """Draw the named clips, or everything."""
    FOLDER.mkdir(exist_ok=True)
    if not names or "rest" in names:
        print(draw_rest())
    with ProcessPoolExecutor(2) as pool:
        for line in pool.map(draw_clip, [n for n in CLIPS if not names or n in names]):
            print(line, flush=True)


if __name__ == "__main__":
    main(sys.argv[1:])
