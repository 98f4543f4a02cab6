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

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.media.writer import ClipWriter, post
from velvet_seam.demo import (
    acrobat,
    cart,
    curtain,
    dancer,
    embers,
    flare,
    fox,
    fur,
    glitter,
    hand,
    hare,
    lantern,
    moth,
    noises,
    parade,
    sea,
    smoke,
    stage,
    talk,
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
    "fox-knocked": (fox.knocked, fox.FRAMES, 25),
    "dancer-backlit": (dancer.picture, dancer.FRAMES, 23),
    "ink-in-milk": (dancer.ink, dancer.FRAMES, 25),
    "curtain-pass": (curtain.picture, curtain.FRAMES, 24),
    "glitter-burst": (glitter.picture, glitter.FRAMES, 24),
    "lantern-flare": (flare.picture, flare.FRAMES, 25),
    "hare": (hare.picture, hare.FRAMES, 24),
    "tin-cart": (cart.picture, cart.FRAMES, 25),
    "fox-in-fur": (fur.picture, fur.FRAMES, 26),
    "smoke-trail": (smoke.picture, smoke.FRAMES, 24),
    "rail-parade": (parade.picture, parade.FRAMES, 29),
    "lantern-walk": (lantern.picture, lantern.FRAMES, 25),
    "fox-and-hare-talk-a": (talk.first, talk.FRAMES, 26),
    "fox-and-hare-talk-b": (talk.second, talk.FRAMES, 26),
}

HEARD = {"fox-and-hare-talk-a": "a", "fox-and-hare-talk-b": "b"}
"""The clips with sound, and by which of the two cameras."""


def draw_clip(name: str) -> str:
    """Draw one clip and write it; returns its name and size."""
    picture, frames, quality = CLIPS[name]
    path = FOLDER / f"{name}.mp4"
    with ClipWriter(path, 1080, 1920, RATE, post(quality, speed="slow", threads=1)) as writer:
        for frame in range(frames):
            writer.add(picture(frame))
        writer.finish()
    if name in HEARD:
        add_sound(path, talk.sound(HEARD[name]))
    return f"{path.name}: {path.stat().st_size / 1e6:.2f} MB"


def add_sound(path: Path, sound: NDArray[np.float32]) -> None:
    """Put a sound beside the picture of a clip, as AAC: (samples, 2) float32 at 48 kHz."""
    part = path.with_suffix(".part.mp4")
    with av.open(path) as clip, av.open(part, "w") as out:
        film = out.add_stream_from_template(clip.streams.video[0])
        voice = out.add_stream("aac", talk.RATE, layout="stereo")
        assert isinstance(voice, av.AudioStream)
        for at in range(0, len(sound), 1024):
            piece = np.ascontiguousarray(sound[at : at + 1024].T)
            frame = av.AudioFrame.from_ndarray(piece, format="fltp", layout="stereo")
            frame.sample_rate, frame.pts = talk.RATE, at
            out.mux(voice.encode(frame))
        out.mux(voice.encode())
        for packet in clip.demux(video=0):
            if packet.dts is not None:
                packet.stream = film
                out.mux(packet)
    part.replace(path)


def draw_rest() -> str:
    """The moon as PNG with coverage, the hand on white, the town, the varnish and a plate as JPEG, the sounds as WAV."""
    moon = cv2.cvtColor(sea.moon(), cv2.COLOR_RGBA2BGRA)
    cv2.imwrite(str(FOLDER / "moon-still.png"), moon, [cv2.IMWRITE_PNG_COMPRESSION, 9])
    still = cv2.cvtColor(hand.picture(), cv2.COLOR_RGB2BGR)
    cv2.imwrite(str(FOLDER / "cut-hand-still.jpg"), still, [cv2.IMWRITE_JPEG_QUALITY, 93])
    for name, drawn in (("paper-town", town.picture), ("cracked-varnish", varnish.picture)):
        flat = cv2.cvtColor(drawn(), cv2.COLOR_RGB2BGR)
        cv2.imwrite(str(FOLDER / f"{name}.jpg"), flat, [cv2.IMWRITE_JPEG_QUALITY, 90])
    clip = FOLDER / "fox-and-hare-talk-b.mp4"
    if clip.exists():
        flat = cv2.cvtColor(talk.plate(str(clip)), cv2.COLOR_RGB2BGR)
        cv2.imwrite(str(FOLDER / "talk-plate.jpg"), flat, [cv2.IMWRITE_JPEG_QUALITY, 92])
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
    return f"the moon, {len(sounds)} sounds and three stills and a plate"


def main(names: list[str]) -> None:
    """Draw the named clips, or everything."""
    FOLDER.mkdir(exist_ok=True)
    with ProcessPoolExecutor(2) as pool:
        for line in pool.map(draw_clip, [n for n in CLIPS if not names or n in names]):
            print(line, flush=True)
    if not names or "rest" in names:  # last: the plate is made of a clip
        print(draw_rest())


if __name__ == "__main__":
    main(sys.argv[1:])
