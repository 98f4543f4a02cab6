"""Looks, adjustment layers, instruments and what lies around a layer, in Chromium, by mouse and keys."""

from __future__ import annotations

import re

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.web.test_bench_page import bench, pixel
from tests.web.test_whole_job import box_of, clean, state, until

pytestmark = pytest.mark.browser

__all__ = ["bench", "clean"]

WING = (403, 714)
"""A place on the moth's wing, canvas pixels, at frame 0."""


def painted(page: Page) -> None:
    """The picture is that of the shot as it stands."""
    until(page, "!velvetSeam.bench.saving && !velvetSeam.bench.trial && !velvetSeam.picture.slot.busy && "
          "Number(document.getElementById('picture').dataset.revision) === velvetSeam.bench.state.revision")  # fmt: skip


def sides(page: Page, selector: str) -> tuple[float, float, float, float]:
    box = box_of(page, selector)
    return box["x"], box["y"], box["width"], box["height"]


def look_of(page: Page, layer: str = "l-moth") -> None:
    page.click(f"#card-{layer}")
    page.click("#tab-look")
    expect(page.locator("#look-shelf")).to_be_visible()
    painted(page)


def parts(page: Page, layer: str = "l-moth") -> list[str]:
    return page.evaluate(
        f"velvetSeam.bench.shot.layers.find((one) => one.id === '{layer}').look.parts.map((one) => one.kind)"
    )


def drag(page: Page, selector: str, by: float) -> None:
    x, y, width, height = sides(page, selector)
    page.mouse.move(x + width / 2, y + height / 2)
    page.mouse.down()
    page.mouse.move(x + width / 2 + by, y + height / 2, steps=6)


def test_a_look_is_worn_changed_under_the_hand_and_seen_without(bench: Page):
    look_of(bench)
    before, sea = pixel(bench, *WING), pixel(bench, 540, 1500)
    bench.click("[data-name='Ink']")
    until(bench, "velvetSeam.bench.layer.look.parts.length === 2")
    painted(bench)
    grey = pixel(bench, *WING)
    assert max(grey) - min(grey) < 16  # an evening light lies over it
    assert max(before) - min(before) > 40
    assert pixel(bench, 540, 1500) == sea  # nothing but the layer
    # held, a key shows it without; let go, with
    bench.keyboard.down("e")
    until(
        bench,
        "velvetSeam.bench.bare !== null && velvetSeam.bench.bare !== undefined && !velvetSeam.picture.slot.busy",
    )
    until(bench, "document.getElementById('picture').dataset.trial === 'true'")
    assert np.abs(np.array(pixel(bench, *WING)) - before).max() < 12
    bench.keyboard.up("e")
    painted(bench)
    assert pixel(bench, *WING) == grey
    # a tape under the hand: the picture follows before it is let go
    tape = bench.locator("[data-look-part] .tape-scale[id$='-exposure']").first
    tape.scroll_into_view_if_needed()
    drag(bench, f"#{tape.get_attribute('id')}", -40)
    until(
        bench,
        "document.getElementById('picture').dataset.trial === 'true' && !velvetSeam.picture.slot.busy",
    )
    assert sum(pixel(bench, *WING)) < sum(grey) - 30
    bench.mouse.up()
    until(
        bench,
        "velvetSeam.bench.layer.look.parts.find((one) => one.kind === 'light').exposure < -0.5",
    )
    bench.click("[data-name='As it is']")
    until(bench, "velvetSeam.bench.layer.look.parts.length === 0")


def test_a_look_is_put_together_ordered_switched_and_limited_to_a_shape(bench: Page):
    look_of(bench)
    for kind in ("negative", "posterise"):
        bench.click(f"[data-do='add-look-part'][data-kind='{kind}']")
        until(bench, f"velvetSeam.bench.layer.look.parts.some((one) => one.kind === '{kind}')")
    assert parts(bench) == ["negative", "posterise"]
    bench.click("[data-look-part] [data-do='move-look'][data-by='1']:not([disabled])")
    until(bench, "velvetSeam.bench.layer.look.parts[0].kind === 'posterise'")
    bench.locator("[data-look-part] input[id$='-on']").first.uncheck(force=True)
    until(bench, "velvetSeam.bench.layer.look.parts[0].on === false")
    painted(bench)
    whole = pixel(bench, *WING)
    # the negative acts only inside a box on the other wing
    shut = bench.locator(".look-part:has-text('Negative') .only-inside")
    shut.locator("summary").click()
    shut.locator("[data-kind='box']").click()
    x, y, width, height = sides(bench, "#picture")
    bench.mouse.move(x + width * 0.56, y + height * 0.3)
    bench.mouse.down()
    bench.mouse.move(x + width * 0.9, y + height * 0.45, steps=4)
    bench.mouse.up()
    until(bench, "velvetSeam.bench.layer.look.parts[1].masks.length === 1")
    painted(bench)
    assert pixel(bench, *WING) != whole
    assert bench.locator("#handles .mask-knob").count() > 4  # it is worked on like any mask
    held = state(bench, "layer.look.parts[1].masks[0]")
    bench.click(".part-box.inner summary:has-text('Inside: box')")
    bench.click("[data-do='fix-mask'][data-to='canvas']")
    until(bench, "velvetSeam.bench.layer.look.parts[1].masks[0].fixed === 'canvas'")
    inside = pixel(bench, *WING)
    bench.click("[data-do='fix-mask'][data-to='layer']")  # it lies where it lay
    until(bench, "velvetSeam.bench.layer.look.parts[1].masks[0].fixed === 'layer'")
    assert state(bench, "layer.look.parts[1].masks[0].x") == pytest.approx(held["x"], abs=0.1)
    assert np.abs(np.subtract(pixel(bench, *WING), inside)).max() <= 4
    at = state(bench, "layer.look.parts[1].masks[0].x")
    bench.keyboard.press("Control+ArrowRight")
    until(bench, f"velvetSeam.bench.layer.look.parts[1].masks[0].x > {at}")
    for _ in range(8):
        bench.evaluate("velvetSeam.bench.send('undo')")
    until(bench, "velvetSeam.bench.layer.look.parts.length === 0")


def test_a_curve_is_drawn_by_hand_and_by_keys(bench: Page):
    look_of(bench, "l-sea")
    bench.click("[data-do='add-look-part'][data-kind='curves']")
    until(bench, "velvetSeam.bench.layer.look.parts.length === 1")
    painted(bench)
    before = pixel(bench, 540, 1500)
    field = bench.locator(".curve-field")
    expect(bench.locator(".curve-levels")).to_have_count(1)  # how bright what comes to it is
    field.scroll_into_view_if_needed()
    x, y, width, height = sides(bench, ".curve-field")
    bench.mouse.move(x + width * 0.3, y + height * 0.7)
    bench.mouse.down()
    bench.mouse.move(x + width * 0.3, y + height * 0.45, steps=5)
    bench.mouse.up()
    until(bench, "velvetSeam.bench.layer.look.parts[0].master.length === 3")
    painted(bench)
    assert sum(pixel(bench, 540, 1500)) > sum(before) + 40
    at = state(bench, "layer.look.parts[0].master")[1]
    field.press("ArrowDown")
    until(bench, f"velvetSeam.bench.layer.look.parts[0].master[1][1] < {at[1]}")
    field.press("Delete")
    until(bench, "velvetSeam.bench.layer.look.parts[0].master.length === 2")
    bench.click("[data-curve='red']")
    expect(bench.locator("[data-curve='red']")).to_have_attribute("aria-pressed", "true")
    # it moves: a keyframe here, another curve there, and in between one in between
    knot = bench.locator(".curves .knot-button")
    knot.click()
    until(bench, "velvetSeam.bench.layer.look.parts[0].red.keys?.length === 1")
    expect(knot).to_have_attribute("aria-pressed", "true")
    bench.evaluate("velvetSeam.bench.go(20)")
    expect(knot).to_have_attribute("aria-pressed", "false")
    field.press("PageDown")
    for _ in range(4):
        field.press("Shift+ArrowDown")
    until(bench, "velvetSeam.bench.layer.look.parts[0].red.keys.at(-1).value[1][1] < 0.85")
    bench.evaluate("velvetSeam.bench.go(10)")
    until(
        bench,
        "Math.abs(+document.querySelectorAll('.curve-point')[1].getAttribute('cy') /"
        " document.querySelector('.curve-field').clientHeight - 0.1) < 0.02",
    )


def test_an_adjustment_layer_changes_all_below_it_and_nothing_above(bench: Page):
    bench.click("#card-l-embers")
    painted(bench)
    count = state(bench, "shot.layers.length")
    bench.click("#add-layer")
    bench.click("[data-add-adjustment]")
    until(bench, f"velvetSeam.bench.shot.layers.length === {count + 1}")
    expect(bench.locator("#tab-look")).to_have_attribute("aria-pressed", "true")
    painted(bench)
    before = pixel(bench, 540, 1500)
    bench.click("[data-name='Ink']")
    until(bench, "velvetSeam.bench.layer.look.parts.length === 2")
    painted(bench)
    for place in ((540, 1500), WING, (250, 150)):
        grey = pixel(bench, *place)
        assert max(grey) - min(grey) < 10
    assert max(before) - min(before) > 20
    layer = state(bench, "layer.id")
    bench.evaluate(f"velvetSeam.bench.edit({{do: 'reorder-layer', layer: '{layer}', index: 0}})")
    until(bench, "velvetSeam.bench.shot.layers[0].source.kind === 'adjustment'")
    painted(bench)
    assert (
        np.abs(np.array(pixel(bench, 540, 1500)) - before).max() < 6
    )  # it lies below them all now
    bench.click(f"#seam-{layer}")
    expect(bench.locator("#seam-masks")).to_be_visible()


def test_instruments_follow_and_marks_show_what_is_lost(bench: Page):
    look_of(bench)
    for name in ("histogram", "waveform", "vectorscope"):
        bench.click(f"[data-scope='{name}']")
        until(bench, f"velvetSeam.picture.more.scope && velvetSeam.picture.also.scope === '{name}'")
        until(bench, "document.getElementById('scope').width === 512")
        expect(bench.locator("#scope-said")).to_have_text(
            re.compile(r"[\d.]+ % black · [\d.]+ % white")
        )
    before = bench.evaluate("document.getElementById('scope').toDataURL()")
    bench.click("[data-name='Ink']")
    until(bench, "velvetSeam.bench.layer.look.parts.length === 2")
    until(bench, f"document.getElementById('scope').toDataURL() !== {before!r}")
    bench.check("#scope-layer", force=True)
    until(bench, "velvetSeam.picture.also.scope_layer === true")
    # all of the sea is lost in white, and is marked
    bench.evaluate(
        "velvetSeam.bench.edit({do: 'add-look-part', layer: 'l-sea', part: {kind: 'light', id: 'p-lost', exposure: 20}})"
    )
    painted(bench)
    bench.check("#clip-marks", force=True)
    until(bench, "velvetSeam.picture.also.marks === true && !velvetSeam.picture.slot.busy")
    until(bench, "velvetSeam.picture.more.lost[1] >= 0")
    rows = {pixel(bench, 40 + 2 * n, 1500) for n in range(12)}
    assert any(red > 180 and blue < 90 for red, _, blue in rows), rows
    bench.uncheck("#clip-marks", force=True)
    bench.keyboard.press(" ")  # in play each picture brings its own
    until(bench, "velvetSeam.player.playing && velvetSeam.bench.frame > 4")
    bench.evaluate("velvetSeam.picture.more = null")
    until(bench, "velvetSeam.picture.more?.scope?.length > 100")
    bench.keyboard.press(" ")
    until(bench, "!velvetSeam.player.playing")
    bench.click("[data-scope='vectorscope']")
    expect(bench.locator("#scope")).to_be_hidden()


def test_before_and_after_across_the_picture(bench: Page):
    look_of(bench, "l-sea")
    bench.click("[data-name='Ink']")
    until(bench, "velvetSeam.bench.layer.look.parts.length === 2")
    painted(bench)
    bench.click("[data-do='stitch']")
    expect(bench.locator("#stitch")).to_be_visible()
    until(
        bench,
        "document.getElementById('before').width > 300 && !velvetSeam.picture.stitch.slot.busy",
    )
    seen = bench.evaluate(
        "(() => { const one = document.getElementById('before'); const [r, g, b] = one.getContext('2d').getImageData(one.width / 2, one.height * 0.8, 1, 1).data; return [r, g, b]; })()"
    )
    assert max(seen) - min(seen) > 25  # before: in colour
    bench.locator("#stitch").press("ArrowLeft")
    assert bench.evaluate("velvetSeam.picture.stitch.at") < 0.5
    bench.click("[data-do='stitch']")
    expect(bench.locator("#stitch")).to_be_hidden()


def test_a_look_goes_to_other_layers_is_kept_and_comes_back(bench: Page):
    look_of(bench)
    bench.click("[data-name='Cold hour']")
    until(bench, "velvetSeam.bench.layer.look.parts.length === 3")
    bench.click("[data-do='copy-look']")
    for layer in ("l-sea", "l-moon"):
        bench.check(f"#copy-list input[value='{layer}']")
    bench.click("#copy-go")
    until(
        bench,
        "['l-sea', 'l-moon'].every((id) => velvetSeam.bench.thing(id).look.parts.length === 3)",
    )
    ids = bench.evaluate(
        "velvetSeam.bench.shot.layers.flatMap((one) => one.look.parts.map((part) => part.id))"
    )
    assert len(ids) == len(set(ids)) == 9
    bench.click("[data-do='keep-look']")
    bench.fill("#keep-look-name", "Night at the pier")
    bench.keyboard.press("Enter")
    expect(bench.locator(".chip.kept")).to_contain_text("Night at the pier")
    bench.click("[data-name='As it is']")
    until(bench, "velvetSeam.bench.layer.look.parts.length === 0")
    bench.click(".chip.kept >> text=Night at the pier")
    until(bench, "velvetSeam.bench.layer.look.parts.length === 3")
    bench.click("[data-do='drop-look']")
    expect(bench.locator(".chip.kept")).to_have_count(0)


def test_picture_in_picture_in_five_actions(bench: Page):
    """Smaller, aside, round corners, a border, a shadow: and it grows in."""
    bench.click("#card-l-moth")
    bench.click("#tab-around")
    expect(bench.locator("#number-crop-radius")).to_be_visible()
    for name, value in (("crop-top", "20"), ("crop-bottom", "20"), ("crop-radius", "60")):
        bench.fill(f"#number-{name}", value)
        bench.keyboard.press("Enter")
    bench.check("#field-around-border", force=True)
    until(bench, "velvetSeam.bench.layer.around.border.on")
    expect(
        bench.locator("#number-around-border-width")
    ).to_be_visible()  # what is switched on is opened
    bench.check("#field-around-shadow", force=True)
    until(bench, "velvetSeam.bench.layer.around.shadow.on")
    until(bench, "velvetSeam.bench.layer.crop.radius === 60")
    bench.click("[data-do='uncrop']")
    until(
        bench, "velvetSeam.bench.layer.crop.top === 0 && velvetSeam.bench.layer.crop.radius === 0"
    )
    bench.click("[data-do='copy-to'][data-part='around']")
    bench.check("#copy-list input[value='l-moon']")
    bench.click("#copy-go")
    until(bench, "velvetSeam.bench.thing('l-moon').around.border.on")


def test_an_answer_that_comes_while_one_types_leaves_what_is_typed(bench: Page):
    bench.click("#card-l-moth")
    bench.click("#tab-around")
    number = bench.locator("#number-crop-radius")
    number.fill("6")
    bench.evaluate("velvetSeam.bench.set('l-moth', { 'crop.top': 20 })")
    until(bench, "velvetSeam.bench.layer.crop.top === 20")
    bench.wait_for_timeout(400)
    assert number.input_value() == "6"
    bench.keyboard.type("0")
    bench.keyboard.press("Enter")
    until(bench, "velvetSeam.bench.layer.crop.radius === 60")
    number.fill("7")
    bench.keyboard.press("Escape")
    assert number.input_value() == "60"


def test_another_layer_is_chosen_on_the_same_sheet(bench: Page):
    look_of(bench)
    bench.click("#card-l-sea")
    until(bench, "velvetSeam.bench.chosen === 'look:l-sea'")
    expect(bench.locator("#card-l-sea")).to_have_class(re.compile("chosen"))
    bench.click("#seam-l-sea")
    until(bench, "velvetSeam.bench.chosen === 'seam:l-sea'")
    bench.click("#card-l-moth")
    until(bench, "velvetSeam.bench.chosen === 'layer:l-moth'")


def test_decision_lists_are_read_and_saved_and_a_bad_one_changes_nothing(bench: Page):
    look_of(bench)
    bench.click("[data-do='add-look-part'][data-kind='decision']")
    until(bench, "velvetSeam.bench.layer.look.parts.length === 1")
    sop = "<Slope>1.2 1 0.8</Slope><Offset>0 0.02 0</Offset><Power>1 1 1.1</Power>"
    good = f"<ColorCorrection><SOPNode>{sop}</SOPNode><SatNode><Saturation>0.9</Saturation></SatNode></ColorCorrection>"
    file = {"name": "a.cc", "mimeType": "application/xml", "buffer": good.encode()}
    bench.set_input_files("[data-cdl-file]", file)
    until(bench, "velvetSeam.bench.layer.look.parts[0].slope_red === 1.2")
    with bench.expect_download() as waiting:
        bench.click("text=Save .cdl")
    saved = waiting.value.path().read_text()
    assert "1.200000 1.000000 0.800000" in saved
    assert "urn:ASC:CDL:v1.2" in saved
    evil = '<!DOCTYPE x [<!ENTITY a SYSTEM "file:///etc/passwd">]><ColorCorrection>&a;</ColorCorrection>'
    bench.set_input_files("[data-cdl-file]", {**file, "buffer": evil.encode()})
    expect(bench.locator(".say")).to_contain_text("refused")
    assert state(bench, "layer.look.parts[0].slope_red") == 1.2


def test_a_table_is_brought_in_and_a_bad_one_changes_nothing(bench: Page):
    look_of(bench, "l-sea")
    bench.click("[data-do='add-look-part'][data-kind='lut']")
    until(bench, "velvetSeam.bench.layer.look.parts.length === 1")
    painted(bench)
    before = pixel(bench, 540, 1500)
    rows = "\n".join(f"{b} {g} {r}" for b in (0, 1) for g in (0, 1) for r in (0, 1))
    file = {
        "name": "swapped.cube",
        "mimeType": "text/plain",
        "buffer": f"LUT_3D_SIZE 2\n{rows}".encode(),
    }
    bench.set_input_files("[data-cube-file]", file)
    until(bench, "velvetSeam.bench.layer.look.parts[0].table !== ''")
    painted(bench)
    swapped = pixel(bench, 540, 1500)
    assert (
        np.abs(np.array(swapped)[::-1] - before).max() < 30
    )  # red and blue have changed places, below an evening light
    assert swapped[0] > swapped[2] + 40 > before[0]
    expect(bench.locator(".look-part")).to_contain_text("swapped")
    bench.set_input_files("[data-cube-file]", {**file, "buffer": b"LUT_3D_SIZE 9\n0 0 0"})
    expect(bench.locator(".say").last).to_contain_text("729 rows; there are 1")
    assert pixel(bench, 540, 1500) == swapped
    bench.evaluate(  # dropped on the picture it is a new part
        f"velvetSeam.commands.looks.bring(new File([{file['buffer'].decode()!r}], 'again.cube'))"
    )
    until(bench, "velvetSeam.bench.layer.look.parts.length === 2")
    painted(bench)
    assert np.abs(np.array(pixel(bench, 540, 1500)) - before).max() < 14
