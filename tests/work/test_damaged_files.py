"""Thousands of damaged files: each ends in a picture or a sentence, in a process that may die alone.

``DAMAGED_FILES=2000`` tries as many as that; by default fewer, so that the tests stay quick.
"""

from __future__ import annotations

import contextlib
import io
import os
import subprocess
import sys
import time
import wave
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from tests.clips import coded_clip, coded_picture
from velvet_seam.core.media.probe import probe
from velvet_seam.core.problem import Problem

COUNT = int(os.environ.get("DAMAGED_FILES", "160"))
AT_ONCE = 160
"""Files of one test, which is to end before it counts as one that hangs."""
BATCH = 20
SECONDS = 120
"""A batch may take so long; a file that hangs is noticed here and by the limit of a first look."""

ONE_AFTER_THE_OTHER = """
import resource, sys
from pathlib import Path
resource.setrlimit(resource.RLIMIT_AS, (6 << 30, 6 << 30))
from velvet_seam.core.media.material import Material
from velvet_seam.core.media.probe import probe
from velvet_seam.core.picture.compose import Join, compose_rgba8
from velvet_seam.core.picture.placement import PlanesPatch
from velvet_seam.core.picture.planes import Planes
from velvet_seam.core.picture.screen_key import loose_key, read_screen
from velvet_seam.core.problem import Problem
from velvet_seam.core.sound.decode import decode_sound
from velvet_seam.work.picture_files import write_poster
for name in sys.argv[1:]:
    path = Path(name)
    print(path.name, end=" ", flush=True)
    try:
        found = probe(path)
        write_poster(path, found, path.with_suffix(".poster"))
        if found.kind != "sound":
            material = Material("x", path, found, preview=False)
            for number in (0, found.frames - 1, found.frames // 2):
                material.read(max(number, 0))
                held = material.read_planes(max(number, 0))
                if isinstance(held, Planes):  # kernels read these where the decoder has them
                    loose_key(held, read_screen(held, (60, 160, 70)), (60, 160, 70))
                    size, laid = (held.width, held.height), [Join(PlanesPatch(0, 0, held), "screen", 1.0)]
                    shown = compose_rgba8(*size, (0, 0, 0), laid)
                    assert (shown == held.rgba()).all()
        if found.has_sound:
            decode_sound(path)
        print("picture", flush=True)
    except Problem as problem:
        assert str(problem).endswith("."), problem
        print("sentence", flush=True)
"""


@pytest.fixture(scope="module")
def whole(tmp_path_factory: pytest.TempPathFactory) -> dict[str, bytes]:
    """Whole files of the common kinds."""
    folder = tmp_path_factory.mktemp("whole")
    fast = {"cpu-used": "8", "deadline": "realtime", "auto-alt-ref": "0"}
    for name, how in {
        "a.mp4": {}, "a.mkv": {}, "a.ts": {}, "a.avi": {"codec": "mpeg4", "options": {}},
        "a.mov": {"codec": "prores_ks", "layout": "yuva444p10le", "options": {"profile": "4444"}},
        "a.webm": {"codec": "libvpx-vp9", "layout": "yuva420p", "options": fast},
        "a.gif": {"codec": "gif", "layout": "rgb8", "options": {}},
    }.items():  # fmt: skip
        coded_clip(folder / name, 30, **how)
    pages = [Image.fromarray(coded_picture(n)) for n in range(6)]
    pages[0].save(folder / "b.webp", save_all=True, append_images=pages[1:], duration=40)
    for name in ("c.png", "c.jpg", "c.tif", "c.avif"):
        pages[0].save(folder / name)
    data = io.BytesIO()
    with wave.open(data, "wb") as sound:
        sound.setparams((2, 2, 48000, 0, "NONE", ""))
        sound.writeframes(np.random.default_rng(1).integers(-9000, 9000, 48000, np.int16).tobytes())
    (folder / "d.wav").write_bytes(data.getvalue())
    return {path.name: path.read_bytes() for path in sorted(folder.iterdir())}


def damaged(data: bytes, rng: np.random.Generator) -> bytes:
    """Bits turned over, a piece cut off, zeroed, filled with noise, doubled, or sizes that lie."""
    raw = np.frombuffer(data, np.uint8).copy()
    place = int(rng.integers(len(raw)))
    long = int(min(len(raw) - place, rng.integers(1, 400)))
    match rng.choice(["bits", "head", "cut", "zero", "noise", "double", "size"]):
        case "bits":
            at = rng.integers(0, len(raw), int(rng.integers(1, 60)))
            raw[at] ^= (1 << rng.integers(0, 8, len(at))).astype(np.uint8)
        case "head":
            at = rng.integers(0, min(256, len(raw)), int(rng.integers(1, 8)))
            raw[at] = rng.integers(0, 256, len(at), np.uint8)
        case "cut":
            raw = raw[: max(1, place)]
        case "zero":
            raw[place : place + long] = 0
        case "noise":
            raw[place : place + long] = rng.integers(0, 256, long, np.uint8)
        case "double":
            raw = np.concatenate([raw[: place + long], raw[place:]])
        case "size":
            at = 4 * int(rng.integers(0, max(1, min(len(raw), 4096) // 4)))
            raw[at : at + 4] = 255
    return raw.tobytes()


@pytest.mark.parametrize("first", range(0, COUNT, AT_ONCE))
def test_damaged_files_end_in_a_picture_or_a_sentence(whole, tmp_path, first):
    rng = np.random.default_rng([20, first])
    names, kinds = [], list(whole)
    for number in range(first, min(first + AT_ONCE, COUNT)):
        kind = kinds[number % len(kinds)]
        path = tmp_path / f"{number:05}{Path(kind).suffix}"
        path.write_bytes(damaged(whole[kind], rng))
        names.append(path)
    said: dict[str, str] = {}
    died = []
    waiting = list(names)
    while waiting:
        batch, waiting = waiting[:BATCH], waiting[BATCH:]
        command = [sys.executable, "-c", ONE_AFTER_THE_OTHER, *map(str, batch)]
        begin = time.monotonic()
        done = subprocess.run(command, capture_output=True, text=True, timeout=SECONDS, check=False)
        assert time.monotonic() - begin < SECONDS
        lines = [line.split() for line in done.stdout.splitlines()]
        said |= {line[0]: line[1] for line in lines if len(line) == 2}
        if done.returncode != 0:  # the process died of a file: as a first look it would die alone
            assert "Traceback" not in done.stderr, done.stderr[-2000:]
            died.append(lines[-1][0])
            waiting = batch[[path.name for path in batch].index(died[-1]) + 1 :] + waiting
    assert len(said) + len(died) == len(names)
    assert len(died) <= len(names) / 100, died
    assert {"picture", "sentence"} == set(said.values())
    print(f"{list(said.values()).count('picture')} pictures, {len(died)} processes died: {died}")


def test_a_stream_that_turns_up_while_a_damaged_file_is_read(whole, tmp_path):
    """Found among thousands: the library then fails in a way of its own, after the last picture."""
    rng, kinds = np.random.default_rng([20, 1600]), list(whole)
    for number in range(1600, 1644):
        data = damaged(whole[kinds[number % len(kinds)]], rng)
    path = tmp_path / "a.ts"
    path.write_bytes(data)
    with contextlib.suppress(Problem):
        assert probe(path).frames > 20
