"""Time and motion: every frame where it should be, what evaluating costs, echoes, drags in the browser."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from statistics import median
from typing import Any

import numpy as np
from playwright.sync_api import sync_playwright

from bench.full_size import cost
from tests.application import BROWSER, CHROMIUM, application
from tests.clips import coded_clip, read_code
from tests.core.test_clip_time import CASES, LAST, shot_of
from velvet_seam.core.engine.delivery import Delivery
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.engine.render import render
from velvet_seam.core.media.material import Material
from velvet_seam.core.media.probe import probe
from velvet_seam.core.media.proxy import write_proxy
from velvet_seam.core.media.reader import open_clip
from velvet_seam.core.shot.edits import apply, read_edit
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.sound.mix import Sounds, mix
from velvet_seam.store.library import Library

Say = Callable[..., None]


def exactness(say: Say) -> None:
    """Frame codes read off previews from proxies and off rendered files."""
    wrong = checked = 0
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        clips: dict[str, tuple[Path, Path]] = {}
        for rate in ("24", "25", "30000/1001", "120", "varies"):
            path = folder / f"{rate.replace('/', '-')}.mkv"
            if rate == "varies":
                times = np.cumsum([40, 33, 47, 40, 21, 59] * 12).tolist()
                coded_clip(path, 72, times=[0, *times[:-1]], tick=Fraction(1, 1000))
            else:
                coded_clip(path, 72, rate=Fraction(rate))
            proxy = path.with_suffix(".proxy.mp4")
            write_proxy(path, probe(path), proxy)
            clips[rate] = path, proxy
        cases: list[tuple[str, Shot, Callable[[int], int]]] = [
            (rate, shot_of("25", **time), wanted) for rate, time, wanted in CASES.values()
        ]
        cases.append(("30000/1001", shot_of("25"), lambda n: min(n * 30000 // (1001 * 25), LAST)))
        begins = np.cumsum([0, *[40, 33, 47, 40, 21, 59] * 12])[:72]
        cases.append(
            ("varies", shot_of("25"), lambda n: int(np.searchsorted(begins, 40 * n, "right")) - 1)
        )
        for rate, time, wanted in list(CASES.values())[3:9]:
            split = apply(
                shot_of("25", **time),
                read_edit({"do": "split", "target": "l-one", "at": 23, "new_id": "l-two"}),
            )
            cases.append((rate, split, wanted))
        for number, (rate, shot, wanted) in enumerate(cases):
            path, proxy = clips[rate]
            expected = [wanted(n) for n in range(shot.length)]
            for preview in (True, False):
                material = Material("f", path, probe(path), preview=preview, proxy=proxy)
                engine = Engine(lambda _, m=material: m)
                for order in (
                    range(shot.length),
                    np.random.default_rng(1).permutation(shot.length),
                ):
                    for n in order:
                        shown = read_code(engine.picture(engine.plan(shot, int(n), short_side=128)))
                        checked += 1
                        wrong += shown != expected[n]
            out = folder / f"out-{number}.mp4"
            whole = Material("f", path, probe(path), preview=False)
            render(shot, out, lambda _, m=whole: m, Sounds(lambda _: None, lambda _: Fraction(0)), Delivery(),
                   ranges=folder / f"ranges-{number}")  # fmt: skip
            reader = open_clip(out, probe(out))
            for n in range(shot.length):
                checked += 1
                wrong += read_code(reader.read(n)) != expected[n]
            reader.close()
    say("shot frames that show another source frame than they should", f"{wrong} of {checked}",
        f"{len(cases)} cases, preview in order and at random, and rendered (aim 0 of 5000)")  # fmt: skip


def clicks(say: Say) -> None:
    """A click laid on a frame, in the mix of a render."""
    worst = 0
    sound = np.zeros((4800, 2), np.float32)
    sound[0] = 0.9
    for rate in ("25", "30000/1001", "24000/1001"):
        for frame in range(0, 90, 7):
            track = {"id": "t", "name": "t", "footage": "f", "span": {"first": frame, "last": 99}}
            shot = Shot.model_validate(
                {"name": "s", "canvas": {"width": 64, "height": 64}, "rate": rate, "length": 100,
                 "sounds": [track]}
            )  # fmt: skip
            at = int(
                np.abs(
                    mix(shot, Sounds(lambda _: sound, lambda _: Fraction(len(sound), 48000)))[:, 0]
                ).argmax()
            )
            worst = max(worst, abs(at - round(frame * 48000 / Fraction(rate))))
    say("a click laid on a frame, in the mix", f"{worst} samples", "away at most (aim 1)")


def crowded(shot: Shot, layers: int = 16, keyframes: int = 500, length: int = 1500) -> Shot:
    """Many layers of the demo shot for a minute, their place and opacity keyed all along."""
    each = keyframes // (layers * 4) + 1
    apart = length // each
    made = []
    for n in range(layers):
        layer = shot.layers[n % len(shot.layers)].model_dump(mode="json")
        layer["id"], layer["span"] = f"l-{n}", {"first": n, "last": length - 1}
        seam = layer["seam"]
        for k, part in enumerate([*seam["matte"], *seam["masks"]]):
            part["id"] = f"p-{n}-{k}"

        def keys(value: float, far: float) -> dict[str, Any]:
            return {"keys": [
                {"frame": apart * k, "value": value + far * (k % 3), "ease": "smooth"}
                for k in range(each)
            ]}  # fmt: skip

        place = layer["place"]
        place["x"], place["y"] = keys(place["x"], 20), keys(place["y"], 30)
        place["scale"] = keys(place["scale"], 4)
        seam["opacity"] = keys(60, 20)
        made.append(layer)
    return Shot.model_validate(
        {
            **shot.model_dump(mode="json"),
            "layers": made,
            "sounds": [],
            "marks": [],
            "length": length,
        }
    )


def evaluating(say: Say, library: Library, shot: Shot) -> None:
    many = crowded(shot)
    count = sum(
        len(value.keys)
        for layer in many.layers
        for value in (layer.place.x, layer.place.y, layer.place.scale, layer.seam.opacity)
        if not isinstance(value, float)
    )
    from velvet_seam.core.timing.animated import value_at

    values = [
        value
        for layer in many.layers
        for value in (layer.place.x, layer.place.y, layer.place.scale, layer.seam.opacity)
    ]
    taken = []
    for n in range(60):
        begin = time.perf_counter()
        for value in values:
            value_at(value, n + 20)
        taken.append(1000 * (time.perf_counter() - begin))
    say(f"all values of a frame, {count} keyframes", f"{median(taken):.2f} ms", "(aim 2 ms)")
    engine = Engine(library.materials(preview=True))
    taken = []
    for n in range(40):
        begin = time.perf_counter()
        engine.plan(many, 20 + n, short_side=540)
        taken.append(1000 * (time.perf_counter() - begin))
    say("the whole plan of such a frame, 16 layers", f"{median(taken):.2f} ms")


def echoes(say: Say, library: Library, shot: Shot) -> None:
    """Eight echoes, frame after frame, against the same shot without: on the keyed layer, on all four."""
    plain = shot.model_copy(update={"layers": shot.layers[:4]})

    def echoed(*which: str) -> Shot:
        layers = [
            layer.model_copy(update={"echo": layer.echo.model_copy(update={"count": 8, "step": 2})})
            if layer.id in which
            else layer
            for layer in plain.layers
        ]
        return plain.model_copy(update={"layers": tuple(layers)})

    every = [layer.id for layer in plain.layers]
    times = {}
    for word, one in (("none", plain), ("keyed", echoed("l-moth")), ("all", echoed(*every))):
        engine = Engine(library.materials(preview=True))
        for n in range(30, 48):
            engine.picture(engine.plan(one, n, short_side=540), passing=True)
        times[word] = cost(
            lambda e=engine, s=one: [
                e.picture(e.plan(s, n, short_side=540), passing=True) for n in range(48, 78)
            ]
        )[1]
    for word, what in (("keyed", "the keyed one of four layers"), ("all", "each of four layers")):
        say(f"eight echoes on {what}, against none",
            f"{times[word] / times['none']:.2f} times the CPU", "(aim 2.5)")  # fmt: skip


_DRAG = """async ([selector, moves]) => {
    const node = document.querySelector(selector), box = node.getBoundingClientRect();
    const surface = node.ownerSVGElement ?? node;
    const x = box.left + box.width / 2, y = box.top + box.height / 2;
    const send = (name, dx) => {
        const event = new PointerEvent(name, { bubbles: true, pointerId: 1, button: 0, clientX: x + dx, clientY: y });
        const begin = performance.now();
        (name === "pointerdown" ? node : surface).dispatchEvent(event);
        return performance.now() - begin;
    };
    surface.setPointerCapture = () => {};
    const scripts = [], taken = [], answers = [];
    // what an event leaves for the next frame is its script, too
    const raf = window.requestAnimationFrame.bind(window);
    let spent = 0;
    window.requestAnimationFrame = (run) => raf((time) => { const begin = performance.now(); run(time); spent += performance.now() - begin; });
    const frame = () => new Promise((done) => raf(() => { const t = performance.now(); setTimeout(() => done(performance.now() - t), 0); }));
    const { live } = velvetSeam.picture.slot;
    const asked = live.ask.bind(live);
    live.ask = async (wish) => {
        const begin = performance.now(), answer = await asked(wish);
        if (wish.trial) answers.push(performance.now() - begin);
        return answer;
    };
    send("pointerdown", 0);
    for (let n = 1; n <= moves; n += 1) {
        spent = 0;
        const event = send("pointermove", 2 * n);
        const after = await frame();  // what the handler left for the next frame runs before it
        scripts.push(event + spent);
        taken.push(event + spent + after);
        await new Promise((done) => setTimeout(done, 12));
    }
    send("pointercancel", 2 * moves);
    live.ask = asked;
    window.requestAnimationFrame = raf;
    return [scripts, taken, answers];
}"""


def drags(say: Say, root: Path, library: Library, shot: Shot) -> None:
    """Script of a pointer event, and the way of a trial picture, in Chromium with 16 layers and a minute."""
    identity = library.shots.add(crowded(shot).model_copy(update={"name": "Crowded"}))
    library.folder.database.close()
    with application(root) as address, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=BROWSER, args=CHROMIUM)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(f"{address}/shots/{identity}")
        page.wait_for_timeout(4000)
        page.click("#card-l-7")
        page.wait_for_timeout(800)
        page.keyboard.press("v")
        page.evaluate("velvetSeam.bench.go(100)")
        page.wait_for_timeout(2500)
        for what, selector in (
            ("a bar", "#lanes .bar[data-thing='l-7']"),
            ("a keyframe in its lane", "#value-lanes .lane-knot[data-frame='187']"),
            ("a handle on the picture", "#handles [data-grab='turn']"),
        ):
            scripts, taken, answers = page.evaluate(_DRAG, [selector, 60])
            for words, times, aim in (
                ("script of an event", scripts, " (aim 16)"), ("and the page drawn", taken, ""),
            ):  # fmt: skip
                late = sorted(times)[int(len(times) * 0.95)]
                say(f"drag of {what}: {words}", f"{median(times):.1f} ms",
                    f"95 %: {late:.1f} ms{aim}")  # fmt: skip
            if answers:
                late = sorted(answers)[int(len(answers) * 0.95)]
                say(f"drag of {what}: until its trial picture is here", f"{median(answers):.0f} ms",
                    f"95 %: {late:.0f} ms, {len(answers)} pictures, 16 layers (aim 60)")  # fmt: skip
            page.wait_for_timeout(800)
        browser.close()


def moving(say: Say, root: Path, library: Library, shot: Shot) -> None:
    print("\nTime and motion")
    exactness(say)
    clicks(say)
    evaluating(say, library, shot)
    echoes(say, library, shot)
    drags(say, root, library, shot)
