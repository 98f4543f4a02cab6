"""Things that move, done with the mouse and the keys, and the pixels that come of it."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.web.test_bench_page import bench
from tests.web.test_seam_page import add_layer, at, blank, chip, picture, type_tape
from tests.web.test_whole_job import box_of, clean, copy_to, drag, on_picture, saved, state, until

pytestmark = pytest.mark.browser

__all__ = ["bench", "blank", "clean"]

LAYER = "velvetSeam.bench.shot.layers[0]"


def go(page: Page, frame: int) -> None:
    page.evaluate(f"velvetSeam.bench.go({frame})")


def frames(page: Page, path: str) -> list[int]:
    return [key["frame"] for key in state(page, f"shot.layers[0].{path}.keys")]


def square(page: Page) -> str:
    """A white square of 200 px in the middle of a black shot."""
    page.evaluate(
        "velvetSeam.bench.send('layers', { colour: '#ffffff', frame: 0 }).then(() => null)"
    )
    until(page, "velvetSeam.bench.shot.layers.length === 1")
    layer = state(page, "shot.layers[0].id")
    mask = {"kind": "box", "id": "m-box", "width": 200, "height": 200}
    page.evaluate(
        "(edit) => velvetSeam.bench.edit(edit).then(() => null)",
        {"do": "add-mask", "layer": layer, "mask": mask},
    )
    until(page, f"{LAYER}.seam.masks.length === 1")
    return layer


def middle(shown: np.ndarray) -> tuple[float, float]:
    """Where the white of a picture lies on the canvas."""
    down, across = np.nonzero(shown.min(2) > 128)
    return 2 * float(across.mean()) + 1, 2 * float(down.mean()) + 1


def test_a_place_is_keyed_moved_on_the_picture_and_seen_in_between(blank: Page):
    square(blank)
    blank.click(".card")
    blank.keyboard.press("k")
    until(blank, f"Boolean({LAYER}.place.x.keys)")
    expect(blank.locator("#knot-place-x")).to_have_attribute("aria-pressed", "true")
    go(blank, 40)
    expect(blank.locator("#knot-place-x")).to_have_attribute("aria-pressed", "false")
    drag(blank, on_picture(blank, 540, 960), on_picture(blank, 840, 1260))
    until(blank, f"{LAYER}.place.x.keys?.length === 2")
    assert frames(blank, "place.x") == [0, 40]
    assert frames(blank, "place.scale") == [0]
    assert middle(picture(blank)) == pytest.approx((840, 1260), abs=6)
    go(blank, 10)  # smooth: 3t² − 2t³ of a quarter is 10/64
    assert middle(picture(blank)) == pytest.approx(
        (540 + 300 * 10 / 64, 960 + 300 * 10 / 64), abs=5
    )
    # the knot on the path is dragged from wherever the playhead is
    blank.wait_for_timeout(100)
    knot = box_of(blank, "#handles [data-grab=motion-key][data-frame='40']")
    spot = (knot["x"] + knot["width"] / 2, knot["y"] + knot["height"] / 2)
    drag(blank, spot, on_picture(blank, 240, 1260))
    until(blank, f"{LAYER}.place.x.keys[1].value < 260")
    assert frames(blank, "place.x") == [0, 40]
    # nudged by keys: a keyframe of its own; and all of it shifted
    go(blank, 20)
    blank.keyboard.press("Control+ArrowUp")
    until(blank, f"{LAYER}.place.y.keys.length === 3")
    blank.click("#auto-key")
    before = state(blank, "shot.layers[0].place.y.keys")
    blank.keyboard.press("Control+Shift+ArrowDown")
    until(blank, f"Math.abs({LAYER}.place.y.keys[0].value - {before[0]['value'] + 10}) < .01")
    after = state(blank, "shot.layers[0].place.y.keys")
    assert [b["value"] - a["value"] for a, b in zip(before, after, strict=True)] == [
        pytest.approx(10)
    ] * 3
    blank.keyboard.press("[")
    expect(blank.locator("#clock")).to_have_text("0s 00f")
    blank.keyboard.press("]")
    blank.keyboard.press("]")
    expect(blank.locator("#clock")).to_have_text("1s 15f")


def test_keyframes_in_lanes_are_dragged_eased_copied_and_removed(blank: Page):
    layer = square(blank)
    blank.click(f"#seam-{layer}")
    blank.locator(".tape[data-path='seam.opacity']").hover()
    blank.click("#knot-seam-opacity")
    until(blank, f"Boolean({LAYER}.seam.opacity.keys)")
    go(blank, 50)
    type_tape(blank, "seam.opacity", 0)
    assert frames(blank, "seam.opacity") == [0, 50]
    go(blank, 25)
    assert at(picture(blank), 540, 960)[0] == pytest.approx(128, abs=3)

    blank.locator("body").press("v")
    lane = "#value-lanes .lane-knot[data-frame='50']"

    def spot(selector: str) -> tuple[float, float]:
        box = box_of(blank, selector)
        return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2

    strip = blank.evaluate("velvetSeam.strip.scale")
    x, y = spot(lane)
    drag(blank, (x, y), (x + 20 * strip, y))
    until(blank, f"{LAYER}.seam.opacity.keys[1].frame === 70")
    blank.select_option("#ease", "hold")  # of the last one: nothing comes after it
    x, y = spot("#value-lanes .lane-knot[data-frame='0']")
    blank.mouse.click(x, y)
    blank.select_option("#ease", "hold")
    until(blank, f"{LAYER}.seam.opacity.keys[0].ease === 'hold'")
    shown = picture(blank)
    assert at(shown, 540, 960)[0] == 255
    blank.select_option("#ease", "linear")
    until(blank, f"{LAYER}.seam.opacity.keys[0].ease === 'linear'")
    # a handle of the curve: the value leaves slower, and never overshoots without being asked
    blank.locator("#value-lanes .lane-name.opens").click()
    x, y = spot("#value-lanes .curve-handle[data-which='0']")
    drag(blank, (x, y), (x + 12 * strip, y - 300))
    until(blank, f"Array.isArray({LAYER}.seam.opacity.keys[0].ease)")
    ease = state(blank, "shot.layers[0].seam.opacity.keys[0].ease")
    assert ease[1] == 0
    assert ease[0] == pytest.approx(1 / 3 + 12 / 70, abs=0.03)
    blank.keyboard.down("Shift")
    x, y = spot("#value-lanes .curve-handle[data-which='0']")
    drag(blank, (x, y), (x, y - 60))
    blank.keyboard.up("Shift")
    until(blank, f"{LAYER}.seam.opacity.keys[0].ease[1] < -0.1")
    # copied to the playhead, nudged, and taken away
    blank.keyboard.press("Control+c")
    go(blank, 100)
    blank.keyboard.press("Control+v")
    until(blank, f"{LAYER}.seam.opacity.keys.length === 3")
    assert frames(blank, "seam.opacity") == [0, 70, 100]
    x, y = spot("#value-lanes .lane-knot[data-key='seam.opacity'][data-frame='100']")
    blank.mouse.click(x, y)
    blank.keyboard.press(">")
    until(blank, f"{LAYER}.seam.opacity.keys[2].frame === 101")
    blank.keyboard.press("Delete")
    until(blank, f"{LAYER}.seam.opacity.keys.length === 2")
    blank.click("#undo")
    until(blank, f"{LAYER}.seam.opacity.keys.length === 3")


def test_an_outline_is_carried_frame_by_frame(blank: Page):
    blank.evaluate(
        "velvetSeam.bench.send('layers', { colour: '#ffffff', frame: 0 }).then(() => null)"
    )
    until(blank, "velvetSeam.bench.shot.layers.length === 1")
    layer = state(blank, "shot.layers[0].id")
    blank.click(f"#seam-{layer}")
    chip(blank, "masks", "Drawn")
    for x, y in ((300, 600), (700, 600), (700, 1200), (300, 1200)):
        blank.mouse.click(*on_picture(blank, x, y))
        blank.wait_for_timeout(420)
    blank.keyboard.press("Enter")
    until(blank, f"{LAYER}.seam.masks.length === 1")
    expect(blank.locator("#hint")).to_be_hidden()
    blank.keyboard.press("k")
    until(blank, f"Boolean({LAYER}.seam.masks[0].outline.keys)")
    for step in range(1, 4):  # step, pull the right side in, step
        blank.keyboard.press("ArrowRight")
        for n, y in ((1, 600), (2, 1200)):
            drag(
                blank,
                on_picture(blank, 700 - 100 * (step - 1), y),
                on_picture(blank, 700 - 100 * step, y),
            )
            saved(blank)
            until(blank, f"velvetSeam.handles.masks.taken === {n}")
    outline = f"{LAYER}.seam.masks[0].outline"
    assert state(blank, "shot.layers[0].seam.masks[0].outline.keys.map((k) => k.frame)") == [
        0,
        1,
        2,
        3,
    ]
    expect(blank.locator("#handles .mask-beside.before")).to_have_count(1)
    # one more point, in all keyframes; the picture stays
    before = picture(blank)
    blank.mouse.dblclick(*on_picture(blank, 350, 600))
    until(blank, f"{outline}.keys[0].value.length === 5")
    after = picture(blank)
    assert np.abs(after - before).max() <= 2
    for frame, right in ((3, 400), (2, 500), (0, 700)):
        go(blank, frame)
        shown = picture(blank)
        row = np.nonzero(shown[450].min(1) > 128)[0]
        assert 2 * row.max() == pytest.approx(right, abs=8)


def test_a_clip_runs_backwards_freezes_and_slips(blank: Page):
    layer = add_layer(blank, "moth-on-card")
    blank.click(".card")
    go(blank, 100)
    late = picture(blank)
    blank.get_by_role("button", name="Turn round").click()
    until(blank, f"{LAYER}.time.speed === -100")
    go(blank, 49)
    assert np.abs(picture(blank) - late).mean() < 1  # 149 − 49: the very frame it was
    blank.click("#undo")
    until(blank, f"{LAYER}.time.speed === 100")

    go(blank, 60)
    held = picture(blank)
    blank.fill("#freeze-frames", "10")
    blank.get_by_role("button", name="Freeze here").click()
    until(blank, "velvetSeam.bench.shot.layers.length === 3")
    spans = state(blank, "shot.layers.map((one) => [one.span.first, one.span.last])")
    assert spans == [[0, 59], [60, 69], [70, 159]]
    for frame in (61, 69, 70):
        go(blank, frame)
        assert np.abs(picture(blank) - held).mean() < 1, frame
    # where two bars meet both ends move together, and each frame shows what it showed
    end = box_of(blank, "#lanes .bar-end[data-grab=first]")  # the topmost begins at 70
    x, y = end["x"] + 3, end["y"] + 9
    step = blank.evaluate("velvetSeam.strip.scale")
    blank.keyboard.down("Alt")
    drag(blank, (x, y), (x + 12 * step, y))
    blank.keyboard.up("Alt")
    until(blank, "velvetSeam.bench.shot.layers[2].span.first === 82")
    assert state(blank, "shot.layers[1].span") == {"first": 60, "last": 81}
    blank.click("#undo")
    until(blank, "velvetSeam.bench.shot.layers[2].span.first === 70")
    blank.click("#undo")
    until(blank, "velvetSeam.bench.shot.layers.length === 1")

    blank.click(".card")
    type_tape(blank, "time.speed", 200)
    expect(blank.locator("#clip-over")).to_contain_text("From 3s 00f on the clip is over")
    go(blank, 100)
    blank.keyboard.press("Shift+D")
    until(blank, "velvetSeam.bench.shot.layers.length === 2")
    assert state(blank, "shot.layers[1].span.first") == 100
    go(blank, 120)
    blank.keyboard.press("Shift+Y")
    until(blank, "velvetSeam.bench.shot.layers.length === 4")
    for _ in range(2):
        blank.click("#undo")
    until(blank, "velvetSeam.bench.shot.layers.length === 1")
    blank.click(".card")
    type_tape(blank, "time.speed", 50)
    expect(blank.locator("#clip-over")).to_have_count(0)
    go(blank, 100)
    slow = picture(blank)
    type_tape(blank, "time.speed", 100)
    go(blank, 50)
    assert np.abs(picture(blank) - slow).mean() < 1
    bar = box_of(blank, f"#lanes .bar[data-thing='{layer}']")
    x, y = bar["x"] + bar["width"] / 2, bar["y"] + 9
    wide = blank.evaluate("velvetSeam.strip.scale")
    blank.keyboard.down("Alt")
    drag(blank, (x, y), (x - 10 * wide, y))
    blank.keyboard.up("Alt")
    until(blank, f"{LAYER}.time.source_in === '2/5'")
    assert state(blank, "shot.layers[0].span.first") == 0
    go(blank, 40)
    assert np.abs(picture(blank) - slow).mean() < 1


def test_the_time_strip_is_looked_at_closely(bench: Page):
    bar = box_of(bench, "#lanes .bar[data-thing='l-embers']")
    go(bench, 75)
    bench.keyboard.press("z")
    assert bench.evaluate("velvetSeam.strip.scale") == 24
    head = box_of(bench, "#lanes .head-line")
    field = box_of(bench, "#lanes")
    assert field["x"] + 92 < head["x"] < field["x"] + field["width"]
    go(bench, 0)  # the strip follows the playhead
    head = box_of(bench, "#lanes .head-line")
    assert field["x"] + 90 < head["x"] < field["x"] + field["width"]
    bench.keyboard.press("z")
    assert box_of(bench, "#lanes .bar[data-thing='l-embers']") == bar


def test_marks_are_put_named_snapped_to_and_found_in_a_sound(bench: Page):
    go(bench, 33)
    bench.keyboard.press("m")
    until(bench, "velvetSeam.bench.shot.marks.length === 1")
    pin = box_of(bench, "#lanes .mark circle")
    bench.mouse.click(pin["x"] + 4, pin["y"] + 4)
    name = bench.locator("#mark-name")
    expect(name).to_be_focused()
    name.fill("the moth lands")
    name.press("Enter")
    until(bench, "velvetSeam.bench.shot.marks[0].name === 'the moth lands'")
    # a bar that comes near it lies on it, and says to what
    bar = box_of(bench, "#lanes .bar[data-thing='l-embers']")
    x, y = bar["x"] + 100, bar["y"] + 9
    wide = bench.evaluate("velvetSeam.strip.scale")
    bench.mouse.move(x, y)
    bench.mouse.down()
    for step in range(1, 9):
        bench.mouse.move(x + (9 * wide - 3) * step / 8, y)
    bench.wait_for_timeout(60)
    expect(bench.locator("#lanes .snap-word")).to_have_text("the moth lands")
    bench.mouse.up()
    until(bench, "velvetSeam.bench.shot.layers[3].span.first === 33")
    # found in the waltz: a beat every ten frames
    bench.evaluate("velvetSeam.bench.choose('sound:t-waltz')")
    expect(bench.locator("#panel h2")).to_have_text("Sound")
    bench.select_option("[data-moment]", "mark:beats")
    until(bench, "velvetSeam.bench.shot.marks.length > 10")
    expect(bench.locator("#say")).to_contain_text("beats a minute")
    found = state(bench, "shot.marks.filter((m) => m.name === 'Beat').map((m) => m.frame)")
    assert all(min(frame % 10, 10 - frame % 10) <= 1 for frame in found)
    go(bench, 0)
    bench.keyboard.press("PageDown")
    expect(bench.locator("#clock")).to_have_text("0s 10f")
    bench.keyboard.press("m")
    until(bench, f"velvetSeam.bench.shot.marks.length === {len(found)}")
    # a clip's brightest frame is laid on the mark next to the playhead
    bench.click("#card-l-moth")
    expect(bench.locator("#panel h2")).to_have_text("Layer")
    go(bench, 130)
    bench.select_option("[data-moment]", "lay:brightest")
    until(bench, "velvetSeam.bench.shot.layers[2].span.first > 0")


def test_a_layer_that_is_not_there_yet_or_no_longer_says_when_it_is(bench: Page):
    bench.evaluate(
        "velvetSeam.bench.edit({ do: 'trim', target: 'l-embers', edge: 'last', to: 99 })"
    )
    bench.click("#seam-l-embers")
    label = bench.locator("#label-layer")
    for frame, words in (
        (24, "this layer, from 1s 00f"), (25, "this layer"), (99, "this layer"), (100, "this layer, until 4s 00f"),
    ):  # fmt: skip
        go(bench, frame)
        expect(label).to_have_text(words)


def test_a_layer_comes_goes_and_echoes_by_its_panel(blank: Page):
    square(blank)
    blank.click(".card")
    blank.select_option("#field-arrive", "slide-left")
    until(blank, f"{LAYER}.arrive.way === 'slide-left'")
    type_tape(blank, "arrive.frames", 20)
    until(blank, f"{LAYER}.arrive.frames === 20")
    assert picture(blank).max() < 30  # at its first frame it is not there yet
    go(blank, 10)
    half = middle(picture(blank))
    assert half[0] == pytest.approx(0, abs=60)
    go(blank, 20)
    there = picture(blank)
    assert middle(there) == pytest.approx((540, 960), abs=4)
    blank.locator("[data-part=echo] summary").click()
    type_tape(blank, "echo.count", 4)
    until(blank, f"{LAYER}.echo.count === 4")
    trail = picture(blank, unlike=there)
    assert at(trail, 400, 960)[0] > 30  # where it was three frames ago
    assert at(trail, 700, 960)[0] < 5
    # lengths and counts take keyframes like any other number, and all of it goes to another layer
    blank.click("#knot-arrive-frames")
    until(blank, f"{LAYER}.arrive.frames.keys?.[0].value === 20")
    blank.keyboard.press("d")
    until(blank, "velvetSeam.bench.shot.layers.length === 2")
    other = "velvetSeam.bench.shot.layers[1]"
    blank.evaluate(
        f"velvetSeam.bench.set({other}.id, {{ 'arrive.way': 'cut', 'arrive.frames': 3, 'echo.count': 0 }})"
    )
    until(blank, f"{other}.echo.count === 0")
    blank.evaluate(f"velvetSeam.bench.choose('layer:' + {LAYER}.id)")
    copy_to(blank, "#copy-motion", "copy")
    until(blank, f"{other}.echo.count === 4")
    assert blank.evaluate(f"JSON.stringify({other}.arrive) === JSON.stringify({LAYER}.arrive)")
    for _ in range(4):
        blank.click("#undo")
    until(blank, f"velvetSeam.bench.shot.layers.length === 1 && {LAYER}.arrive.frames === 20")
    go(blank, 20)
    blank.evaluate(f"velvetSeam.bench.choose('layer:' + {LAYER}.id)")
    blank.locator("[data-part=stir] summary").click()
    type_tape(blank, "stir.jitter", 40)
    shaken = picture(blank, unlike=trail)
    go(blank, 60)
    assert np.abs(picture(blank) - shaken).max() > 100


def test_a_frame_is_kept_and_gaps_are_shaded_and_closed(blank: Page):
    first = square(blank)
    blank.evaluate(
        "velvetSeam.bench.send('layers', { colour: '#d8a040', frame: 0 }).then(() => null)"
    )
    until(blank, "velvetSeam.bench.shot.layers.length === 2")
    second = state(blank, "shot.layers[1].id")
    for layer, edge, to in ((first, "last", 39), (second, "first", 60), (second, "last", 99)):
        blank.evaluate(
            "(edit) => velvetSeam.bench.edit(edit).then(() => null)",
            {"do": "trim", "target": layer, "edge": edge, "to": to},
        )
    until(blank, "velvetSeam.strip.bare.frames === 20 + 50")
    expect(blank.locator("#lanes .bare")).to_have_count(2)
    expect(blank.locator("#frame-note")).to_contain_text("70 uncovered")
    go(blank, 0)
    blank.evaluate("velvetSeam.bench.choose('shot:')")
    blank.get_by_role("button", name="Keep this frame").click()
    expect(blank.locator("#say")).to_contain_text("is in your footage now")
    blank.locator(f"#card-{first}").click()
    blank.keyboard.press("Shift+Delete")
    until(blank, "velvetSeam.bench.shot.layers.length === 1")
    assert state(blank, "shot.layers[0].span") == {"first": 20, "last": 59}
    name = blank.evaluate("fetch('/find?q=untitled+still').then((a) => a.text())")
    assert "Untitled shot at 0s 00f" in name


LOUD = """async () => {
    const answer = await fetch(location.pathname + '/sound.wav');
    const samples = new Int16Array((await answer.arrayBuffer()).slice(44));
    const loud = (from, to) => samples.slice(2 * from, 2 * to).reduce((a, b) => Math.max(a, Math.abs(b)), 0);
    return [loud(0, 4800), loud(57600, 62400)];
}"""


def test_a_sounds_fades_are_dragged_and_heard(bench: Page):
    bench.evaluate("velvetSeam.bench.choose('sound:t-waltz')")
    expect(bench.locator("#panel h2")).to_have_text("Sound")
    before = bench.evaluate(LOUD)
    wide = bench.evaluate("velvetSeam.strip.scale")
    knob = box_of(bench, "#lanes .fade-knob[data-side=in]")
    spot = (knob["x"] + knob["width"] / 2, knob["y"] + knob["height"] / 2)
    drag(bench, spot, (spot[0] + 25 * wide, spot[1]))
    until(bench, "velvetSeam.bench.shot.sounds[0].fade_in === 25")
    expect(bench.locator("#lanes path.fade")).to_have_count(1)
    expect(bench.locator("#number-fade_in")).to_have_value("25")
    after = bench.evaluate(LOUD)
    assert after[0] < 0.2 * before[0]  # a tenth of a second into a second's fade
    assert after[1] == before[1]
    bench.click("#undo")
    until(bench, "velvetSeam.bench.shot.sounds[0].fade_in === 0")
