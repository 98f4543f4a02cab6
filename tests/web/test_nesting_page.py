"""A group, a shot in a shot and a camera on the bench, by mouse and keys."""

from __future__ import annotations

import re

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.web.test_bench_page import bench, pixel
from tests.web.test_look_page import painted
from tests.web.test_seam_page import picture
from tests.web.test_whole_job import clean, drag, saved, state, until

pytestmark = pytest.mark.browser

__all__ = ["bench", "clean"]


def on_screen(page: Page, x: float, y: float) -> tuple[float, float]:
    """A canvas place in pixels of the window."""
    return tuple(page.evaluate(
        "([x, y]) => { const r = velvetSeam.picture.rect, box = document.getElementById('handles').getBoundingClientRect();"
        " return [box.left + r.x + x * r.k, box.top + r.y + y * r.k]; }", [x, y],
    ))  # fmt: skip


def test_layers_are_grouped_entered_changed_and_taken_apart(bench: Page):
    bench.evaluate("velvetSeam.bench.go(40)")
    before = picture(bench)
    bench.click("#card-l-moth")
    saved(bench)
    bench.click("#card-l-embers", modifiers=["Control"])
    expect(bench.locator("#many")).to_contain_text("2 chosen")
    bench.keyboard.press("g")
    until(bench, "velvetSeam.bench.layer?.source.kind === 'nested'")
    assert [one["name"] for one in state(bench, "shot.layers")] == [
        "Paper sea",
        "Moon",
        "Group",
        "Evening",
    ]
    assert np.abs(picture(bench) - before).mean() < 0.5  # nothing has changed for the eye
    outer = bench.url
    bench.click("#go-in")
    bench.wait_for_url(re.compile("from="))
    until(bench, "velvetSeam.bench.shot.layers.length === 2")
    assert state(bench, "frame") == 40
    bench.click("#card-l-moth")
    saved(bench)
    drag(bench, on_screen(bench, 540, 900), on_screen(bench, 540, 1300))
    saved(bench)
    bench.evaluate("velvetSeam.bench.go(44)")
    bench.click(".go-out")
    until(bench, "velvetSeam.bench.shot.layers.length === 4")
    assert bench.url.split("?")[0] == outer.split("?")[0]
    assert state(bench, "frame") == 44
    assert state(bench, "layer.name") == "Group"
    painted(bench)
    bench.evaluate("velvetSeam.bench.go(40)")
    assert np.abs(picture(bench) - before).mean() > 2
    bench.click("[data-do='take-apart']")
    until(bench, "velvetSeam.bench.shot.layers.length === 5")
    assert [one["name"] for one in state(bench, "shot.layers")][2:4] == ["Moth on card", "Embers"]


def test_another_page_sees_what_changes_inside(bench: Page, served: str):
    bench.click("#card-l-moon")
    saved(bench)
    bench.keyboard.press("g")
    until(bench, "velvetSeam.bench.layer?.source.kind === 'nested'")
    before = picture(bench)
    inner = state(bench, "layer.source.footage")
    other = bench.context.new_page()
    other.goto(f"{served}/shots/{inner}")
    until(other, "velvetSeam.bench.shot.layers.length === 1")
    other.evaluate("velvetSeam.bench.set('l-moon', { 'place.x': 250, 'place.y': 400 })")
    assert np.abs(picture(bench, unlike=before) - before).max() > 60
    other.close()


def test_a_camera_moves_all_that_lies_below_and_nothing_above(bench: Page):
    bench.evaluate("velvetSeam.bench.go(40)")
    painted(bench)
    moon = pixel(bench, 720, 520)
    bench.click("#add-layer")
    bench.click("[data-add-camera]")
    until(bench, "velvetSeam.bench.layer?.source.kind === 'camera'")
    painted(bench)
    camera = state(bench, "target")
    # the picture itself is taken and dragged
    drag(bench, on_screen(bench, 400, 1500), on_screen(bench, 300, 1500))
    saved(bench)
    until(bench, "Math.abs(velvetSeam.bench.layer.place.x - 440) < 8")
    painted(bench)
    assert np.abs(np.subtract(pixel(bench, 620, 520), moon)).max() < 25
    bench.evaluate(
        f"velvetSeam.bench.set('{camera}', {{ 'place.x': 540, 'place.scale': 200, 'place.rotation': 30 }})"
    )
    painted(bench)
    # a layer below is moved where it is seen: 100 px to the right on the canvas, half as far on the stage
    bench.click("#card-l-moon")
    saved(bench)
    painted(bench)
    until(bench, "velvetSeam.picture.stray?.layer === 'l-moon'")
    place = state(bench, "layer.place")
    x, y = bench.evaluate(
        "(() => { const s = velvetSeam.handles.svg.querySelector('.knob, [data-grab=move]'); const h = velvetSeam.handles,"
        " l = velvetSeam.bench.layer; const p = h.point({ x: l.place.x, y: l.place.y }); const box = h.svg.getBoundingClientRect();"
        " return [box.left + p[0], box.top + p[1]]; })()"
    )
    k = bench.evaluate("velvetSeam.picture.rect.k")
    drag(bench, (x, y), (x + 100 * k, y))
    saved(bench)
    after = state(bench, "layer.place")
    assert after["x"] - place["x"] == pytest.approx(50 * np.cos(np.radians(30)), abs=4)
    assert after["y"] - place["y"] == pytest.approx(-50 * np.sin(np.radians(30)), abs=4)
    # far away it moves less
    bench.fill("#number-place-depth", "900")
    bench.keyboard.press("Enter")
    saved(bench)
    near = "Math.hypot(velvetSeam.handles.camera?.[0], velvetSeam.handles.camera?.[3])"
    until(bench, f"Math.abs({near} - 2 ** 0.1) < 0.01")
    bench.click(f"#card-{camera} [data-do='hide']")
    until(bench, f"velvetSeam.bench.thing('{camera}').hidden")


def test_saved_files_are_opened_again(bench: Page):
    bench.click("#card-l-moon")
    saved(bench)
    bench.keyboard.press("g")
    until(bench, "velvetSeam.bench.layer?.source.kind === 'nested'")
    bench.keyboard.press("Escape")
    with bench.expect_download() as waiting:
        bench.click("text=Save as files")
    path = waiting.value.path()
    inner = bench.context.new_page()
    inner.goto("/".join(bench.url.split("/")[:3]))
    with inner.expect_file_chooser() as choosing:
        inner.click("#open-button")
    choosing.value.set_files(
        {"name": "moth.zip", "mimeType": "application/zip", "buffer": path.read_bytes()}
    )
    inner.wait_for_url(re.compile("/shots/s"))
    until(inner, "velvetSeam.bench.shot.layers.length === 5")
    assert state(inner, "shot.name") == "Moth over the paper sea 2"
    inner.evaluate("fetch(location.pathname, { method: 'DELETE' })")
    inner.close()
