"""What a user waits for: the first picture of a clip that was dropped, pages while renders run."""

from __future__ import annotations

import json
import subprocess
import sys
import time
import urllib.request
from pathlib import Path
from statistics import median

import av

from velvet_seam.demo.draw import FOLDER


def long_clip(path: Path, seconds: int) -> None:
    """A clip of the demo again and again, without encoding it anew."""
    with av.open(str(path), "w") as out:
        stream = None
        ticks = 0
        while stream is None or ticks * stream.time_base < seconds:
            with av.open(str(FOLDER / "paper-sea.mp4")) as source:
                video = source.streams.video[0]
                stream = stream or out.add_stream_from_template(video)
                step = int(1 / (25 * video.time_base))
                base = ticks
                for packet in source.demux(video):
                    if packet.size == 0:
                        continue
                    packet.pts, packet.dts = packet.pts + base, packet.dts + base
                    packet.stream = stream
                    out.mux(packet)
                    ticks += step


def ask(address: str, data: bytes | None = None, **headers: str) -> bytes:
    request = urllib.request.Request(address, data=data, headers=headers)
    with urllib.request.urlopen(request, timeout=60) as answer:
        return bytes(answer.read())


def start_shot(address: str) -> str:
    form = urllib.request.Request(f"{address}/shots", data=b"canvas=1080x1920")
    with urllib.request.urlopen(form, timeout=60) as answer:
        return str(answer.url).rsplit("/", 1)[1]


def first_picture(address: str, clip: Path) -> tuple[float, float]:
    """Seconds from sending a clip until its poster is there, and until it is seen in a shot."""
    shot = start_shot(address)
    begin = time.perf_counter()
    answer = ask(f"{address}/footage", clip.read_bytes(), **{"x-name": "long.mp4"})
    footage = json.loads(answer)["id"]
    ask(f"{address}/footage/{footage}/poster.jpg")
    poster = time.perf_counter() - begin
    body = json.dumps({"footage": footage}).encode()
    ask(f"{address}/shots/{shot}/layers", body, **{"content-type": "application/json"})
    ask(f"{address}/shots/{shot}/picture.jpg?side=540")
    return poster, time.perf_counter() - begin


def pages_during_renders(address: str, root: Path, shot_file: Path) -> dict[str, float]:
    """Median milliseconds of page requests while two renders run, at low priority as always."""
    command = ["nice", "-n", "10", sys.executable, "-m", "velvet_seam.cli", "render"]
    renders = [
        subprocess.Popen([*command, str(shot_file), "-o", str(root / f"r{n}.mp4")])
        for n in range(2)
    ]
    try:
        time.sleep(6)  # past their start
        times: dict[str, list[float]] = {"/": [], "/footage": [], "/renders": []}
        for _ in range(30):
            for path, taken in times.items():
                begin = time.perf_counter()
                ask(address + path)
                taken.append(1000 * (time.perf_counter() - begin))
                time.sleep(0.02)
        assert all(render.poll() is None for render in renders), "the renders ended too early"
        return {path: median(taken) for path, taken in times.items()}
    finally:
        for render in renders:
            render.kill()
            render.wait()
