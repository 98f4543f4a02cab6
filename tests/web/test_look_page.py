"""Looks, adjustment layers, instruments and what lies around a layer, in Chromium, by mouse and keys."""

from __future__ import annotations

import re

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.web.test_bench_page import bench, pixel
from tests.web.test_whole_job import box_of, clean, state, until
from velvet_seam.core.sources import GENERATED
from velvet_seam.core.words import kind_of

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
    at = state(bench, "layer.look.parts[1].masks[0].x")
    bench.keyboard.press("Control+ArrowRight")
    until(bench, f"velvetSeam.bench.layer.look.parts[1].masks[0].x > {at}")
    for _ in range(6):
        bench.evaluate("velvetSeam.bench.send('undo')")
    until(bench, "velvetSeam.bench.layer.look.parts.length === 0")


def test_a_curve_is_drawn_by_hand_and_by_keys(bench: Page):
    look_of(bench, "l-sea")
    bench.click("[data-do='add-look-part'][data-kind='curves']")
    until(bench, "velvetSeam.bench.layer.look.parts.length === 1")
    painted(bench)
    before = pixel(bench, 540, 1500)
    field = bench.locator(".curve-field")
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
    assert state(bench, "layer.crop.radius") == 60
    bench.click("[data-do='uncrop']")
    until(
        bench, "velvetSeam.bench.layer.crop.top === 0 && velvetSeam.bench.layer.crop.radius === 0"
    )
    bench.click("[data-do='copy-to'][data-part='around']")
    bench.check("#copy-list input[value='l-moon']")
    bench.click("#copy-go")
    until(bench, "velvetSeam.bench.thing('l-moon').around.border.on")


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


def test_a_stroke_is_drawn_with_the_mouse_and_undone(bench: Page):
    bench.click("#add-layer")
    bench.click("[data-add-generated='paint']")
    until(bench, "velvetSeam.bench.layer.source?.kind === 'paint'")
    painted(bench)
    bench.fill("#brush-colour", "#00ff00")
    bench.evaluate("document.getElementById('brush-width').value = 90")
    bench.click("[data-do='brush']")
    expect(bench.locator("#brush")).to_be_visible()
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
