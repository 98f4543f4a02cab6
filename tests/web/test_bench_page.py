"""The bench in Chromium: keys, handles, and the page's arithmetic against the engine's."""

from __future__ import annotations

import base64
import re
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Page, expect

import velvet_seam
from tests.web.test_whole_job import box_of, clean, on_picture, open_demo_shot, state, until

pytestmark = pytest.mark.browser

__all__ = ["clean"]


@pytest.fixture
def bench(clean: Page, served: str):
    """The demo shot, left as it was found."""
    open_demo_shot(clean, served)
    yield clean
    while state(clean, "state.undo"):
        before = state(clean, "state.revision")
        clean.evaluate("velvetSeam.bench.send('undo')")
        until(clean, f"velvetSeam.bench.state.revision < {before}")


def pixel(page: Page, x: float, y: float) -> tuple[int, int, int]:
    """The colour drawn at a canvas pixel."""
    return tuple(
        page.evaluate(
            """([x, y]) => {
                const canvas = document.getElementById('picture');
                const at = [x / 1080 * canvas.width, y / 1920 * canvas.height].map(Math.floor);
                return [...canvas.getContext('2d').getImageData(...at, 1, 1).data].slice(0, 3);
            }""",
            [x, y],
        )
    )


def seen(page: Page, what: Callable[[], bool]) -> None:
    """The picture comes to show something."""
    for _ in range(600):
        if what():
            return
        page.wait_for_timeout(100)
    raise AssertionError("the picture never showed it")


def test_every_button_has_something_to_do(bench: Page):
    """What templates name is said by a room of the script; nothing is said that no button or key names."""
    web = Path(velvet_seam.__file__).parent / "web"
    texts = [path.read_text() for path in (*web.rglob("*.html"), *web.rglob("js/bench/*.js"))]
    named = {
        name for text in texts for name in re.findall(r'data-do="([a-z-]+)"|act\("([a-z-]+)"', text)
    }
    wanted = {one or other for one, other in named} | {"add-key", "duplicate-here"}
    listed = set(
        re.findall(r'\["[A-Z][^"]*", "([a-z-]+)"', (web / "static/js/bench/things.js").read_text())
    )
    acts = set(bench.evaluate("Object.keys(velvetSeam.commands.acts)"))
    assert wanted <= acts
    assert acts <= wanted | listed


def test_frames_by_keys(bench: Page):
    clock = bench.locator("#clock")
    for key, spelled in (("ArrowRight", "0s 01f"), ("Shift+ArrowRight", "0s 11f"), ("End", "5s 24f"),
                         ("ArrowRight", "5s 24f"), ("ArrowLeft", "5s 23f"), ("Home", "0s 00f")):  # fmt: skip
        bench.keyboard.press(key)
        expect(clock).to_have_text(spelled)
    bench.click("#card-l-moon")
    bench.keyboard.press("Shift+ArrowRight")
    bench.keyboard.press("i")
    until(bench, "velvetSeam.bench.shot.layers[1].span.first === 10")
    bench.keyboard.press("Shift+ArrowRight")
    bench.keyboard.press("o")
    until(bench, "velvetSeam.bench.shot.layers[1].span.last === 20")


def test_hide_and_show_alone_change_the_picture(bench: Page):
    bench.click("#card-l-moon")
    until(bench, "document.getElementById('picture').dataset.frame === '0'")
    moon = pixel(bench, 720, 500)
    assert min(moon[:2]) > 150
    bench.keyboard.press("h")
    until(bench, "velvetSeam.bench.shot.layers[1].hidden")
    seen(bench, lambda: max(pixel(bench, 720, 500)) < 140)
    bench.keyboard.press("h")
    until(bench, "!velvetSeam.bench.shot.layers[1].hidden")
    bench.keyboard.press("s")
    # the sea is gone, the canvas shows
    seen(bench, lambda: max(pixel(bench, 100, 1700)) < 90)
    revision = state(bench, "state.revision")
    bench.keyboard.press("s")
    assert state(bench, "state.revision") == revision  # showing alone is a way of looking


def test_the_matte_is_seen_and_a_mask_is_moved_on_the_picture(bench: Page):
    bench.click("#seam-l-moth")
    bench.keyboard.press("2")
    until(bench, "velvetSeam.bench.way === 'matte'")
    seen(bench, lambda: pixel(bench, 20, 1800) == (0, 0, 0))
    whites = sum(pixel(bench, x, y) == (255, 255, 255) for x in range(300, 800, 50)
                 for y in range(600, 1000, 50))  # fmt: skip
    assert whites > 15
    before = state(bench, "shot.layers[2].seam.masks[1]")
    x, y = on_picture(bench, 560, 1300)
    knob = '[data-grab="mask-size"][data-mask="m-stick"][data-a="0"][data-b="1"]'
    box = box_of(bench, knob)
    bench.mouse.move(box["x"] + 4, box["y"] + 4)
    bench.mouse.down()
    bench.mouse.move(x, y, steps=6)
    bench.mouse.up()
    until(bench, f"velvetSeam.bench.shot.layers[2].seam.masks[1].height !== {before['height']}")
    after = state(bench, "shot.layers[2].seam.masks[1]")
    top = lambda mask: mask["y"] - mask["height"] / 2  # noqa: E731
    assert top(after) == pytest.approx(top(before), abs=0.2)  # the opposite side stays


def test_every_control_has_a_name_and_a_visible_focus(bench: Page):
    for chosen in ("#card-l-moth", "#seam-l-moth", ".ground", "#card-t-waltz"):
        bench.click(chosen)
        bench.wait_for_timeout(250)
        unnamed = bench.evaluate(
            """() => [...document.querySelectorAll('button, a, input, select, [role=slider], [role=button]')]
                .filter((one) => one.checkVisibility())
                .filter((one) => !(one.getAttribute('aria-label') || one.textContent.trim()
                    || one.labels?.[0]?.textContent.trim() || one.title))
                .map((one) => one.outerHTML.slice(0, 90))"""
        )
        assert unnamed == []
        small = bench.evaluate(
            """() => [...document.querySelectorAll('.tool, .button, .ways button')]
                .filter((one) => one.checkVisibility())
                .map((one) => [one.textContent.trim() || one.getAttribute('aria-label'),
                    one.getBoundingClientRect()])
                .filter(([, box]) => box.height < 27.5 || box.width < 27.5).map(([name]) => name)"""
        )
        assert small == []


def test_the_colours_can_be_read():
    """Text colours of the styles against the grounds they stand on: 4.5 to 1 or more."""
    source = (Path(__file__).parents[2] / "styles" / "app.css").read_text()
    colours = dict(re.findall(r"--color-([a-z]+): (#[0-9a-f]{6})", source))

    def luminance(name: str) -> float:
        part = [int(colours[name][i : i + 2], 16) / 255 for i in (1, 3, 5)]
        r, g, b = (c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in part)
        return 0.2126 * r + 0.7152 * g + 0.0722 * b

    for ink, grounds in {
        "ink": ("linen", "paper", "white"), "quiet": ("linen", "paper", "white"),
        "velvet": ("linen", "paper"), "moss": ("paper",), "amber": ("paper",),
        "madder": ("paper",), "white": ("velvet", "deep"),
    }.items():  # fmt: skip
        for ground in grounds:
            light, dark = sorted((luminance(ink), luminance(ground)), reverse=True)
            assert (light + 0.05) / (dark + 0.05) >= 4.5, (ink, ground)


def test_two_tabs_see_each_others_edits_and_neither_loses_one(bench: Page):
    other = bench.context.new_page()
    other.goto(bench.url)
    until(other, "Boolean(window.velvetSeam)")
    try:
        bench.evaluate("velvetSeam.bench.set('l-moth', {'place.x': 123})")
        until(other, "velvetSeam.bench.thing('l-moth').place.x === 123")
        # both at once, on different layers and on the same one
        bench.evaluate("void velvetSeam.bench.set('l-moon', {'place.y': 321})")
        other.evaluate("void velvetSeam.bench.set('l-moth', {'seam.opacity': 44})")
        for page in (bench, other):
            until(page, "velvetSeam.bench.thing('l-moon').place.y === 321")
            until(page, "velvetSeam.bench.thing('l-moth').seam.opacity === 44")
        expect(other.locator("#undo")).to_have_attribute("title", re.compile("Undo: .+"))
        # an undo and another edit give the same number of revision, but not the same shot
        number = state(bench, "state.revision")
        other.evaluate(
            "velvetSeam.bench.send('undo')"
            ".then(() => velvetSeam.bench.set('l-sea', {'place.x': 77}))"
        )
        until(bench, "velvetSeam.bench.thing('l-sea').place.x === 77")
        assert state(bench, "state.revision") == number
        # a hand that is dragging is left alone until it lets go
        bench.evaluate("velvetSeam.bench.trySet('l-moth', {'place.x': 500})")
        other.evaluate("velvetSeam.bench.set('l-sea', {'place.y': 78})")
        until(other, "velvetSeam.bench.thing('l-sea').place.y === 78")
        bench.wait_for_timeout(500)
        assert state(bench, "trial")["values"] == {"place.x": 500}
        bench.evaluate("velvetSeam.bench.set('l-moth', {'place.x': 500})")
        until(bench, "velvetSeam.bench.thing('l-sea').place.y === 78")
        until(other, "velvetSeam.bench.thing('l-moth').place.x === 500")
    finally:
        other.close()


def test_a_change_told_before_an_older_one_is_not_forgotten(bench: Page):
    """While an edit of its own is under way a page may be told of another's first, and then of its own."""
    own = bench.evaluate(
        "velvetSeam.bench.set('l-moth', {'place.x': 124}).then(() => velvetSeam.bench.state.stamp)"
    )
    later = bench.evaluate(
        """async () => {
            const { bench } = velvetSeam;
            bench.changed = () => {};
            const edit = { do: "set-values", target: "l-moon", values: { "place.y": 322 } };
            const headers = { "content-type": "application/json" };
            const answer = await fetch(`/shots/${bench.id}/edits`, { method: "POST", headers, body: JSON.stringify({ edit }) });
            delete bench.changed;
            return (await answer.json()).state.stamp;
        }"""
    )
    bench.evaluate(
        "([later, own]) => { const { bench } = velvetSeam; bench.saving += 1; bench.changed(later);"
        " bench.changed(own); bench.saving -= 1; }",
        [later, own],
    )
    until(bench, "velvetSeam.bench.thing('l-moon').place.y === 322")


def test_a_layer_is_cut_in_two_and_locked(bench: Page):
    bench.click("#card-l-moth")
    expect(bench.locator("#field-name")).to_have_value("Moth on card")
    for _ in range(4):
        bench.keyboard.press("Shift+ArrowRight")
    bench.keyboard.press("y")
    until(bench, "velvetSeam.bench.shot.layers.length === 6")
    first, later = state(bench, "shot.layers[2].span"), state(bench, "shot.layers[3].span")
    assert (first["last"], later["first"]) == (39, 40)
    until(bench, "velvetSeam.bench.target === velvetSeam.bench.shot.layers[3].id")
    expect(bench.locator("#undo")).to_have_attribute("title", re.compile("split Moth on card"))
    bench.keyboard.press("y")  # at its very first frame there is nothing to cut
    expect(bench.locator("#say")).to_contain_text("on both sides of the playhead")
    expect(bench.locator("#handles .knob").first).to_be_visible()
    bench.keyboard.press("f")
    until(bench, "velvetSeam.bench.shot.layers[3].locked")
    expect(bench.locator("#handles .knob")).to_have_count(0)
    bench.keyboard.press("Delete")
    expect(bench.locator("#say")).to_contain_text("Moth on card is locked. Unlock it to change it.")
    assert len(state(bench, "shot.layers")) == 6
    bench.keyboard.press("f")
    until(bench, "!velvetSeam.bench.shot.layers[3].locked")


_PIXELS = """() => {
    const { width, height, dataset } = document.getElementById('picture');
    const data = document.getElementById('picture').getContext('2d').getImageData(0, 0, width, height).data;
    let text = ''; // a list of a million numbers takes half a minute on its way
    for (let n = 0; n < data.length; n += 8192) text += String.fromCharCode(...data.subarray(n, n + 8192));
    return [width, height, dataset.trial, btoa(text)];
}"""


def test_under_a_moving_hand_the_picture_has_as_many_pixels_as_are_seen(bench: Page):
    bench.click("#card-l-moon")
    turn = '#handles [data-grab="turn"]'
    box = box_of(bench, turn)
    bench.evaluate(f"window.knob = document.querySelector('{turn}')")
    bench.mouse.move(box["x"] + 5, box["y"] + 5)
    bench.mouse.down()
    bench.mouse.move(box["x"] + 40, box["y"] + 20, steps=5)
    until(bench, "document.getElementById('picture').dataset.trial === 'true'")
    bench.wait_for_timeout(400)
    width, height, trial, small = bench.evaluate(_PIXELS)
    assert (width, height, trial) == (270, 480, "true")
    # what is under the hand is moved, not made anew
    assert bench.evaluate("knob.isConnected && knob.dataset.grab") == "turn"
    assert box_of(bench, turn)["x"] > box["x"] + 20
    bench.mouse.up()
    until(bench, "velvetSeam.bench.shot.layers[1].place.rotation > 1")
    until(bench, "document.getElementById('picture').width === 540")
    bench.wait_for_timeout(400)
    width, height, trial, whole = bench.evaluate(_PIXELS)
    assert (width, height, trial) == (540, 960, "false")
    whole, small = (np.frombuffer(base64.b64decode(one), np.uint8) for one in (whole, small))
    halves = whole.reshape(480, 2, 270, 2, 4).mean((1, 3))
    error = np.abs(halves - small.reshape(480, 270, 4))
    assert error.mean() < 2  # the same picture, but for what JPEG does to either
    assert np.ptp(halves[..., :3]) > 100


def test_who_looks_at_a_layer_where_it_is_not_is_told_and_taken_there(bench: Page):
    note = bench.locator("#absent")
    bench.evaluate("velvetSeam.bench.choose('layer:l-embers')")
    until(bench, "velvetSeam.bench.layer.id === 'l-embers'")
    expect(note).to_be_hidden()  # the joined picture has what there is
    bench.keyboard.press("3")
    expect(note).to_contain_text("Embers is not on this frame: it is there from 1s 00f to 6s 00f.")
    note.get_by_role("button", name="Go there").click()
    until(bench, "velvetSeam.bench.frame === 25")
    expect(note).to_be_hidden()
    bench.keyboard.press("Home")
    expect(note).to_be_visible()
    bench.evaluate("velvetSeam.bench.choose('layer:l-moth')")
    expect(note).to_be_hidden()
    bench.keyboard.press("1")
    bench.evaluate("velvetSeam.bench.choose('seam:l-embers')")
    expect(note).to_be_visible()
    bench.keyboard.press(" ")  # a picture that runs is not spoken into
    until(bench, "velvetSeam.player.playing && velvetSeam.bench.frame > 1")
    assert state(bench, "playing")
    expect(note).to_be_hidden()
    bench.keyboard.press(" ")
    assert not state(bench, "playing")


def test_a_layer_shown_alone_is_said_and_all_come_back_by_one_press(bench: Page):
    note = bench.locator("#alone")
    expect(note).to_be_hidden()
    bench.evaluate("velvetSeam.bench.choose('layer:l-moth')")
    until(bench, "velvetSeam.bench.layer.id === 'l-moth'")
    bench.keyboard.press("s")
    expect(note).to_contain_text("Only Moth on card is shown while you work")
    expect(bench.locator("#card-l-sea")).to_have_class(re.compile(r"\boff\b"))
    note.get_by_role("button", name="Show all").click()
    expect(note).to_be_hidden()
    expect(bench.locator("#card-l-sea")).not_to_have_class(re.compile(r"\boff\b"))
    assert state(bench, "solo.size") == 0
