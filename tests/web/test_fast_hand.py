"""A slow server and a fast hand: edits go in order, none is lost, and what is chosen, shown and changed is one."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, Route, expect

from tests.web.test_seam_page import add_layer, blank, chip, type_tape  # noqa: F401
from tests.web.test_whole_job import clean, copy_to, drag, on_picture, state, until  # noqa: F401

pytestmark = pytest.mark.browser

SLOW = 300
"""Milliseconds by which every answer comes later."""


@pytest.fixture
def slow(blank: Page):  # noqa: F811
    """A blank shot whose edits and fragments take their time."""

    def later(route: Route) -> None:
        blank.wait_for_timeout(SLOW)
        route.continue_()

    add_layer(blank, "paper-sea")
    add_layer(blank, "fox-left")
    address = re.compile(r"/shots/[^/]+/(edits|parts|copies|fixed-mask|keys|layers|undo)")
    blank.route(address, later)
    yield blank
    blank.unroute_all(behavior="ignoreErrors")


def settled(page: Page) -> None:
    until(page, "velvetSeam.bench.saving === 0", seconds=20)


def layers(page: Page) -> list[dict]:
    return state(page, "shot.layers")


def test_one_point_after_another_and_none_springs_back(slow: Page):
    """The next point of an outline is taken while the edit of the one before is on its way."""
    slow.click(f"#seam-{layers(slow)[1]['id']}")
    until(slow, "velvetSeam.bench.kind === 'seam' && !document.getElementById('panel').inert", 10)
    chip(slow, "masks", "Drawn")
    for x, y in ((300, 400), (800, 400), (800, 1200), (300, 1200), (300, 400)):
        slow.mouse.click(*on_picture(slow, x, y))
        slow.wait_for_timeout(420)  # else two clicks are a double click
    until(slow, "velvetSeam.bench.shot.layers[1].seam.masks.length === 1", 10)
    settled(slow)
    before = layers(slow)[1]["seam"]["masks"][0]["outline"]
    moved = {0: (120, 150), 1: (940, 260), 2: (900, 1500)}
    for n, to in moved.items():
        x, y = ((300, 400), (800, 400), (800, 1200))[n]
        drag(slow, on_picture(slow, x, y), on_picture(slow, *to))
    settled(slow)
    after = layers(slow)[1]["seam"]["masks"][0]["outline"]
    for n in range(4):
        far = abs(after[n]["x"] - before[n]["x"]) + abs(after[n]["y"] - before[n]["y"])
        assert (far > 100) == (n in moved), n


@pytest.mark.parametrize("also", [False, True])
def test_what_is_set_stays_while_answers_to_what_was_set_before_come(slow: Page, also: bool):
    """Numbers and a box one right after the other, of one layer or of two together: none springs back to what it was,
    not for a moment."""
    slow.click(f"#card-{layers(slow)[1]['id']}")
    slow.click("#tab-around")
    expect(slow.locator("#number-crop-radius")).to_be_visible()
    if also:
        slow.click(f"#card-{layers(slow)[0]['id']}", modifiers=["Control"])
        until(slow, "velvetSeam.bench.also.size === 1")
    for name, value in (("top", "20"), ("bottom", "30")):
        slow.fill(f"#number-crop-{name}", value)
        slow.keyboard.press("Enter")
    slow.locator("#field-around-border").check(force=True)
    said = []
    while state(slow, "saving") and len(said) < 400:
        said.append(slow.evaluate(
            "[...['top', 'bottom'].map((name) => document.getElementById(`number-crop-${name}`).value),"
            " document.getElementById('field-around-border').checked]"
        ))  # fmt: skip
        slow.wait_for_timeout(15)
    assert len(said) > 3  # it was looked at while answers were on their way
    assert all(one == ["20", "30", True] for one in said), said
    crop = layers(slow)[1]["crop"]
    assert (crop["top"], crop["bottom"], layers(slow)[1]["around"]["border"]["on"]) == (20, 30, True)  # fmt: skip
    assert layers(slow)[0]["around"]["border"]["on"] == also


def test_nudges_add_up_however_slow(slow: Page):
    card = f"#card-{layers(slow)[1]['id']}"
    slow.click(card)
    until(slow, "!document.getElementById('panel').inert", 10)
    x = layers(slow)[1]["place"]["x"]
    for _ in range(7):
        slow.keyboard.press("Control+ArrowRight")
    settled(slow)
    assert layers(slow)[1]["place"]["x"] == x + 7


def test_a_value_goes_to_the_layer_whose_controls_are_shown(slow: Page):
    """Chosen while an edit is on its way: it stays chosen, and its panel takes values only when it is there."""
    low, top = (one["id"] for one in layers(slow))
    slow.click(f"#card-{top}")
    until(slow, "!document.getElementById('panel').inert", 10)
    scale = layers(slow)[0]["place"]["scale"]
    type_tape(slow, "place.rotation", 30)
    slow.click(f"#card-{low}")  # while that is being saved
    assert slow.evaluate("document.getElementById('panel').inert")
    until(slow, "!document.getElementById('panel').inert", 10)
    settled(slow)
    assert state(slow, "chosen") == f"layer:{low}"
    expect(slow.locator("#panel [data-target]").first).to_have_attribute("data-target", low)
    type_tape(slow, "place.scale", 77)
    settled(slow)
    assert layers(slow)[0]["place"] | {"scale": scale} == layers(slow)[0]["place"] | {
        "scale": scale
    }
    assert (layers(slow)[0]["place"]["scale"], layers(slow)[0]["place"]["rotation"]) == (77, 0)
    assert layers(slow)[1]["place"]["rotation"] == 30


def test_what_a_tape_waits_to_send_goes_before_what_comes_next(slow: Page):
    """A mask is copied just after a tape of it was nudged: the copy has the last value."""
    low, top = (one["id"] for one in layers(slow))
    slow.click(f"#seam-{top}")
    until(slow, "velvetSeam.bench.kind === 'seam' && !document.getElementById('panel').inert", 10)
    chip(slow, "masks", "Box")
    drag(slow, on_picture(slow, 300, 400), on_picture(slow, 800, 900))
    until(slow, "velvetSeam.bench.shot.layers[1].seam.masks.length === 1", 10)
    settled(slow)
    mask = layers(slow)[1]["seam"]["masks"][0]
    tape = slow.locator(f"[id='tape-seam-masks-{mask['id']}-feather_out']")
    tape.focus()
    for _ in range(6):
        slow.keyboard.press("ArrowUp")
    copy_to(slow, "#seam-masks [data-do=copy-to]", "paper-sea")
    settled(slow)
    until(slow, "velvetSeam.bench.shot.layers[0].seam.masks.length === 1", 10)
    first, copy = (one["seam"]["masks"][0] for one in reversed(layers(slow)))
    assert first["feather_out"] == mask["feather_out"] + 6
    assert copy["feather_out"] == first["feather_out"]
    assert low != top


def test_a_press_is_not_lost_when_an_answer_comes_between_down_and_up(slow: Page):
    low, top = (one["id"] for one in layers(slow))
    slow.click(f"#card-{top}")
    until(slow, "!document.getElementById('panel').inert", 10)
    type_tape(slow, "place.rotation", 12)
    box = slow.locator(f"#card-{low}").bounding_box()
    slow.mouse.move(box["x"] + 120, box["y"] + 20)
    slow.mouse.down()
    settled(slow)  # the stack was drawn again under the press
    slow.mouse.up()
    until(slow, f"velvetSeam.bench.chosen === 'layer:{low}'", 10)
    assert layers(slow)[1]["place"]["rotation"] == 12


def test_a_clicked_bar_is_what_the_next_key_is_for(slow: Page):
    """A bar is clicked while an edit is on its way, and Delete takes that bar's layer, no other."""
    low, top = (one["id"] for one in layers(slow))
    slow.click(f"#card-{top}")
    until(slow, "!document.getElementById('panel').inert", 10)
    slow.evaluate(
        "() => { velvetSeam.bench.set(velvetSeam.bench.target, { 'place.rotation': 12 }); }"
    )
    bar = slow.locator(f".bar[data-thing='{low}'][data-grab=bar]").first.bounding_box()
    slow.mouse.click(bar["x"] + bar["width"] / 2, bar["y"] + bar["height"] / 2)
    assert state(slow, "chosen") == f"layer:{low}"
    slow.keyboard.press("Delete")
    until(slow, "velvetSeam.bench.shot.layers.length === 1", 10)
    settled(slow)
    assert [(one["id"], one["place"]["rotation"]) for one in layers(slow)] == [(top, 12)]


def test_a_clicked_keyframe_is_the_one_that_is_eased(slow: Page):
    _low, top = (one["id"] for one in layers(slow))
    slow.click(f"#card-{top}")
    until(slow, "!document.getElementById('panel').inert", 10)
    for frame, on in ((0, True), (40, True)):
        slow.evaluate(
            "edit => velvetSeam.bench.edit(edit).then(() => null)",
            {"do": "key-here", "target": top, "paths": ["place.x"], "frame": frame, "on": on},
        )
    settled(slow)
    slow.locator("body").press("v")
    for frame in (40, 0):  # the second while the ease of the first is on its way
        knot = slow.locator(f"#value-lanes .lane-knot[data-frame='{frame}']").bounding_box()
        slow.mouse.click(knot["x"] + knot["width"] / 2, knot["y"] + knot["height"] / 2)
        slow.select_option("#ease", "hold" if frame else "linear")
    settled(slow)
    eases = [key["ease"] for key in layers(slow)[1]["place"]["x"]["keys"]]
    assert eases == ["linear", "hold"]


def test_handles_lie_where_the_layer_is_seen_while_it_arrives(blank: Page):  # noqa: F811
    """An area is dragged over what one sees, and the frame of a layer lies around it."""
    top = add_layer(blank, "moon-still")
    values = {"arrive.way": "slide-left", "arrive.frames": 40, "place.scale": 30}
    blank.evaluate("values => velvetSeam.bench.set(velvetSeam.bench.target, values)", values)
    until(blank, "velvetSeam.bench.shot.layers[0].arrive.frames === 40")
    blank.evaluate("velvetSeam.bench.go(26)")
    until(blank, "velvetSeam.picture.main.dataset.frame === '26'")
    blank.wait_for_timeout(200)
    place = state(blank, "shot.layers[0].place")
    stray = blank.evaluate("velvetSeam.picture.stray")
    assert (stray["layer"], stray["frame"]) == (top, 26)
    assert stray["x"] < -100
    frame = blank.evaluate(
        "(() => { const b = document.querySelector('.handles .frame-line').getBBox();"
        " const r = velvetSeam.picture.rect; return (b.x + b.width / 2 - r.x) / r.k; })()"
    )
    assert frame == pytest.approx(place["x"] + stray["x"], abs=6)


def test_controls_expected_under_the_pointer_are_those_after_what_was_changed_meanwhile(
    blank: Page,  # noqa: F811
):
    """Pointing asks for them once; an edit that comes between makes them anew."""
    add_layer(blank, "paper-sea")
    add_layer(blank, "fox-left")
    low, top = (one["id"] for one in layers(blank))
    asked: list[str] = []
    blank.on(
        "request", lambda request: asked.append(request.url) if "/parts?" in request.url else None
    )
    blank.hover(f"#card-{low}")
    blank.hover("#mat")
    blank.hover(f"#card-{low}")
    until(blank, "velvetSeam.bench.expected.size === 1", 10)
    assert len(asked) == 1
    blank.evaluate(f"velvetSeam.bench.set('{low}', {{'place.rotation': 33}})")
    settled(blank)
    blank.click(f"#card-{low}")
    until(blank, "!document.getElementById('panel').inert", 10)
    assert blank.locator("#panel [data-target]").get_attribute("data-target") == low
    assert blank.locator('#panel [data-path="place.rotation"] input').first.input_value() == "33"
    for one in (top, low, top, low):  # what stays as it was is not asked for again
        blank.click(f"#card-{one}")
    until(blank, "!document.getElementById('panel').inert", 10)
    assert len(asked) <= 4


def test_the_picture_is_asked_for_before_the_page_takes_an_answer_over(blank: Page):  # noqa: F811
    add_layer(blank, "paper-sea")
    blank.evaluate(
        """() => { const { bench, picture } = velvetSeam, want = picture.slot.want.bind(picture.slot);
            window.order = [];
            picture.slot.want = (wish) => { order.push('picture'); want(wish); };
            bench.addEventListener('parts', () => order.push('page'));
            bench.set(bench.shot.layers[0].id, { 'seam.opacity': 40 }); }"""
    )
    until(blank, "window.order.length >= 2")
    assert blank.evaluate("window.order.slice(0, 2)") == ["picture", "page"]
