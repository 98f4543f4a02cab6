"""``make bench``: the figures, each with its runs and medians, on this machine, now."""

from __future__ import annotations

import json
import os
import platform
import random
import re
import shutil
import statistics
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import cv2
import numba as nb
import numpy as np
from playwright.sync_api import sync_playwright

from bench import passes, register, tracks
from bench.converting import converting
from bench.cut_out import cut_out
from bench.full_size import (
    cost,
    decode_and_encode,
    filter_graph,
    in_turn,
    peak_memory,
    stacks,
    whole_render,
)
from bench.looks import looks
from bench.moving import moving
from bench.quality import quality
from bench.reference import reference_picture
from bench.waiting import ask, first_picture, long_clip, pages_during_renders
from tests.application import BROWSER, CHROMIUM, application
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.picture.blends import NAMES
from velvet_seam.core.picture.screen import measure_border
from velvet_seam.core.picture.screen_key import read_screen, screen_key
from velvet_seam.core.register.in_place import line_up
from velvet_seam.core.shot.edits import apply, read_edit
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.shot.written import written
from velvet_seam.demo.draw import FOLDER
from velvet_seam.demo.scenario import fill
from velvet_seam.store.library import Library
from velvet_seam.work.asks import Paint, Wall
from velvet_seam.work.memory import keep_freed_memory
from velvet_seam.work.painter import Painter

RUNS = 30


def machine() -> None:
    model = next(
        (line.split(":")[1].strip() for line in Path("/proc/cpuinfo").read_text().splitlines()
         if line.startswith("model name")),
        platform.processor(),
    )  # fmt: skip
    load = ", ".join(f"{value:.2f}" for value in os.getloadavg())
    print(f"{model}, {os.cpu_count()} cores; load {load}; Python {platform.python_version()}")


def line(what: str, figure: str, aim: str = "") -> None:
    print(f"  {what:<58} {figure:>18}   {aim}", flush=True)


def timed(work: Callable[[int], object], runs: int = RUNS) -> tuple[float, float]:
    """Median and 95th percentile in milliseconds; two runs before are not counted."""
    times = []
    for n in range(runs + 2):
        begin = time.perf_counter()
        work(n)
        times.append(1000 * (time.perf_counter() - begin))
    kept = sorted(times[2:])
    return kept[len(kept) // 2], kept[min(len(kept) - 1, int(len(kept) * 0.95))]


def edits(painter: Painter, shot: Shot) -> None:
    print(
        f"\nEdit to JPEG bytes at 540 × 960, sources cached, {RUNS} runs each (median; aim 20 ms)"
    )
    document = written(shot)
    cases = {
        "opacity of the top layer": ("l-evening", "seam.opacity", lambda n: 30 + n),
        "opacity of the keyed layer": ("l-moth", "seam.opacity", lambda n: 50 + n),
        "place of the keyed layer": ("l-moth", "place.x", lambda n: 500 + 3 * n),
        "rotation of the keyed layer": ("l-moth", "place.rotation", lambda n: 1 + n),
        "feather of a mask": ("l-moth", "seam.masks.m-stick.feather_out", lambda n: 20 + n),
        "tolerance of the key": ("l-moth", "seam.matte.k-moth.tolerance", lambda n: 2 + n / 4),
        "screen colour (light measured anew)": (
            "l-moth", "seam.matte.k-moth.colour", lambda n: f"#{0x40 + n:02x}a84f"),
    }  # fmt: skip
    for what, (target, path, value) in cases.items():

        def once(n: int, target=target, path=path, value=value) -> None:
            edit = {"do": "set-values", "target": target, "values": {path: value(n)}}
            painter.answer(Paint(document, 60, chosen=target, trial=json.dumps(edit)))

        median, late = timed(once)
        line(what, f"{median:.1f} ms", f"95 %: {late:.1f} ms")


def scrubs(painter: Painter, shot: Shot) -> None:
    document = written(shot)
    order = random.Random(5).sample(range(shot.length), 80)
    print("\nScrub to any frame at 540 × 960, proxies made, nothing of the frame cached, 78 frames")
    median, late = timed(lambda n: painter.answer(Paint(document, order[n])), 78)
    line("scrub", f"{median:.1f} ms", f"95 %: {late:.1f} ms (aim 60 ms)")
    median, late = timed(lambda n: painter.answer(Paint(document, order[n])), 78)
    line("the same frames again", f"{median:.1f} ms", f"95 %: {late:.1f} ms")


def agreement(library: Library, shot: Shot) -> None:
    print("\nAgreement, in levels of 255")
    materials = library.materials(preview=True)
    engine = Engine(materials)
    errors = []
    for frame in (0, 60, 149):
        got = engine.picture(engine.plan(shot, frame, short_side=540))[..., :3].astype(float)
        errors.append(np.abs(got - reference_picture(shot, frame, materials)))
    mean, most = max(e.mean() for e in errors), max(e.max() for e in errors)
    line("composite against plain NumPy, float64, 3 frames", f"{mean:.2f} / {most:.1f}",
         "mean / maximum (aim 1 / 3)")  # fmt: skip
    full = Engine(library.materials(preview=False), passing=True)
    seen = engine.picture(engine.plan(shot, 60, short_side=540))[..., :3].astype(float)
    whole = full.picture(full.plan(shot, 60))[..., :3].reshape(960, 2, 540, 2, 3).mean((1, 3))
    error = np.abs(seen - whole)
    line("preview against the render, reduced", f"{error.mean():.2f} / {np.percentile(error, 99):.0f}",
         "mean / 99th percentile (stated 2.5 / 16)")  # fmt: skip
    cold = Engine(materials)
    same = np.array_equal(
        cold.picture(cold.plan(shot, 60, short_side=540)),
        engine.picture(engine.plan(shot, 60, short_side=540)),
    )
    line("cold cache, warm cache", "identical" if same else "DIFFERENT", "aim identical")


def playing(folder: Path) -> None:
    """Frames drawn, and how far each lies behind the frame that is heard, from the page's own log."""
    print("\nPlay in Chromium on the same cores, 5 seconds from the start, 25 frames a second")
    with application(folder) as address, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=BROWSER, args=CHROMIUM)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        for what, ready in (("right after opening", False), ("after the frames are ready", True)):
            page.goto(address)
            page.click(".poster[aria-label*='Moth over']")
            while not page.evaluate("Boolean(window.velvetSeam)"):
                page.wait_for_timeout(50)
            while ready and page.evaluate(
                "velvetSeam.ready.frames.size < velvetSeam.bench.shot.length"
            ):
                page.wait_for_timeout(200)
            page.keyboard.press("Space")
            page.wait_for_timeout(5300)
            log = page.evaluate("velvetSeam.player.log")
            page.keyboard.press("Space")
            late = sorted(entry["heard"] - entry["count"] for entry in log)
            span = log[-1]["count"] - log[0]["count"] + 1
            line(f"{what}: frames drawn", f"{len(log)} of {span}",
                 f"behind the sound: median {late[len(late) // 2]:.2f}, "
                 f"95 % {late[int(len(late) * 0.95)]:.2f} frames (aim within 1)")  # fmt: skip
        # every frame is ready now: picture against sound, from wherever it starts
        late = []
        for first in (0, 37, 61, 90, 118):
            page.evaluate(f"velvetSeam.bench.go({first})")
            page.keyboard.press("Space")
            page.wait_for_timeout(1800)
            log = page.evaluate("velvetSeam.player.log")
            rate = page.evaluate("velvetSeam.bench.rate")
            page.keyboard.press("Space")
            late += [1000 * (entry["heard"] - entry["count"]) / rate for entry in log[1:]]
        away = sorted(abs(one) for one in late)
        line(f"picture against sound, from 5 frames on, {len(away)} pictures",
             f"{sorted(late)[len(late) // 2]:+.1f} ms",
             f"median; 95 % within {away[int(len(away) * 0.95)]:.1f} ms (aim 10)")  # fmt: skip
        browser.close()


ROUNDS = 5


def rendering(library: Library, shot: Shot) -> None:
    print(
        f"\nRender at 1080 × 1920, whole demo shot, and what it is compared to, in turn, {ROUNDS} rounds"
    )
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        whole_render(library, shot, folder)
        works = {
            "render": lambda: whole_render(library, shot, folder),
            "least": decode_and_encode(library, shot, folder),
            "graph": filter_graph(library, shot, folder),
        }
        # what is compared stands side by side in time: the machine is not the same for minutes
        taken = [{word: cost(work) for word, work in works.items() if work} for _ in range(ROUNDS)]

    def ratio(word: str) -> tuple[str, str]:
        found = sorted(one["render"][1] / one[word][1] for one in taken)
        return f"{found[ROUNDS // 2]:.2f}", f"times, median; {found[0]:.2f} to {found[-1]:.2f}"

    wall, cpu = (sorted(one["render"][n] for one in taken)[ROUNDS // 2] for n in (0, 1))
    line("wall, CPU, medians", f"{wall:.1f} s, {cpu:.1f} s",
         f"wall {wall / cpu:.2f} of CPU (aim 0.6); {shot.length / wall:.1f} frames a second")  # fmt: skip
    middle, words = ratio("least")
    line("CPU against only decoding and encoding", middle, f"{words} (aim 1.5)")
    if works["graph"] is None:
        line("CPU against an FFmpeg filter graph", "not measured", "no ffmpeg on this machine")
    else:
        middle, words = ratio("graph")
        line("CPU against an FFmpeg filter graph", middle, f"{words} (aim 0.33)")


def clones() -> None:
    print("\nOne take read at five places in turn, 30 frames each, CPU")
    own, least, leaping = in_turn(FOLDER / "rail-parade.mp4")
    line("against a decoder for each place, the least", f"{own / least:.2f}", f"times; {own:.2f} s")
    line("against one decoder that leaps between them", f"{own / leaping:.3f}", "times")


def layers(library: Library, shot: Shot) -> None:
    print("\nOne picture of so many layers, its footage read and keyed already; 7 runs, median")
    for what, preview in (("1080 × 1920", False), ("540 × 960", True)):
        materials = library.materials(preview=preview)
        for count, stack in stacks(shot, (1, 2, 4, 8, 16)).items():
            engine = Engine(materials)
            short = 540 if preview else None
            engine.picture(engine.plan(stack, 60, short_side=short))
            times = []
            for n in range(8):
                color = stack.canvas.model_copy(update={"background": f"#0000{n:02x}"})
                plan = engine.plan(stack.model_copy(update={"canvas": color}), 60, short_side=short)
                begin = time.perf_counter()
                engine.picture(plan)
                times.append(1000 * (time.perf_counter() - begin))
            aim = "(aim 200 ms)" if count == 16 and not preview else ""
            line(f"{what}, {count} layers", f"{sorted(times[1:])[3]:.1f} ms", aim)


def waits(root: Path) -> None:
    print("\nWhat is waited for, over HTTP")
    with application(root) as address, tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        long_clip(folder / "long.mp4", 20)
        taken = [first_picture(address, folder / "long.mp4") for _ in range(5)]
        line(
            "a clip of 20 s is sent, its poster is there",
            f"{sorted(t[0] for t in taken)[2]:.2f} s",
            "(aim 2 s)",
        )
        line("the same, seen in a shot", f"{sorted(t[1] for t in taken)[2]:.2f} s", "(aim 2 s)")
        shot = next(
            one
            for one in re.findall(
                r'data-shot="(\w+)"[^$]*?Open ([^"]+)"', ask(f"{address}/").decode()
            )
            if "Moth" in one[1]
        )[0]
        (folder / "shot.zip").write_bytes(ask(f"{address}/shots/{shot}/files.zip"))
        shutil.unpack_archive(folder / "shot.zip", folder / "shot")
        for path, ms in pages_during_renders(
            address, folder, folder / "shot" / "shot.json"
        ).items():
            line(f"page {path} while two renders run", f"{ms:.1f} ms", "(aim 20 ms)")


def seams(library: Library, shot: Shot) -> None:
    """Keys on one core, and the blend wall."""
    print("\nThe seam; medians of 15 runs")
    for clip in ("moth-on-card", "acrobat-on-blue", "tonight-card"):
        item = next(one for one in library.footage.all() if one.name == clip)
        for what, preview, aim in (("1080 × 1920", False, 25), ("540 × 960", True, 8)):
            picture = library.materials(preview=preview)(item.id).read(20)
            colour = tuple(round(c) for c in measure_border([picture]).colour)
            nb.set_num_threads(1)
            median, late = timed(
                lambda _, p=picture, c=colour: screen_key(p, read_screen(p, c), c), 15
            )
            nb.set_num_threads(nb.config.NUMBA_NUM_THREADS)
            line(
                f"screen key of {clip}, {what}, one core",
                f"{median:.1f} ms",
                f"95 %: {late:.1f} ms (aim {aim} ms)",
            )
    painter, names = Painter(library), NAMES
    document = written(shot)
    median, late = timed(lambda n: painter.answer(Wall(document, "l-moth", 40 + n, names)), 15)
    line(
        "blend wall, every mode both ways round, a new frame",
        f"{median:.0f} ms",
        f"95 %: {late:.0f} ms (aim 400 ms)",
    )
    three = [
        {
            "do": "add-mask",
            "layer": "l-moth",
            "mask": {"kind": kind, "id": f"m-{kind}", "use": "keep", "feather_out": 20},
        }
        for kind in ("oval", "box", "star")
    ]
    full = shot
    for one in three:
        full = apply(full, read_edit(one))
    full = apply(
        full,
        read_edit(
            {
                "do": "set-values",
                "target": "l-moth",
                "values": {"seam.edge.feather": 4, "seam.edge.grow": -1},
            }
        ),
    )

    document = written(full)

    def seam(n: int) -> None:
        edit = {
            "do": "set-values",
            "target": "l-moth",
            "values": {"seam.matte.k-moth.tolerance": 3 + n / 10},
        }
        painter.answer(Paint(document, 60, chosen="l-moth", trial=json.dumps(edit)))

    median, late = timed(seam, 15)
    line(
        "key, edge, five masks, blend: edit to JPEG",
        f"{median:.1f} ms",
        f"95 %: {late:.1f} ms (aim 40 ms)",
    )


def memory(root: Path) -> None:
    print("\nMost memory of a render, four layers at 1080 × 1920")
    for length in (10, 60, 600, 2000):
        line(f"{length} frames", f"{peak_memory(root, length):.0f} MB", "(aim below 1024)")


def lining_up() -> None:
    """On drawn scenes, beside ready-made ways; ``python -m bench.register`` and ``bench.in_time`` tell more."""
    print("\nTakes lined up in place, 540 × 960, on drawn scenes, by their CPU on one core")
    cv2.setNumThreads(1)
    cases = list(register.pairs(register.pictures(None)[:4], 1, (0.4, 0.98)))
    ways = {"this": lambda a, b, model: line_up(a, b, model).warp, **register.OTHERS}
    for name, way in ways.items():
        off, cpu = [], []
        for one in cases:
            begun = time.process_time()
            off.append(
                register.off(
                    way(register.grey(one.first), register.grey(one.second), one.model), one.truth
                )
            )
            cpu.append(time.process_time() - begun)
        off.sort()
        line(name, f"{statistics.median(off):.3f} px", f"95 %: {off[int(0.95 * (len(off) - 1))]:.3f} px; {1000 * statistics.median(cpu):.0f} ms, {len(off)} pairs")  # fmt: skip


def followed() -> None:
    """On drawn scenes, beside features followed by flow; ``python -m bench.tracks`` and ``bench.passes`` tell more."""
    print(
        "\nRegions followed over 60 frames, and passes of a repeated move, on drawn scenes, by their CPU on one core"
    )
    cv2.setNumThreads(1)
    found = tracks.greys(None)
    kinds = ("card", "point", "half", "gone", "hidden")
    cases = [
        tracks.sequence(kind, "drawn", *(found[(n + k) % len(found)][1] for k in range(3)), seed=40 + n, count=60)
        for n, kind in enumerate(kinds)
    ]  # fmt: skip
    for name, way in (("this", tracks.by_this), ("corners + flow", tracks.by_flow)):
        begun = time.process_time()
        told = [tracks.judged(one, way(one)) for one in cases]
        spent = time.process_time() - begun
        off = sorted(error for one in told for error in one.errors)
        wrong = sum(one.wrong for one in told)
        line(name, f"{statistics.median(off):.3f} px", f"95 %: {off[int(0.95 * (len(off) - 1))]:.3f} px; {wrong} frames wrong and not said; {100 * spent / 60 / len(cases):.1f} s for 100 frames")  # fmt: skip
    hits, there, off, _ = passes.judged(next(passes.takes(found, 1, 2)))
    line(
        "passes",
        f"{hits} of {there}",
        f"matched to {statistics.median(off):.3f} frames" if off else "",
    )


SECTIONS: dict[str, Callable[[Path, Library, Shot], None]] = {
    "edits": lambda _root, library, shot: edits(Painter(library), shot),
    "scrubs": lambda _root, library, shot: scrubs(Painter(library), shot),
    "agreement": lambda _root, library, shot: agreement(library, shot),
    "rendering": lambda _root, library, shot: rendering(library, shot),
    "clones": lambda _root, _library, _shot: clones(),
    "converting": lambda _root, _library, _shot: converting(line, timed),
    "layers": lambda _root, library, shot: layers(library, shot),
    "waits": lambda root, _library, _shot: waits(root),
    "memory": lambda root, _library, _shot: memory(root),
    "seams": lambda _root, library, shot: seams(library, shot),
    "looks": lambda _root, library, shot: looks(line, timed, library, shot),
    "quality": lambda _root, _library, _shot: quality(),
    "cut-out": lambda _root, _library, _shot: cut_out(line, timed),
    "lining-up": lambda _root, _library, _shot: lining_up(),
    "followed": lambda _root, _library, _shot: followed(),
    "moving": lambda root, library, shot: moving(line, root, library, shot),
    "playing": lambda root, _library, _shot: playing(root),
}


def main() -> None:
    """All sections, or those named: ``python -m bench edits memory``."""
    keep_freed_memory()
    machine()
    wanted = sys.argv[1:] or list(SECTIONS)
    with tempfile.TemporaryDirectory() as root:
        library = fill(Path(root), lambda _: None)
        shot = next(s.shot for s in library.shots.all() if s.shot.name.startswith("Moth"))
        for name in wanted:
            SECTIONS[name](Path(root), library, shot)


if __name__ == "__main__":
    main()
