"""Two takes lined up on the bench, by mouse and keys: the demo's foxes, between which the camera was nudged."""

from __future__ import annotations

import re
from fractions import Fraction

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.web.test_look_jobs import length
from tests.web.test_seam_page import add_layer, blank, picture, settled
from tests.web.test_whole_job import clean, saved, state, until
from velvet_seam.demo import talk
from velvet_seam.demo.fox import KNOCK, KNOCKED, NUDGE, STOPS

pytestmark = pytest.mark.browser

__all__ = ["blank", "clean"]


def off_by(page: Page) -> float:
    words = page.locator("#line-off").inner_text()
    return float(words.split()[0])


@pytest.fixture
def takes(blank: Page) -> Page:
    length(blank, 40)
    add_layer(blank, "fox-left")
    right = add_layer(blank, "fox-right")
    blank.click(f"#seam-{right}")
    expect(blank.locator("#tab-lineup")).to_contain_text("px")  # said before anything is done
    blank.click("#tab-lineup")
    until(blank, "velvetSeam.bench.way === 'compare'")
    until(blank, "/px/.test(document.getElementById('line-off')?.textContent ?? '')")
    return blank


def test_a_nudged_take_is_put_in_register_and_said_to_be(takes: Page):
    page = takes
    truth = float(np.hypot(*NUDGE["right"]))
    assert off_by(page) == pytest.approx(truth, abs=0.15)
    expect(page.locator("#line-said")).to_contain_text("double")
    page.click("#line-up")
    expect(page.locator("#line-said")).to_contain_text("Nobody will see it")
    place = state(page, "layer.place")
    assert place["x"] == pytest.approx(540 - NUDGE["right"][0], abs=0.1)
    assert place["y"] == pytest.approx(960 - NUDGE["right"][1], abs=0.1)
    assert abs(place["rotation"]) < 0.01
    assert off_by(page) < 0.1
    assert page.locator("#line-off-was").inner_text().startswith(f"{truth:.1f}"[:2])
    # nudged by a tenth of a pixel, three times, however quickly
    for _ in range(3):
        page.locator("[data-do='nudge-tenth'][data-dx='1']").click()
    saved(page)
    until(page, f"Math.abs(velvetSeam.bench.layer.place.x - {place['x']} - 0.3) < 0.001")
    until(page, "Math.abs(parseFloat(document.getElementById('line-off').textContent) - 0.3) < 0.1")
    for _ in range(4):
        page.keyboard.press("Control+z")
    until(page, "velvetSeam.bench.layer.place.x === 540")


def test_takes_are_compared_by_keys_and_seen_as_before_elsewhere(takes: Page):
    page = takes
    half = picture(page)
    page.keyboard.press("7")
    expect(page.locator("[data-compare='difference']")).to_have_text("Difference × 4")
    difference = picture(page, unlike=half)
    assert difference[700:900].mean() > 3  # doubled lines of the boards
    page.keyboard.press("7")
    expect(page.locator("[data-compare='difference']")).to_have_text("Difference × 16")
    assert picture(page, unlike=difference).mean() > 2 * difference.mean()
    page.keyboard.press("9")
    edges = picture(page, unlike=difference)
    amber = (edges[..., 0] > edges[..., 2] + 60).mean()
    blue = (edges[..., 2] > edges[..., 0] + 60).mean()
    assert min(amber, blue) > 0.004
    page.keyboard.press("8")
    shown = [picture(page)]
    for _ in range(12):
        page.wait_for_timeout(200)
        shown.append(picture(page))
    assert len({one.tobytes() for one in shown}) == 2
    page.keyboard.press("j")
    expect(page.locator("#stitch")).to_be_visible()
    expect(page.locator("#stitch span").first).to_have_text("this layer")
    page.locator("#stitch").press("ArrowLeft")
    page.click("#tab-seam")  # who goes elsewhere sees what was seen before
    until(page, "velvetSeam.bench.way === 'joined'")
    expect(page.locator("#comparing")).to_be_hidden()
    expect(page.locator("#stitch")).to_be_hidden()
    settled(page)


def test_light_is_matched_over_time_and_undone(takes: Page):
    """The second take is a third of a stop brighter and warmer; candles flicker in both."""
    page = takes
    page.click("#line-up")
    expect(page.locator("#line-said")).to_contain_text("Nobody will see it")
    page.locator("[data-do='match']:not([data-lend])").click()
    expect(page.locator("#match-said")).to_contain_text("darker, cooler")
    assert state(page, "layer.look.parts.length") == 1
    words = page.locator("#match-said").inner_text()
    before, after = (float(one) for one in re.findall(r"ΔE ([\d.]+) → ([\d.]+)", words)[0])
    assert before > 2
    assert after < 1
    assert float(words.split()[0]) == pytest.approx(STOPS["right"], abs=0.12)
    page.click("[data-do='drift']")
    until(page, "velvetSeam.bench.layer.look.parts[0].slope_red.keys?.length > 30", 120)
    assert state(page, "layer.look.parts.length") == 1  # in the place of the one before
    page.locator("[data-do='match'][data-lend]").click()
    until(page, "velvetSeam.bench.layer.look.parts[0].strength === 60")
    expect(page.locator("#match-said")).to_contain_text("at 60 %")
    for _ in range(3):
        page.keyboard.press("Control+z")
    until(page, "velvetSeam.bench.layer.look.parts.length === 0")


def test_what_cannot_be_lined_up_says_why_and_changes_nothing(blank: Page):
    page = blank
    add_layer(page, "paper-sea")
    embers = add_layer(page, "embers")
    page.click(f"#seam-{embers}")
    page.click("#tab-lineup")
    expect(page.locator("#line-said")).to_contain_text(re.compile("nothing in common|too little"))
    expect(page.locator("#line-up")).to_be_disabled()
    expect(page.locator("#tab-lineup")).to_have_text("Line up")
    page.click("#time-measure")
    expect(page.locator("#time-said")).to_contain_text("no sound")
    page.click("[data-line-by='picture']")
    page.click("#time-measure")
    expect(page.locator("#time-said")).not_to_contain_text("Comparing")
    # by hand: the same moment in each
    page.click("[data-line-by='hand']")
    page.evaluate("velvetSeam.bench.go(12)")
    page.click("[data-do='moment'][data-of='this']")
    page.evaluate("velvetSeam.bench.go(20)")
    page.click("[data-do='moment'][data-of='other']")
    until(page, "velvetSeam.bench.layer.span.first === 8")
    page.click("[data-do='frame-later'][data-by='-1']")
    until(page, "velvetSeam.bench.layer.span.first === 7")


def test_a_layer_alone_has_nothing_to_line_up_with(blank: Page):
    page = blank
    only = add_layer(page, "fox-left")
    page.click(f"#seam-{only}")
    page.click("#tab-lineup")
    expect(page.locator("#panel")).to_contain_text("no other layer")


def test_work_that_goes_on_is_told_of_when_its_shot_is_opened(blank: Page):
    told = {"state": "working", "part": 0.4, "sentence": "", "stamp": 0}
    blank.route("**/working", lambda one: one.fulfill(json=["plate"]))
    blank.route("**/working/plate", lambda one: one.fulfill(json=told))
    blank.reload()
    expect(blank.locator("#say")).to_contain_text("Making the plate, 40 %")
    told["state"] = "cancelled"
    expect(blank.locator("#say")).to_contain_text("Stopped; nothing was changed.")


def test_two_cameras_are_put_in_time_by_one_press(blank: Page):
    """The fox's camera stays, the hare's is moved by what both heard: to a frame by its bar, the rest by its clip."""
    page = blank
    first = add_layer(page, "fox-and-hare-talk-a")
    add_layer(page, "fox-and-hare-talk-b")
    page.click(f"#seam-{first}")
    page.click("#tab-lineup")
    page.click("#time-all")
    until(page, "velvetSeam.bench.shot.layers[1].span.first === 18", 60)
    source = Fraction(state(page, "shot.layers[1].time.source_in"))
    begins = 18 / 25 - float(source)
    assert begins == pytest.approx(talk.LATER, abs=0.001)
    expect(page.locator("#say")).to_contain_text("In time with")
    # its plate, with the hare gone; nothing of it is unsure but the fox, who never leaves
    page.click(f"#seam-{state(page, 'shot.layers[1].id')}")
    page.click("#tab-lineup")
    page.locator("[data-do='plate']").first.click()
    expect(page.locator(".plate-made img")).to_be_visible(timeout=180_000)
    expect(page.locator(".plate-made")).to_contain_text("unsure")
    page.click("#add-layer")  # it is there to be laid below at once, and what was chosen stays
    page.click("[data-of='yours']")
    page.keyboard.press("Escape")
    page.click("#add-layer")
    plate = page.locator("#shelf .shelf-item", has_text="clean plate")
    expect(plate).to_be_visible()
    expect(page.locator("[data-of='yours']")).to_have_attribute("aria-pressed", "true")
    theirs = page.locator("#shelf .shelf-item[data-whose='shelf']", has_text="moth-on-card")
    expect(theirs).to_be_hidden()
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Lay it below").click()
    until(page, "velvetSeam.bench.shot.layers.length === 3")
    below, take = state(page, "shot.layers.slice(1)")
    assert below["name"] == "fox-and-hare-talk-b, clean plate"
    assert (below["place"], below["span"]) == (take["place"], take["span"])
    assert state(page, "layer.id") == take["id"]  # who is masked next
    page.keyboard.press("Control+z")
    until(page, "velvetSeam.bench.shot.layers.length === 2")
    page.keyboard.press("Control+z")
    until(page, "velvetSeam.bench.shot.layers[1].span.first === 0")


def test_a_take_alone_in_its_shot_is_locked_off_from_the_find_box(blank: Page):
    """Half way somebody knocked against the camera: from there on the layer lies that much the other way."""
    page = blank
    add_layer(page, "fox-knocked")
    page.keyboard.press("/")
    page.keyboard.type("shaky")
    page.keyboard.press("Enter")
    until(page, "Boolean(velvetSeam.bench.shot.layers[0].place.x.keys)", 120)
    place = state(page, "shot.layers[0].place")
    for name, rest, went in (("x", 540, KNOCK[0]), ("y", 960, KNOCK[1])):
        at = {key["frame"]: key["value"] for key in place[name]["keys"]}
        assert at[KNOCKED - 1] == pytest.approx(rest, abs=0.2)
        assert at[KNOCKED] == pytest.approx(rest - went, abs=0.2)
        assert at[99] == pytest.approx(rest - went, abs=0.2)
    expect(page.locator("#lineup")).to_contain_text("no other layer")
    page.keyboard.press("Control+z")
    until(page, "velvetSeam.bench.shot.layers[0].place.x === 540")
