"""What a bar shows of its clip, ramps by their names, and sounds heard alone."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.web.test_bench_page import bench
from tests.web.test_seam_page import add_layer, blank
from tests.web.test_time_page import LAYER, go
from tests.web.test_whole_job import box_of, clean, state, until

pytestmark = pytest.mark.browser

__all__ = ["bench", "blank", "clean"]

FILM = """([layer, part]) => {
    const { canvas } = velvetSeam.strip.films, pen = canvas.getContext('2d');
    const bar = document.querySelector(`#lanes [data-grab=bar][data-thing="${layer}"]`).getBBox();
    const ratio = canvas.width / canvas.clientWidth, wide = 12 * ratio;
    const left = (bar.x + 2 + part * (bar.width - 16)) * ratio;
    const data = pen.getImageData(left, (bar.y + 3) * ratio, wide, (bar.height - 6) * ratio).data;
    const mean = [0, 0, 0, 0];
    data.forEach((value, n) => { mean[n % 4] += value / (data.length / 4); });
    return mean;
}"""


def film(page: Page, layer: str, part: float) -> np.ndarray:
    return np.array(page.evaluate(FILM, [layer, part]))


def test_bars_show_their_clip_where_it_is_in_its_own_time(bench: Page):
    until(
        bench,
        "velvetSeam.strip.films.tiles.size >= 4 && [...velvetSeam.strip.films.tiles.values()].every(Boolean)",
    )
    bench.wait_for_timeout(300)
    moth, sea, evening = (film(bench, one, 0.3) for one in ("l-moth", "l-sea", "l-evening"))
    assert moth[1] > moth[0] + 20 > 20
    assert moth[1] > moth[2] + 20
    assert sea[2] > sea[0] + 20
    assert evening[3] == 0  # a colour has no film
    # a bar under the hand takes its film with it
    bar = box_of(bench, "#lanes [data-thing=l-embers][data-grab=bar]")
    x, y = bar["x"] + 60, bar["y"] + 9
    bench.mouse.move(x, y)
    bench.mouse.down()
    bench.mouse.move(x + 40, y, steps=4)
    assert film(bench, "l-embers", 0.9)[3] > 100
    bench.keyboard.press("Escape")
    bench.mouse.move(x, y, steps=2)
    bench.mouse.up()


def test_a_film_runs_as_its_clip_does(blank: Page):
    layer = add_layer(blank, "curtain-pass")
    until(
        blank,
        "velvetSeam.strip.films.tiles.size >= 1 && [...velvetSeam.strip.films.tiles.values()].every(Boolean)",
    )
    blank.wait_for_timeout(400)
    plain = [film(blank, layer, part) for part in (0.02, 0.5)]
    assert np.abs(plain[0] - plain[1]).max() > 30  # or nothing could be told from it
    blank.evaluate(f"velvetSeam.bench.edit({{ do: 'reverse', target: '{layer}' }}).then(() => 0)")
    until(blank, f"{LAYER}.time.speed === -100")
    turned = [film(blank, layer, part) for part in (0.98, 0.5)]
    for one, other in zip(plain, turned, strict=True):
        assert np.abs(one - other).max() < 14


def test_a_clip_slows_into_a_cut_and_out_of_it(blank: Page):
    layer = add_layer(blank, "moth-on-card")
    blank.click(".card")
    blank.select_option("#field-ramp", "both")
    until(blank, f"{LAYER}.time.speed.keys?.length === 4")
    keys = state(blank, "shot.layers[0].time.speed.keys")
    last = state(blank, "shot.layers[0].span.last")
    assert [key["frame"] for key in keys] == [0, 25, last - 25, last]
    assert [key["value"] for key in keys] == [25, 100, 100, 25]
    blank.select_option("#field-ramp", "middle")
    until(blank, f"{LAYER}.time.speed.keys?.length === 3")
    keys = state(blank, "shot.layers[0].time.speed.keys")
    assert [(key["frame"] - (last + 1) // 2, key["value"]) for key in keys] == [
        (-25, 100), (0, 25), (25, 100)
    ]  # fmt: skip
    blank.click("#undo")
    until(blank, f"{LAYER}.time.speed.keys?.length === 4")
    blank.select_option("#field-ramp", "none")
    until(blank, f"{LAYER}.time.speed === 100")
    blank.select_option("#field-ramp", "cut")
    expect(blank.locator("#say")).to_contain_text("No other clip begins where this one ends")
    go(blank, 60)
    blank.keyboard.press("y")
    until(blank, "velvetSeam.bench.shot.layers.length === 2")
    blank.click(f"#card-{layer}")
    blank.select_option("#field-ramp", "cut")
    until(blank, f"Boolean({LAYER}.time.speed.keys)")
    before, after = state(blank, "shot.layers.map((one) => one.time.speed.keys)")
    assert [(key["frame"], key["value"]) for key in before] == [(34, 100), (59, 25)]
    assert [(key["frame"], key["value"]) for key in after] == [(0, 25), (25, 100)]
    blank.click("#undo")  # both at once
    until(blank, "velvetSeam.bench.shot.layers.every((one) => one.time.speed === 100)")


def test_a_sound_is_heard_alone_or_silenced_from_its_card(bench: Page):
    bench.evaluate("velvetSeam.bench.choose('shot:').then(() => 0)")
    expect(bench.locator("#panel h2")).to_have_text("Shot")
    card = bench.locator("#card-t-waltz")
    card.hover()
    name, tools = (card.locator(one).bounding_box() for one in (".card-note", ".card-tools"))
    assert name["x"] + bench.evaluate(NOTE) <= tools["x"]  # the times beside can be read
    only = card.locator("[data-do=hear-alone]")
    only.click()
    expect(only).to_have_attribute("aria-pressed", "true")
    only.click()
    expect(only).to_have_attribute("aria-pressed", "false")
    card.locator("[data-do=mute]").click()
    until(bench, "velvetSeam.bench.shot.sounds[0].on === false")
    expect(card).to_contain_text("silent")
    bench.evaluate("velvetSeam.bench.heard.add('t-waltz')")
    bench.evaluate("velvetSeam.bench.edit({ do: 'remove-sound', sound: 't-waltz' }).then(() => 0)")
    until(bench, "velvetSeam.bench.heard.size === 0")  # what is gone is not listened for


NOTE = """() => {
    const range = document.createRange();
    range.selectNodeContents(document.querySelector('#card-t-waltz .card-note'));
    return range.getBoundingClientRect().width;
}"""


def test_play_shows_a_picture_at_the_refresh_nearest_to_its_time(bench: Page):
    shown = """(heard) => {
        const { player } = velvetSeam, blank = new OffscreenCanvas(54, 96);
        blank.getContext('2d').fillRect(0, 0, 54, 96);
        const { heard: own, pump } = player;
        Object.assign(player, { run: 'test', loop: true, frames: new Map([[5, blank.transferToImageBitmap()]]),
                                log: [], refresh: 16, refreshed: undefined, heard: () => heard, pump: () => {}, listen: () => {} });
        player.tick('test', 1000);
        const seen = player.log.map((one) => one.count);
        for (const bitmap of player.frames.values()) bitmap.close();
        Object.assign(player, { run: null, frames: new Map(), heard: own, pump });
        delete player.listen;
        return seen;
    }"""
    # 25 frames a second: half a refresh of 16 ms is a fifth of a frame
    assert bench.evaluate(shown, 4.7) == []
    assert bench.evaluate(shown, 4.9) == [5]
    assert bench.evaluate(shown, 5.4) == [5]


def test_a_sound_is_heard_alone_while_working(bench: Page):
    bench.evaluate("velvetSeam.bench.choose('sound:t-waltz').then(() => 0)")
    expect(bench.locator("#panel h2")).to_have_text("Sound")
    bench.keyboard.press("s")
    expect(bench.locator("#panel [data-do=hear-alone]")).to_have_attribute("aria-pressed", "true")
    with bench.expect_request("**/sound.wav?only=t-waltz"):
        bench.keyboard.press(" ")
    until(bench, "velvetSeam.player.log.length > 2", seconds=15)
    bench.keyboard.press(" ")
    samples = """async (only) => {
        const answer = await fetch(`${location.pathname}/sound.wav?only=${only}`);
        const samples = new Int16Array((await answer.arrayBuffer()).slice(44));
        return samples.reduce((most, one) => Math.max(most, Math.abs(one)), 0);
    }"""
    assert bench.evaluate(samples, "t-waltz") > 1000
    assert bench.evaluate(samples, "l-moth") == 0  # it has no sound
    bench.click("#panel [data-do=hear-alone]")
    assert bench.evaluate("velvetSeam.bench.heard.size") == 0
    assert state(bench, "state.undo") in (None, "")  # nothing of it is in the shot


def test_ten_minutes_fit_the_strip_and_are_walked_to_their_end(blank: Page):
    add_layer(blank, "moth-on-card")
    blank.evaluate(
        "velvetSeam.bench.edit({ do: 'set-values', target: null, values: { length: 15000 } }).then(() => 0)"
    )
    until(blank, "velvetSeam.bench.shot.length === 15000")
    assert blank.locator("#lanes .tick").count() < 20
    expect(blank.locator("#frame-note")).to_contain_text("14850 uncovered")
    blank.keyboard.press("End")
    until(blank, "velvetSeam.bench.frame === 14999")
    blank.keyboard.press("z")
    expect(blank.locator("#frame-note")).to_contain_text("frame 14999 of 15000")
    assert blank.evaluate("velvetSeam.strip.scale") == 24
    assert blank.locator("#lanes .tick").count() < 40
    # a bar past the end is drawn to the end, and can be taken hold of there
    blank.evaluate(
        f"velvetSeam.bench.edit({{ do: 'trim', target: {LAYER}.id, edge: 'last', to: 20000 }}).then(() => 0)"
    )
    until(blank, f"{LAYER}.span.last === 20000")
    blank.keyboard.press("z")
    bar = box_of(blank, "#lanes [data-grab=bar]")
    strip = box_of(blank, "#lanes")
    assert bar["x"] + bar["width"] <= strip["x"] + strip["width"]
