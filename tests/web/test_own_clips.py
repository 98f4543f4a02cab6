"""Clips put in, moved, trimmed, slowed and replaced by hand: what stays, what follows, and what is said."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from tests.web.test_seam_page import add_layer, blank, chip, settled, type_tape
from tests.web.test_whole_job import box_of, clean, drag, on_picture, saved, state, until

pytestmark = pytest.mark.browser

__all__ = ["blank", "clean"]

LAYER = "velvetSeam.bench.shot.layers[0]"


def fill_in(page: Page, field: str, value: str) -> None:
    page.fill(field, value)
    page.keyboard.press("Enter")
    saved(page)


def test_a_shot_is_as_long_as_what_is_put_in_until_a_length_is_set(blank: Page):
    clip = add_layer(blank, "tonight-card")  # 3 seconds
    assert state(blank, "shot.length") == 75
    blank.evaluate("velvetSeam.bench.go(20)")
    add_layer(blank, "paper-sea")  # 6 seconds, from the playhead on
    assert state(blank, "shot.layers[1].span") == {"first": 20, "last": 169}
    assert state(blank, "shot.length") == 170
    blank.evaluate("velvetSeam.bench.set(null, { length: 100 })")
    until(blank, "velvetSeam.bench.shot.length === 100")
    blank.evaluate("velvetSeam.bench.go(0)")
    add_layer(blank, "fox-left")
    assert state(blank, "shot.length") == 100  # it was set
    assert state(blank, "shot.layers[0].id") == clip


def test_first_and_last_trim_and_starts_at_moves(blank: Page):
    clip = add_layer(blank, "tonight-card")
    blank.evaluate("velvetSeam.bench.set(null, { length: 200 })")
    blank.click(f"#card-{clip}")
    fill_in(blank, "#field-first", "10")
    until(blank, f"{LAYER}.span.first === 10")
    assert state(blank, "shot.layers[0].span.last") == 74
    begins = state(blank, "shot.layers[0].time.source_in")
    assert begins == "2/5"  # ten frames at 25 a second: what is left shows what it showed
    fill_in(blank, "#field-start", "40")
    until(blank, f"{LAYER}.span.first === 40")
    assert state(blank, "shot.layers[0].span.last") == 104
    assert state(blank, "shot.layers[0].time.source_in") == begins  # moved as a whole
    fill_in(blank, "#field-last", "20")  # before its first: said, and nothing is changed
    expect(blank.locator("#say")).to_contain_text("cannot lie before its first")
    assert state(blank, "shot.layers[0].span") == {"first": 40, "last": 104}


def test_a_change_of_speed_keeps_the_bar_or_the_stretch(blank: Page):
    clip = add_layer(blank, "tonight-card")
    blank.evaluate("velvetSeam.bench.set(null, { length: 400 })")
    blank.click(f"#card-{clip}")
    until(blank, "!document.getElementById('panel').inert")
    type_tape(blank, "time.speed", 50)
    until(blank, f"{LAYER}.time.speed === 50")
    assert state(blank, "shot.layers[0].span.last") == 74  # the bar, half of the clip in it
    blank.keyboard.press("Control+z")
    until(blank, f"{LAYER}.time.speed === 100")
    blank.select_option("#field-keep", "stretch")
    type_tape(blank, "time.speed", 50)
    until(blank, f"{LAYER}.time.speed === 50")
    assert state(blank, "shot.layers[0].span.last") == 149  # all of the clip, twice as long


def test_another_clip_takes_its_name_and_says_where_it_is_over(blank: Page):
    clip = add_layer(blank, "paper-sea")  # 6 seconds
    blank.click(f"#card-{clip}")
    assert state(blank, "shot.layers[0].name") == "paper-sea"
    blank.locator("#panel [data-do=replace]").click()
    blank.locator("#shelf .shelf-item", has_text="tonight-card").first.click()
    until(blank, f"{LAYER}.name === 'tonight-card'")
    expect(blank.locator("#say")).to_contain_text("is shorter than the bar")
    expect(blank.locator("#clip-over")).to_contain_text("From 3s 00f on the clip is over")
    assert state(blank, "shot.layers[0].span.last") == 149  # the bar stays
    # a name of one's own stays
    fill_in(blank, "#field-name", "My letters")
    until(blank, f"{LAYER}.name === 'My letters'")
    blank.locator("#panel [data-do=replace]").click()
    blank.locator("#shelf .shelf-item", has_text="paper-sea").first.click()
    saved(blank)
    expect(blank.locator("#clip-over")).to_have_count(0)
    assert state(blank, "shot.layers[0].name") == "My letters"


def test_a_mask_is_placed_by_the_keyboard_alone(blank: Page):
    clip = add_layer(blank, "paper-sea")
    blank.click(f"#seam-{clip}")
    chip(blank, "masks", "Oval")
    drag(blank, on_picture(blank, 300, 400), on_picture(blank, 700, 900))
    until(blank, f"{LAYER}.seam.masks.length === 1")
    settled(blank)
    mask = state(blank, "shot.layers[0].seam.masks[0].id")
    field = blank.locator(f"[id='number-seam-masks-{mask}-x']")
    field.fill("-120")
    field.press("Enter")
    until(blank, f"{LAYER}.seam.masks[0].x === -120")
    scale = blank.locator(f"[id='tape-seam-masks-{mask}-y']")
    scale.focus()
    before = state(blank, "shot.layers[0].seam.masks[0].y")
    scale.press("ArrowUp")
    scale.press("ArrowUp")
    until(blank, f"{LAYER}.seam.masks[0].y !== {before}")
    saved(blank)
    assert state(blank, "shot.layers[0].seam.masks[0].y") == pytest.approx(
        before + 2, abs=0.5
    )  # it snaps to whole ones


def test_hints_lie_beside_the_picture_and_nothing_is_selected(blank: Page):
    clip = add_layer(blank, "paper-sea")
    blank.click(f"#seam-{clip}")
    chip(blank, "masks", "Box")
    expect(blank.locator("#hint")).to_be_visible()
    expect(blank.locator("#hint")).to_contain_text("Drag a box")
    hint, picture = box_of(blank, "#hint"), box_of(blank, "#picture")
    assert hint["bottom"] <= picture["top"] + 1 or hint["top"] >= picture["bottom"] - 1
    blank.keyboard.press("Escape")
    expect(blank.locator("#hint")).to_be_hidden()
    x, y = on_picture(blank, 500, 900)
    blank.keyboard.down("Shift")
    blank.mouse.click(x, y)
    blank.mouse.click(x + 40, y + 90)
    blank.keyboard.up("Shift")
    assert blank.evaluate("getSelection().toString()") == ""


def test_frames_that_are_ready_are_a_solid_thread_and_nothing_is_green(blank: Page):
    """Keep and garbage are gold and ink with a running stitch; no colour code is green."""
    clip = add_layer(blank, "paper-sea")
    blank.click(f"#seam-{clip}")
    chip(blank, "masks", "Box")
    drag(blank, on_picture(blank, 300, 400), on_picture(blank, 700, 900))
    until(blank, f"{LAYER}.seam.masks.length === 1")
    for use in ("garbage", "keep"):
        blank.locator(f"#seam-masks button[data-to={use}]").click()
        until(blank, f"{LAYER}.seam.masks[0].use === '{use}'")
        settled(blank)
        strokes = blank.evaluate(
            """() => [...document.querySelectorAll('#handles path, #handles line, #handles polyline, #handles polygon')]
              .map((one) => getComputedStyle(one)).filter((style) => style.stroke.startsWith('rgb'))
              .map((style) => [style.stroke.match(/[0-9.]+/g).map(Number), style.strokeDasharray])"""
        )
        assert strokes
        for (red, green, blue, *_), _dash in strokes:
            assert not (green > red + 40 and green > blue + 40), (use, red, green, blue)
        assert any(dash not in ("none", "") for _, dash in strokes), use
