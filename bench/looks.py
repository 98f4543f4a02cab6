"""Looks, what lies around a layer, generated sources: what each costs, and how near it comes to what it should be.

All kernels run on one core here. FFmpeg's ``lut3d`` and OpenCV's filters stand beside them in the same minute.
"""

from __future__ import annotations

import json
import os
import random
import re
import shutil
import subprocess
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from statistics import median
from typing import Any

import cv2
import numba as nb
import numpy as np

from bench.full_size import cost, stacks, whole_render
from bench.motion_blur import motion_blur
from bench.nesting import nested
from velvet_seam.core.around import AROUND
from velvet_seam.core.around.wrap import wrapped
from velvet_seam.core.engine.sheet import Sheet
from velvet_seam.core.engine.showing import Showing
from velvet_seam.core.looks import LOOKS, Area, Ground
from velvet_seam.core.looks.base import Tone
from velvet_seam.core.looks.table import Mixed, table_of
from velvet_seam.core.picture.gaussian import blurred
from velvet_seam.core.picture.grade import LATTICES, graded, nodes_of
from velvet_seam.core.picture.placement import Patch
from velvet_seam.core.shot.layer import Layer, Place, Span
from velvet_seam.core.shot.shot import Canvas, Shot
from velvet_seam.core.shot.written import written
from velvet_seam.core.sources import GENERATED
from velvet_seam.core.timing.at import At
from velvet_seam.core.words import kind_of
from velvet_seam.store.library import Library
from velvet_seam.work.asks import Paint
from velvet_seam.work.painter import Painter

Say = Callable[..., None]
RUNS = 9
FULL = [
    {"kind": "light", "id": "p-a", "exposure": 0.35, "contrast": 12, "highlights": -18, "shadows": 8},
    {"kind": "balance", "id": "p-b", "temperature": 24, "tint": -3},
    {"kind": "curves", "id": "p-c", "master": [[0, 0], [0.3, 0.22], [0.7, 0.77], [1, 1]]},
    {"kind": "saturation", "id": "p-d", "saturation": 125},
    {"kind": "tints", "id": "p-e", "strength": 60},
]  # fmt: skip


def taken(work: Callable[[], Any], runs: int = RUNS) -> float:
    """The median of milliseconds of CPU; one run before is not counted."""
    work()
    times = []
    for _ in range(runs):
        begin = time.process_time()
        work()
        times.append(1000 * (time.process_time() - begin))
    return median(times)


def drawn(height: int, width: int) -> np.ndarray:
    """A picture with ramps, waves, noise and hard edges."""
    y, x = np.mgrid[:height, :width]
    rng = np.random.default_rng(1)
    out = np.full((height, width, 4), 255, np.uint8)
    out[..., 0], out[..., 1] = 255 * x / width, 127 + 120 * np.sin(x / 37) * np.cos(y / 49)
    out[..., 2] = np.clip(255 * y / height + rng.normal(0, 6, (height, width)), 0, 255)
    out[height // 4 : height // 3, width // 4 : width // 2, :3] = 255
    return out


def run() -> tuple[Mixed, ...]:
    found = []
    for values in FULL:
        kind = next(one for one in LOOKS if kind_of(one) == values["kind"])
        part = kind.model_validate(values)
        assert isinstance(part, Tone)
        found.append(Mixed(part.stages(At(0), 0), At(0).part(part.strength)))
    return tuple(found)


def lut3d(picture: np.ndarray, side: int, frames: int = 24) -> float | None:
    """What FFmpeg's tetrahedral table of as many nodes takes for the same picture, by one thread: milliseconds of CPU a
    frame, less what passing the frames through takes. None where there is no ffmpeg."""
    if shutil.which("ffmpeg") is None:
        return None
    with tempfile.TemporaryDirectory() as name:
        path, raw = Path(name) / "table.cube", Path(name) / "frames"
        u = np.linspace(0, 1, side)
        rows = [f"{r:.6f} {g:.6f} {b:.6f}" for b in u**1.1 for g in u**0.9 for r in u]
        path.write_text(f"LUT_3D_SIZE {side}\n" + "\n".join(rows) + "\n")
        raw.write_bytes(picture.tobytes() * frames)
        height, width = picture.shape[:2]

        def passed(filters: str) -> float:
            before = os.times()
            subprocess.run(
                ["ffmpeg", "-v", "error", "-threads", "1", "-filter_threads", "1", "-f", "rawvideo", "-pix_fmt", "rgba",
                 "-s", f"{width}x{height}", "-i", str(raw), "-vf", filters, "-f", "null", "-"], check=True,
            )  # fmt: skip
            after = os.times()
            return (
                after.children_user
                + after.children_system
                - before.children_user
                - before.children_system
            )

        table = f"lut3d=file={path}:interp=tetrahedral"
        return (
            1000
            * (median(passed(table) for _ in range(3)) - median(passed("null") for _ in range(3)))
            / frames
        )


def tables(say: Say) -> None:
    print(f"\nA grade as a table, 1080 × 1920, one core, medians of {RUNS}, ms of CPU")
    picture, every = drawn(1920, 1080), run()
    for side in LATTICES:
        say(f"building {side}³ of a full grade", f"{taken(lambda s=side: table_of(every, 1.0, s == LATTICES[0])):.1f} ms",
            "aim 2 for 33" if side == LATTICES[0] else "")  # fmt: skip
    table = table_of(every, 1.0, False)
    curves = table_of(run()[2:3], 1.0, False)
    theirs = lut3d(picture, 65)
    beside = "no ffmpeg on this machine" if theirs is None else f"FFmpeg's lut3d, {theirs:.0f} ms"
    for what, table_, aim in (("65³, tetrahedral", table, 0.167), ("three curves", curves, 0.033)):
        own = taken(lambda t=table_: graded(picture, t))
        part = "" if theirs is None else f"{own / theirs:.3f} of "
        say(what, f"{own:.1f} ms", f"{part}{beside} (aim {aim})")
    off = _table_errors(every)
    say("against the formulas, float, 16.7 m colours by 5", f"{off[0]:.2f} / {off[1]:.2f} / {off[2]:.1f}",
        "mean / 99.9 % / largest of 255 (aim 0.25 / 1.5)")  # fmt: skip


def _table_errors(every: tuple[Mixed, ...]) -> tuple[float, float, float]:
    levels = np.arange(0, 256, 5, dtype=np.uint8)
    r, g, b = np.meshgrid(levels, levels, levels, indexing="ij")
    chart = np.stack([r, g, b, np.full_like(r, 255)], -1).reshape(52, -1, 4)
    planes = np.ascontiguousarray(chart[..., :3].reshape(-1, 3).T.astype(np.float32) / 255)
    for one in every:
        before = planes.copy()
        for stage in one.stages:
            stage.function(planes, *stage.numbers)
        planes = before + np.float32(one.strength) * (planes - before)
    exact = planes.clip(0, 1).T.reshape(52, -1, 3) * 255
    off = np.abs(graded(np.ascontiguousarray(chart), table_of(every, 1.0, False))[..., :3] - exact)
    assert len(nodes_of(65)) == 65
    return float(off.mean()), float(np.quantile(off, 0.999)), float(off.max())


def blurs(say: Say) -> None:
    print(f"\nBlurs, one core, 1080 × 1920 (540 × 960), medians of {RUNS}, ms of CPU")
    large, small = drawn(1920, 1080), drawn(960, 540)
    cv2.setNumThreads(1)
    for sigma in (3, 10, 30, 100):
        own, half = (taken(lambda p=p, s=sigma: blurred(p, s)) for p in (large, small))
        theirs = taken(lambda s=sigma: cv2.GaussianBlur(large, (0, 0), s), 1 if sigma > 20 else 3)
        kernel = cv2.getGaussianKernel(2 * int(4.5 * sigma) + 1, sigma, cv2.CV_64F)
        exact = cv2.sepFilter2D(
            small.astype(np.float64), -1, kernel, kernel, borderType=cv2.BORDER_REPLICATE
        )
        off = np.abs(blurred(small, sigma) - exact)
        say(f"Gaussian, deviation {sigma}", f"{own:.1f} ({half:.1f}) ms",
            f"OpenCV {theirs / own:.1f} times that; off {off.mean():.2f} / {off.max():.1f} (aim 0.3 / 2)")  # fmt: skip
    aims = {
        "line-blur": "aim 20",
        "spin-blur": "aim 60",
        "zoom-blur": "aim 60",
        "glow": "aim 30",
        "defocus": "aim 30",
    }
    for kind in LOOKS:
        if not issubclass(kind, Area) or kind_of(kind) == "blur":
            continue
        part = kind.model_validate({"kind": kind_of(kind), "id": "p-a"})
        figures = []
        for picture, per in ((large, 1.0), (small, 0.5)):
            size = (picture.shape[1], picture.shape[0])
            work = part.work(At(0), Ground(size, per, frame=3, seconds=0.12))
            assert work is not None
            figures.append(taken(lambda w=work, p=picture: w.function(*w.args, p)))
        say(
            f"{kind.label.lower()}, as it comes",
            f"{figures[0]:.1f} ({figures[1]:.1f}) ms",
            aims.get(kind_of(kind), ""),
        )


def around(say: Say) -> None:
    print(f"\nAround a layer of 700 × 1100 at 1080 × 1920, one core, medians of {RUNS}, ms of CPU")
    y, x = np.mgrid[:1100, :700]
    inside = np.clip(345 - np.hypot(x - 350, (y - 550) * 0.63), 0, 1)
    pixels = np.rint(drawn(1100, 700) * inside[..., None]).astype(np.uint8)
    patch, below, total = Patch(190, 410, pixels), drawn(1920, 1080), 0.0
    for name, kind in AROUND.items():
        if name == "wrap":
            own = taken(lambda: wrapped(12.0, 0.6, patch, below, 0, 0))
        else:
            made = kind().drawn(At(0), 1.0)
            assert made is not None
            own = taken(lambda m=made: m.function(*m.args, patch))
        total += own if name in ("wrap", "shadow", "border") else 0
        say(kind.label.lower(), f"{own:.1f} ms")
    say("border, shadow and light wrap together", f"{total:.1f} ms", "aim 30")


def generated(say: Say) -> None:
    print(
        f"\nGenerated sources, a frame at 1080 × 1920 (540 × 960), one core, medians of {RUNS}, ms of CPU"
    )
    shot = Shot(name="s", canvas=Canvas(width=1080, height=1920), rate="25", length=500)  # type: ignore[arg-type]
    aims = {"clouds": "aim 20", "particles": "2,000 of them; aim 10", "text": "aim 10"}
    for kind in GENERATED:
        name = kind_of(kind)
        more: dict[str, Any] = {"count": 2000} if name == "particles" else {}
        more |= (
            {"text": "The moth comes at nine,\nwhen the lamp is lit", "revealed": 60}
            if name == "text"
            else {}
        )
        layer = Layer(id="l-a", name="a", source=kind.model_validate({"kind": name, **more}),
                      span=Span(first=0, last=499), place=Place(x=540, y=960))  # fmt: skip
        figures = [taken(_frames(layer, shot, side)) for side in (None, 540)]
        say(kind.label.lower(), f"{figures[0]:.1f} ({figures[1]:.1f}) ms", aims.get(name, ""))


def _frames(layer: Layer, shot: Shot, side: int | None) -> Callable[[], object]:
    """One frame of a source after the other."""
    sheet, frames = Sheet.of(shot, side), iter(range(3, 400))
    return lambda: layer.source.picture(
        Showing(layer, next(frames), shot.rate, sheet, _none, _none)
    ).run()


def _none(identity: str) -> Any:
    raise KeyError(identity)


def dressed(shot: Shot) -> Shot:
    """The demo shot with a full grade on the keyed layer, and one on an adjustment layer over all."""
    document = shot.model_dump(mode="json")
    for layer in document["layers"]:
        if layer["id"] == "l-moth":
            layer["look"] = {"parts": FULL}
    canvas = shot.canvas
    document["layers"].append({
        "id": "l-all", "name": "All", "source": {"kind": "adjustment"}, "span": {"first": 0, "last": shot.length - 1},
        "place": {"x": canvas.width / 2, "y": canvas.height / 2},
        "look": {"parts": [{**one, "id": f"{one['id']}-all"} for one in FULL]},
    })  # fmt: skip
    return Shot.model_validate(document)


def edits(
    say: Say, timed: Callable[..., tuple[float, float]], library: Library, shot: Shot
) -> None:
    print(
        "\nA value of a full grade under the hand, with an adjustment over all: edit to JPEG at 540 × 960"
    )
    painter, document = Painter(library), written(dressed(shot))
    cases = {
        "exposure": ("l-moth", "look.parts.p-a.exposure", lambda n: 0.01 * n),
        "temperature": ("l-moth", "look.parts.p-b.temperature", lambda n: n),
        "saturation": ("l-moth", "look.parts.p-d.saturation", lambda n: 80 + n),
        "strength of the look": ("l-moth", "look.strength", lambda n: 40 + n),
        "exposure of the adjustment": ("l-all", "look.parts.p-a-all.exposure", lambda n: 0.01 * n),
        "opacity of the adjustment": ("l-all", "seam.opacity", lambda n: 40 + n),
    }  # fmt: skip
    for what, (target, path, value) in cases.items():

        def once(n: int, target=target, path=path, value=value) -> None:
            edit = {"do": "set-values", "target": target, "values": {path: value(n)}}
            painter.answer(Paint(document, 60, chosen=target, trial=json.dumps(edit)))

        middle, late = timed(once)
        say(what, f"{middle:.1f} ms", f"95 %: {late:.1f} ms (aim 20)")


def scrubs(
    say: Say, timed: Callable[..., tuple[float, float]], library: Library, shot: Shot
) -> None:
    print("\nScrub to any frame at 540 × 960, proxies made, nothing cached; 40 frames")
    order = random.Random(7).sample(range(shot.length), 42)
    six = [*FULL, {"kind": "vignette", "id": "p-f"}]
    for what, parts in (("16 layers", []), ("the same with six parts each", six)):
        document = stacks(shot, (16,))[16].model_dump(mode="json")
        for n, layer in enumerate(document["layers"]):
            layer["look"]["parts"] = parts
            # every thing of a shot has an id of its own
            own = re.sub(r'"id": "(\w)-', rf'"id": "\1-{n}-', json.dumps(layer))
            document["layers"][n] = json.loads(own)
        of = Shot.model_validate(document)
        painter, asked = Painter(library), written(of)
        middle, late = timed(lambda n, p=painter, a=asked: p.answer(Paint(a, order[n])), 40)
        say(what, f"{middle:.1f} ms", f"95 %: {late:.1f} ms (aim 100)")


def renders(say: Say, library: Library, shot: Shot, rounds: int = 3) -> None:
    print(
        f"\nRender at 1080 × 1920 with a full grade and an adjustment over all, in turn, {rounds} rounds"
    )
    with tempfile.TemporaryDirectory() as name:
        folder, other = Path(name), dressed(shot)
        whole_render(library, other, folder)
        pairs = [
            (cost(lambda: whole_render(library, shot, folder))[1], cost(lambda: whole_render(library, other, folder))[1])
            for _ in range(rounds)
        ]  # fmt: skip
    ratios = sorted(b / a for a, b in pairs)
    say("CPU against the same shot without", f"{median(ratios):.2f}",
        f"times, median; {ratios[0]:.2f} to {ratios[-1]:.2f} (aim 1.25)")  # fmt: skip


def looks(
    say: Say, timed: Callable[..., tuple[float, float]], library: Library, shot: Shot
) -> None:
    threads = nb.get_num_threads()
    nb.set_num_threads(1)
    for section in (tables, blurs, around, generated):
        section(say)
    nb.set_num_threads(threads)
    edits(say, timed, library, shot)
    scrubs(say, timed, library, shot)
    nested(say, library, shot)
    motion_blur(say, library)
    renders(say, library, shot)
