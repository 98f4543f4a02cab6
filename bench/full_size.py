"""Full size: a render against only decoding its inputs and encoding its output, and against the same
composite as an FFmpeg filter graph; how cost grows with layers; how memory does with length."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import time
from collections.abc import Callable, Sequence
from pathlib import Path

import av

from velvet_seam.core.engine.render import render
from velvet_seam.core.media.clip import ClipReader
from velvet_seam.core.media.heads import Heads
from velvet_seam.core.media.probe import probe
from velvet_seam.core.media.writer import ClipWriter, join, post
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.sound.mix import mix
from velvet_seam.core.sources import FootageSource
from velvet_seam.store.library import Library


def cost(work: Callable[[], object]) -> tuple[float, float]:
    """Wall and CPU seconds of some work, its children included."""
    wall, cpu = time.perf_counter(), sum(os.times()[:4])
    work()
    return time.perf_counter() - wall, sum(os.times()[:4]) - cpu


def whole_render(library: Library, shot: Shot, folder: Path) -> None:
    """All of it: what a render before has left is not gone on with."""
    materials = library.materials(preview=False)
    shutil.rmtree(folder / "ranges", ignore_errors=True)
    render(shot, folder / "a.mp4", materials, library.sounds, ranges=folder / "ranges")


def decode_and_encode(library: Library, shot: Shot, folder: Path) -> Callable[[], None]:
    """The least that any render must do, with the same libraries and settings: decode each clip once,
    encode the finished pictures, which are decoded beforehand and have their format already, and the
    finished sound."""
    with av.open(str(folder / "a.mp4")) as container:
        finished = list(container.decode(video=0))
    used = {
        layer.source.footage for layer in shot.layers if isinstance(layer.source, FootageSource)
    }
    items = [library.footage.get(identity) for identity in sorted(used)]
    sound = mix(shot, library.sounds)

    def work() -> None:
        for item in items:
            if item.probe.kind == "clip":
                with av.open(str(item.path)) as container:
                    container.streams.video[0].thread_type = "AUTO"
                    for number, _ in enumerate(container.decode(video=0)):
                        if number + 1 == shot.length:
                            break
        size = (shot.canvas.width, shot.canvas.height)
        with ClipWriter(folder / "b.mp4", *size, shot.rate, post(20)) as writer:
            for frame in finished:
                frame.pict_type = 0
                writer.add_frame(frame)
            writer.finish()
        join([folder / "b.mp4"], folder / "d.mp4", shot.rate, post(20), sound)

    return work


def filter_graph(library: Library, shot: Shot, folder: Path) -> Callable[[], None] | None:
    """The demo shot as a filter graph: chromakey, despill, scale, overlay, blend. None without ffmpeg."""
    program = shutil.which("ffmpeg")
    if program is None:
        return None
    files = {
        layer.id: library.footage.get(layer.source.footage).path
        for layer in shot.layers
        if isinstance(layer.source, FootageSource)
    }
    seconds = str(float(shot.length / shot.rate))
    graph = (
        "[1]format=rgba,scale=778:-1[moon];"
        "[2]format=rgba,chromakey=0x3c9a47:0.12:0.08,despill=green,scale=994:-1[moth];"
        "[3]format=gbrp[sparks];"
        "[0]format=rgba[sea];[sea][moon]overlay=331:131:format=rgb[one];"
        "[one][moth]overlay=63:51:format=rgb,format=gbrp[two];"
        "[two][sparks]blend=all_mode=screen:all_opacity=0.9[three];"
        "color=0xf2a65e:1080x1920:r=25,format=gbrp[dusk];"
        "[dusk][three]blend=all_mode=softlight:all_opacity=0.22:shortest=1,format=yuv420p[out]"
    )
    command = [program, "-y", "-v", "error"]
    for layer in ("l-sea", "l-moon", "l-moth", "l-embers"):
        command += ["-loop", "1"] if layer == "l-moon" else []
        command += ["-i", str(files[layer])]
    command += ["-filter_complex", graph, "-map", "[out]", "-t", seconds, "-c:v", "libx264"]
    command += ["-preset", "veryfast", "-crf", "20", str(folder / "c.mp4")]
    return lambda: subprocess.run(command, check=True)


def stacks(shot: Shot, counts: tuple[int, ...]) -> dict[int, Shot]:
    """The demo shot's layers again and again, up to so many; every second one half clear."""
    made = {}
    for count in counts:
        layers = []
        for n in range(count):
            source = shot.layers[n % len(shot.layers)]
            seam = source.seam.model_copy(update={"opacity": 50.0 if n % 2 else 100.0})
            span = source.span.model_copy(update={"first": 0})
            layers.append(source.model_copy(update={"id": f"l-{n}", "seam": seam, "span": span}))
        made[count] = shot.model_copy(update={"layers": tuple(layers)})
    return made


def in_turn(path: Path, places: int = 5, frames: int = 30) -> tuple[float, float, float]:
    """CPU seconds of reading a clip at several places in turn, as clones out of one take do: as it is read; by a
    decoder for each place, which is the least; by one decoder."""
    clip = probe(path)
    apart = (clip.frames - frames) // places

    def read(readers: Sequence[Heads | ClipReader]) -> float:
        def work() -> None:
            for n in range(frames):
                for place in range(places):
                    readers[place % len(readers)].read_planes(place * apart + n)

        taken = cost(work)[1]
        for reader in readers:
            reader.close()
        return taken

    return (
        read([Heads(path, clip)]),
        read([ClipReader(path, clip) for _ in range(places)]),
        read([ClipReader(path, clip)]),
    )


def peak_memory(root: Path, length: int) -> float:
    """MB at most, of a render of so many frames, in a process of its own."""
    script = (
        "import re, sys; from pathlib import Path; import tempfile\n"
        "from bench.full_size import longer, whole_render\n"
        "from velvet_seam.store.library import Library\n"
        "from velvet_seam.work.memory import keep_freed_memory\n"
        "keep_freed_memory(); library = Library(Path(sys.argv[1]))\n"
        "shots = [s.shot for s in library.shots.all() if s.shot.name.startswith('Moth')]\n"
        "shot = longer(shots[0], int(sys.argv[2]))\n"
        "with tempfile.TemporaryDirectory() as folder:\n"
        "    whole_render(library, shot, Path(folder))\n"
        # what getrusage says begins with what this process had when it made that one
        "most = re.search(r'VmHWM:\\s+(\\d+)', Path('/proc/self/status').read_text())\n"
        "print(int(most.group(1)) / 1024)\n"
    )
    command = [sys.executable, "-c", script, str(root), str(length)]
    return float(subprocess.run(command, check=True, capture_output=True, text=True).stdout)


def longer(shot: Shot, length: int) -> Shot:
    """Four layers of the shot for so many frames: the clips hold their last frame."""
    layers = [
        layer.model_copy(
            update={"span": layer.span.model_copy(update={"first": 0, "last": length - 1})}
        )
        for layer in shot.layers[:4]
    ]
    return shot.model_copy(update={"layers": tuple(layers), "length": length})
