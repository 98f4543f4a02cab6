"""Roto and people at work in the browser: strokes with the mouse, their undo, other frames that follow."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from pathlib import Path

import cv2
import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.people import outline, portrait_clip
from tests.web.test_seam_page import add_layer, blank, chip, picture, settled
from tests.web.test_whole_job import clean, on_picture, state, until
from velvet_seam.demo.fox import truth

pytestmark = pytest.mark.browser

__all__ = ["blank", "clean"]

MATTE = "shot.layers[0].seam.matte[0]"

Point = tuple[float, float]


def stroke(
    page: Page,
    start: Point,
    end: Point,
    button: str = "left",
    alt: bool = False,
    matte: str = MATTE,
) -> None:
    """A drag over the picture, in canvas pixels; ends once it lies in the document."""
    along(page, (start, end), button, alt, matte)


def along(
    page: Page, points: Sequence[Point], button: str = "left", alt: bool = False, matte: str = MATTE
) -> None:
    """The same from point to point."""
    before = len(state(page, f"{matte}.strokes"))
    places = [on_picture(page, *point) for point in points]
    if alt:
        page.keyboard.down("Alt")
    page.mouse.move(*places[0])
    page.mouse.down(button=button)
    for a, b in itertools.pairwise(places):
        for step in range(1, 9):
            page.mouse.move(*(p + (q - p) * step / 8 for p, q in zip(a, b, strict=True)))
    page.mouse.up(button=button)
    if alt:
        page.keyboard.up("Alt")
    until(page, f"velvetSeam.bench.{matte}.strokes.length === {before + 1}")
    settled(page)


def covered(page: Page) -> np.ndarray:
    """Where the layer shows, alone over black: (960, 540) bool."""
    page.evaluate("velvetSeam.bench.see('matte')")
    shown = picture(page)
    page.evaluate("velvetSeam.bench.see('joined')")
    return shown.mean(2) > 127


def fox(frame: int) -> np.ndarray:
    """Where the drawn fox truly is, at half the canvas."""
    cover = truth("left", frame)[1]
    return cv2.resize(cover.astype(np.float32), (540, 960), interpolation=cv2.INTER_AREA) > 0.5


def iou(a: np.ndarray, b: np.ndarray) -> float:
    return float((a & b).sum() / (a | b).sum())


def with_roto(page: Page, clip: str) -> str:
    """The first layer, and a roto on it without strokes; its id."""
    layer = add_layer(page, clip)
    page.click(f"#seam-{layer}")
    chip(page, "matte", "Roto")
    until(page, "velvetSeam.bench.shot.layers[0].seam.matte.length === 1")
    return layer


def test_a_fox_is_painted_out_of_a_take_and_followed(blank: Page):
    page = blank
    with_roto(page, "fox-left")
    until(page, "velvetSeam.bench.way === 'dropped'")  # the brush is up at once
    expect(page.locator("[data-do=paint-strokes]")).to_have_attribute("aria-pressed", "true")
    assert covered(page).mean() > 0.95  # nothing painted: nothing is cut out
    brush_up(page)
    expect(page.locator("#strokes")).to_be_visible()
    page.fill("[data-roto-width]", "24")
    stroke(page, (372, 1100), (385, 1420))
    stroke(page, (150, 1000), (150, 1560), button="right")
    stroke(page, (640, 1000), (640, 1560), button="right")
    stroke(page, (250, 800), (600, 800), button="right")
    strokes = state(page, f"{MATTE}.strokes")
    assert [one["how"] for one in strokes] == ["keep", "drop", "drop", "drop"]
    assert {one["frame"] for one in strokes} == {0}
    page.keyboard.press("Escape")  # though the field of the width had the focus before
    until(page, "velvetSeam.bench.way !== 'dropped'")
    expect(page.locator("#strokes")).to_be_hidden()
    above = np.s_[:735]  # of the feet and the rod, which nobody has painted
    first = covered(page)
    assert iou(first[above], fox(0)[above]) > 0.97
    page.evaluate("velvetSeam.bench.go(20)")
    later = covered(page)
    assert iou(later[above], fox(20)[above]) > 0.95
    assert (
        iou(later[above], fox(20)[above]) > iou(first[above], fox(20)[above]) + 0.1
    )  # it has followed


def brush_up(page: Page, nth: int = 0) -> None:
    """The brush of a roto taken up, and the picture it paints on is there."""
    button = page.locator("[data-do=paint-strokes]").nth(nth)
    if page.evaluate("velvetSeam.commands.roto.part") == button.get_attribute("data-part"):
        page.evaluate("velvetSeam.bench.see('dropped')")  # up since the roto was put in
    else:
        button.click()
    until(page, "velvetSeam.bench.way === 'dropped' && velvetSeam.commands.roto.there")
    settled(page)


def painted(page: Page) -> None:
    """The fox, painted on its first frame with two strokes."""
    with_roto(page, "fox-left")
    brush_up(page)
    stroke(page, (372, 1100), (385, 1420))
    stroke(page, (640, 1000), (640, 1560), button="right")


def test_a_frame_is_put_right_and_the_others_keep_what_they_have(blank: Page):
    page = blank
    painted(page)
    page.evaluate("velvetSeam.bench.go(40)")
    settled(page)
    before = covered(page)
    page.evaluate("velvetSeam.bench.go(0)")
    untouched = covered(page)
    page.evaluate("velvetSeam.bench.go(40)")
    page.evaluate("velvetSeam.bench.see('dropped')")
    settled(page)
    cover = fox(40)
    y, x = np.argwhere(cover)[:, 0].mean() * 2, np.argwhere(cover)[:, 1].mean() * 2
    stroke(page, (x, y - 60), (x, y + 40), button="right")  # a piece is taken out of its middle
    assert {one["frame"] for one in state(page, f"{MATTE}.strokes")} == {0, 40}
    after = covered(page)
    assert (before & ~after).sum() > 200
    far = (
        np.hypot(
            *np.mgrid[:960, :540].transpose(1, 2, 0).reshape(-1, 2).T.reshape(2, 960, 540)
            - np.array([y / 2, x / 2])[:, None, None]
        )
        > 160
    )
    assert (before[far] != after[far]).sum() < 40  # nothing farther away changes
    page.evaluate("velvetSeam.bench.go(0)")
    assert (covered(page) == untouched).all()  # nor does the frame that was painted before
    page.locator("[data-do=roto-step][data-by='1']").click()
    until(page, "velvetSeam.bench.frame === 40")
    page.locator("[data-do=roto-step][data-by='1']").click()
    expect(page.locator("#say")).to_contain_text("No frame after this one is painted")
    page.locator("[data-do=roto-clear]").click()
    until(page, f"velvetSeam.bench.{MATTE}.strokes.length === 2")
    assert (covered(page) == before).all()
    page.keyboard.press("Control+z")
    until(page, f"velvetSeam.bench.{MATTE}.strokes.length === 3")
    assert (covered(page) == after).all()


def test_it_is_found_in_fine_detail_where_that_is_chosen_and_held_frames_stay(blank: Page):
    page = blank
    painted(page)
    stroke(page, (150, 1000), (150, 1560), button="right")
    stroke(page, (250, 800), (600, 800), button="right")
    page.evaluate("velvetSeam.bench.go(8)")
    settled(page)
    page.locator("[data-roto] .roto-hold").click()
    until(page, f"velvetSeam.bench.{MATTE}.held.length === 1")
    held = covered(page)
    page.evaluate("velvetSeam.bench.go(20)")
    usual = covered(page)
    page.get_by_label("Detail").select_option("fine")
    until(page, f"velvetSeam.bench.{MATTE}.detail === 'fine'")
    fine, above = covered(page), np.s_[:735]
    assert (fine != usual).any()
    assert iou(fine[above], fox(20)[above]) > 0.95
    page.evaluate("velvetSeam.bench.go(8)")
    assert (covered(page) == held).all()
    page.evaluate("velvetSeam.bench.go(20)")
    page.keyboard.press("Control+z")
    until(page, f"velvetSeam.bench.{MATTE}.detail === 'usual'")
    assert (covered(page) == usual).all()


def test_rubbing_out_takes_back_what_was_painted_and_the_left_button_may_drop(blank: Page):
    page = blank
    painted(page)
    shown = covered(page)
    page.locator("[data-do=roto-how][data-to=drop]").click()
    page.evaluate("velvetSeam.bench.see('dropped')")
    settled(page)
    stroke(page, (100, 1000), (100, 1560))  # the left button drops now
    less = covered(page)
    assert less.sum() < shown.sum()
    page.evaluate("velvetSeam.bench.see('dropped')")
    settled(page)
    stroke(page, (100, 1000), (100, 1560), alt=True)
    assert [one["how"] for one in state(page, f"{MATTE}.strokes")] == [
        "keep",
        "drop",
        "drop",
        "rub",
    ]
    assert (covered(page) == shown).all()  # as if that had not been painted


def brought_in(page: Page, path: Path) -> str:
    """A clip from outside as the topmost layer, ready to be worked with; its id."""
    before = len(state(page, "shot.layers"))
    page.set_input_files("#files", path)
    until(page, f"velvetSeam.bench.shot.layers.length === {before + 1}", 60)
    until(page, "Object.values(velvetSeam.bench.state.footage).every((one) => one.ready)", 90)
    return state(page, f"shot.layers[{before}].id")


def test_a_person_is_cut_out_by_one_click(blank: Page, tmp_path: Path):
    page = blank
    portrait_clip(tmp_path / "portrait.mp4")
    page.evaluate("velvetSeam.bench.go(0)")
    layer = brought_in(page, tmp_path / "portrait.mp4")
    page.click(f"#seam-{layer}")
    chip(page, "matte", "People")
    until(page, "velvetSeam.bench.shot.layers[0].seam.matte.length === 1")
    place = state(page, "shot.layers[0].place")
    for frame in (0, 11):
        page.evaluate(f"velvetSeam.bench.go({frame})")
        there = outline(440)[:400, 2 * frame : 2 * frame + 400].astype(np.uint8)
        k = place["scale"] / 200
        move = np.array([[k, 0, place["x"] / 2 - 200 * k], [0, k, place["y"] / 2 - 200 * k]])
        assert iou(covered(page), cv2.warpAffine(there, move, (540, 960)) > 0) > 0.9


def test_nothing_is_painted_on_a_picture_of_another_frame(blank: Page):
    page = blank
    painted(page)
    page.evaluate(
        "velvetSeam.picture.stray = { ...velvetSeam.picture.stray, frame: 7 }"
    )  # a slow server
    start, end = on_picture(page, 380, 1200), on_picture(page, 380, 1300)
    page.mouse.move(*start)
    page.mouse.down()
    page.mouse.move(*end)
    page.mouse.up()
    expect(page.locator("#say")).to_contain_text("still coming")
    assert len(state(page, f"{MATTE}.strokes")) == 2
    page.evaluate("velvetSeam.bench.go(1)")
    settled(page)
    stroke(page, (380, 1200), (380, 1300))  # it has come
    page.click(f"#card-{state(page, 'shot.layers[0].id')}")
    expect(
        page.locator("#strokes")
    ).to_be_hidden()  # another panel: its strokes are laid down with it


def test_a_pen_and_a_finger_paint_too(blank: Page):
    page = blank
    with_roto(page, "fox-left")
    brush_up(page)
    page.evaluate(
        "(window.presses = []) && document.getElementById('strokes').addEventListener('pointerdown', (e) => presses.push(e.pointerType))"
    )
    wire = page.context.new_cdp_session(page)

    def pen(start: tuple[float, float], end: tuple[float, float], button: str) -> None:
        held = {"left": 1, "right": 2}[button]
        places = [
            tuple(p + (q - p) * n / 8 for p, q in zip(start, end, strict=True)) for n in range(9)
        ]
        for n, place in enumerate((*places, places[-1])):
            x, y = on_picture(page, *place)
            kind = "mousePressed" if n == 0 else "mouseReleased" if n == 9 else "mouseMoved"
            wire.send("Input.dispatchMouseEvent", {
                "type": kind, "x": x, "y": y, "button": button, "buttons": held if n < 9 else 0, "clickCount": 1,
                "pointerType": "pen", "force": 0.6,
            })  # fmt: skip

    def finger(start: tuple[float, float], end: tuple[float, float]) -> None:
        for n in range(10):
            share = min(n, 8) / 8
            x, y = on_picture(page, *(p + (q - p) * share for p, q in zip(start, end, strict=True)))
            kind = "touchStart" if n == 0 else "touchEnd" if n == 9 else "touchMove"
            points = [] if n == 9 else [{"x": x, "y": y}]
            wire.send("Input.dispatchTouchEvent", {"type": kind, "touchPoints": points})

    pen((372, 1100), (385, 1420), "left")
    until(page, f"velvetSeam.bench.{MATTE}.strokes.length === 1")
    settled(page)
    pen((640, 1000), (640, 1560), "right")  # its other button
    until(page, f"velvetSeam.bench.{MATTE}.strokes.length === 2")
    settled(page)
    finger((150, 1000), (150, 1560))  # a finger has one button: it says what is chosen
    until(page, f"velvetSeam.bench.{MATTE}.strokes.length === 3")
    settled(page)
    assert page.evaluate("presses") == ["pen", "pen", "touch"]
    strokes = state(page, f"{MATTE}.strokes")
    assert [one["how"] for one in strokes] == ["keep", "drop", "keep"]
    assert all(len(one["points"]) >= 2 for one in strokes)
    page.locator("[data-do='roto-how'][data-to='drop']").first.click()
    finger((250, 800), (600, 800))
    until(page, f"velvetSeam.bench.{MATTE}.strokes.length === 4")
    assert state(page, f"{MATTE}.strokes")[3]["how"] == "drop"


ERASE = """([from, to]) => {
    const brush = document.getElementById('strokes');
    brush.setPointerCapture = () => {}; // only a pen that is really there can be held
    const tell = (type, button, buttons, [x, y]) => brush.dispatchEvent(new PointerEvent(type, {
        pointerId: 9, pointerType: 'pen', isPrimary: true, bubbles: true, cancelable: true, button, buttons, clientX: x, clientY: y,
    }));
    tell('pointerdown', 5, 32, from);
    for (let n = 1; n <= 8; n += 1) tell('pointermove', -1, 32, from.map((v, k) => v + (to[k] - v) * n / 8));
    tell('pointerup', 5, 0, to);
}"""
"""A pen upside down, as the standard of pointer events tells of it: its fifth button."""


def test_a_pens_other_end_rubs_out(blank: Page):
    page = blank
    with_roto(page, "fox-left")
    brush_up(page)
    stroke(page, (372, 1100), (385, 1420))
    until(page, f"velvetSeam.bench.{MATTE}.strokes.length === 1")
    settled(page)
    page.evaluate(ERASE, [on_picture(page, 340, 1260), on_picture(page, 420, 1260)])
    until(page, f"velvetSeam.bench.{MATTE}.strokes.length === 2")
    assert [one["how"] for one in state(page, f"{MATTE}.strokes")] == ["keep", "rub"]
