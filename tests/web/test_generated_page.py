"""Text, paint, windows and other generated sources, and the same again, in Chromium, by mouse and keys."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.web.test_bench_page import bench, pixel
from tests.web.test_look_page import painted, sides
from tests.web.test_whole_job import clean, state, until
from velvet_seam.core.sources import GENERATED
from velvet_seam.core.words import kind_of

pytestmark = pytest.mark.browser

__all__ = ["bench", "clean"]


def test_a_text_is_added_typed_and_writes_itself(bench: Page):
    count = state(bench, "shot.layers.length")
    bench.click("#add-layer")
    bench.click("[data-add-generated='text']")
    until(bench, f"velvetSeam.bench.shot.layers.length === {count + 1}")
    painted(bench)
    bench.evaluate(
        "velvetSeam.bench.set(velvetSeam.bench.layer.id, {'source.size': 420, 'source.colour': '#ff0000'})"
    )
    painted(bench)

    def red() -> int:
        return bench.evaluate(
            "(() => { const one = document.getElementById('picture'), { data } = one.getContext('2d').getImageData(0, 0, one.width, one.height);"
            " let n = 0; for (let k = 0; k < data.length; k += 4) n += data[k] > 180 && data[k + 1] < 60 && data[k + 2] < 60; return n; })()"
        )

    title = red()
    assert title > 2000
    bench.fill("#field-source-text", "I")
    until(
        bench,
        "velvetSeam.bench.trial?.values['source.text'] === 'I' || velvetSeam.bench.layer.source.text === 'I'",
    )
    bench.locator("#field-source-text").blur()
    until(bench, "velvetSeam.bench.layer.source.text === 'I'")
    painted(bench)
    assert 0 < red() < title / 3
    bench.fill("#field-source-text", "moth 🦋")
    bench.locator("#field-source-text").blur()
    expect(bench.locator("#panel")).to_contain_text("no glyph for 🦋")
    # revealed by a keyframe at the beginning and one at the end
    bench.evaluate(
        "velvetSeam.bench.set(velvetSeam.bench.layer.id, {'source.text': 'Tonight!', 'source.size': 300})"
    )
    painted(bench)
    whole = red()
    bench.fill("#number-source-revealed", "0")
    bench.keyboard.press("Enter")
    until(bench, "velvetSeam.bench.layer.source.revealed === 0")
    painted(bench)
    assert red() == 0
    bench.click("#knot-source-revealed")
    until(bench, "velvetSeam.bench.layer.source.revealed.keys?.length === 1")
    bench.keyboard.press("End")
    bench.fill("#number-source-revealed", "100")
    bench.keyboard.press("Enter")
    until(bench, "velvetSeam.bench.layer.source.revealed.keys?.length === 2")
    painted(bench)
    assert abs(red() - whole) < 0.02 * whole  # JPEG


def test_every_generated_source_is_one_click_away_and_its_colours_are_a_list(bench: Page):
    bench.click("#add-layer")
    kinds = bench.eval_on_selector_all(
        "[data-add-generated]", "all => all.map((one) => one.dataset.addGenerated)"
    )
    assert set(kinds) == {kind_of(one) for one in GENERATED}
    bench.keyboard.press("Escape")
    for kind in kinds:
        count = state(bench, "shot.layers.length")
        bench.click("#add-layer")
        bench.click(f"[data-add-generated='{kind}']")
        until(
            bench,
            f"velvetSeam.bench.shot.layers.length === {count + 1} && velvetSeam.bench.layer.source.kind === '{kind}'",
        )
        light = kind in ("rays", "light-leak")  # light is added to what lies below it
        assert state(bench, "layer.seam.blend") == ("screen" if light else "normal")
        expect(bench.locator("#panel .tape").first).to_be_visible()
        painted(bench)
    gradient = bench.evaluate(
        "velvetSeam.bench.shot.layers.find((one) => one.source.kind === 'gradient').id"
    )
    bench.click(f"#card-{gradient}")
    bench.click("[data-do='more-colours']")
    until(bench, "velvetSeam.bench.layer.source.colours.length === 4")
    bench.fill("#field-source-colours-3", "#00ff88")
    until(bench, "velvetSeam.bench.layer.source.colours[3] === '#00ff88'")
    bench.click("[data-do='fewer-colours']")
    until(bench, "velvetSeam.bench.layer.source.colours.length === 3")


def test_layers_are_put_into_windows_and_change_places(bench: Page):
    bench.click("#add-layer")
    bench.click("[data-add-generated='windows']")
    until(bench, "velvetSeam.bench.layer.source?.kind === 'windows'")
    frame = state(bench, "layer.id")
    for layer, window in (("l-moon", 0), ("l-sea", 2)):
        bench.click(f"#card-{layer}")
        bench.click("#tab-around")
        bench.select_option("#window-into", f"{frame}:{window}")
        bench.click("[data-do='into-window']")
        until(bench, "velvetSeam.bench.layer.crop.left + velvetSeam.bench.layer.crop.top > 0")
    before = {
        one: state(bench, f"shot.layers.find((l) => l.id === '{one}').place.x")
        for one in ("l-moon", "l-sea")
    }
    assert before["l-moon"] < 400 < 680 < before["l-sea"]
    bench.select_option("#window-with", "l-moon")
    bench.click("[data-do='swap-windows']")
    until(bench, f"Math.abs(velvetSeam.bench.layer.place.x - {before['l-moon']}) < 2")
    assert (
        abs(state(bench, "shot.layers.find((l) => l.id === 'l-moon').place.x") - before["l-sea"])
        < 2
    )
    bench.keyboard.press("Control+z")  # one step of undo for both
    until(bench, f"Math.abs(velvetSeam.bench.layer.place.x - {before['l-sea']}) < 0.01")
    # with Alt the picture moves behind its window
    x, y, width, height = sides(bench, "#picture")
    crop = state(bench, "layer.crop.left")
    bench.mouse.move(x + width * 0.83, y + height * 0.5)
    bench.keyboard.down("Alt")
    bench.mouse.down()
    bench.mouse.move(x + width * 0.88, y + height * 0.5, steps=5)
    bench.mouse.up()
    bench.keyboard.up("Alt")
    until(bench, f"velvetSeam.bench.layer.crop.left < {crop} - 1")
    assert state(bench, "layer.place.x") > before["l-sea"]
    # and a side of the crop is dragged on the picture
    knob = bench.locator("#handles [data-grab='crop'][data-side='top']").bounding_box()
    top = state(bench, "layer.crop.top")
    bench.mouse.move(knob["x"] + knob["width"] / 2, knob["y"] + knob["height"] / 2)
    bench.mouse.down()
    bench.mouse.move(knob["x"] + knob["width"] / 2, knob["y"] + 40, steps=5)
    bench.mouse.up()
    until(bench, f"velvetSeam.bench.layer.crop.top > {top} + 2")


def test_the_same_again_and_to_the_end(bench: Page):
    bench.click("#card-l-moon")
    count = state(bench, "shot.layers.length")
    bench.fill("#again-times", "3")
    bench.fill("#again-apart", "5")
    bench.click("[data-do='repeat']")
    until(bench, f"velvetSeam.bench.shot.layers.length === {count + 3}")
    bench.evaluate("velvetSeam.bench.edit({do: 'trim', target: 'l-sea', edge: 'last', to: 49})")
    until(bench, "velvetSeam.bench.thing('l-sea').span.last === 49")
    bench.click("#card-l-sea")
    bench.fill("#again-fade", "10")
    bench.click("[data-do='loop-over']")
    until(bench, f"velvetSeam.bench.shot.layers.length === {count + 6}")
    assert (
        bench.evaluate("Math.max(...velvetSeam.bench.shot.layers.map((one) => one.span.last))")
        >= 149
    )


def test_a_stroke_is_drawn_with_the_mouse_and_undone(bench: Page):
    bench.click("#add-layer")
    bench.click("[data-add-generated='paint']")
    until(bench, "velvetSeam.bench.layer.source?.kind === 'paint'")
    painted(bench)
    bench.fill("#brush-colour", "#00ff00")
    bench.locator("#brush-width").fill("90")
    expect(bench.locator("label", has=bench.locator("#brush-width"))).to_have_text("Width90 px")
    expect(bench.locator("#brush")).to_be_visible()  # the brush is up at once
    expect(bench.locator("[data-do='brush']")).to_have_attribute("aria-pressed", "true")
    x, y, width, height = sides(bench, "#picture")
    before = pixel(bench, 540, 960)
    bench.mouse.move(x + width * 0.2, y + height * 0.5)
    bench.mouse.down()
    bench.mouse.move(x + width * 0.8, y + height * 0.5, steps=12)
    bench.mouse.up()
    until(bench, "velvetSeam.bench.layer.source.strokes.length === 1")
    painted(bench)
    green = pixel(bench, 540, 960)
    assert green[1] > 200 > 90 > green[0]
    stroke = state(bench, "layer.source.strokes[0]")
    assert len(stroke["points"]) < 6  # a straight one needs few points
    assert stroke["width"] == 90
    bench.keyboard.press("Escape")
    expect(bench.locator("#brush")).to_be_hidden()
    bench.keyboard.press("Control+z")
    until(bench, "velvetSeam.bench.layer.source.strokes.length === 0")
    painted(bench)
    assert np.abs(np.array(pixel(bench, 540, 960)) - before).max() < 6
