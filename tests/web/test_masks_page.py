"""Masks drawn on the picture with the mouse, changed there, and copied to other layers."""

from __future__ import annotations

from math import cos, pi, sin

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.web.test_bench_page import bench
from tests.web.test_seam_page import add_layer, at, blank, chip, picture, type_tape
from tests.web.test_whole_job import (
    box_of,
    clean,
    copy_to,
    drag,
    on_picture,
    saved,
    state,
    until,
)

pytestmark = pytest.mark.browser

__all__ = ["bench", "blank", "clean"]


def test_a_garbage_mask_takes_and_a_keep_mask_brings_back(bench: Page):
    bench.click("#seam-l-moth")
    before = picture(bench)
    chip(bench, "masks", "Oval")
    drag(bench, on_picture(bench, 180, 560), on_picture(bench, 320, 700))
    until(bench, "velvetSeam.bench.shot.layers[2].seam.masks.length === 3")
    oval = state(bench, "shot.layers[2].seam.masks[2]")
    assert (oval["kind"], oval["combine"]) == ("oval", "intersect")
    part = bench.locator(f"#panel [data-mask={oval['id']}]")
    part.get_by_role("button", name="keep", exact=True).click()
    until(bench, "velvetSeam.bench.shot.layers[2].seam.masks[2].use === 'keep'")
    green = at(picture(bench), 250, 630)
    assert green[1] > 1.2 * max(green[0], green[2])  # the card is there again, in spite of the key

    part.get_by_role("button", name="garbage", exact=True).click()
    until(bench, "velvetSeam.bench.shot.layers[2].seam.masks[2].use === 'garbage'")
    # taken by its middle and put on the moth
    drag(bench, on_picture(bench, 250, 630), on_picture(bench, 460, 860))
    until(bench, "velvetSeam.bench.state.undo.includes('position')")
    hole = at(picture(bench), 460, 860)
    assert hole[2] > hole[0]  # the night shows through the wing
    bench.locator("#panel").get_by_role("button", name="Turn Oval · garbage round").click()
    until(bench, "velvetSeam.bench.shot.layers[2].seam.masks[2].invert")
    shown = picture(bench)
    assert np.abs(at(shown, 460, 860) - at(before, 460, 860)).max() < 12  # now only that is left
    assert at(shown, 700, 860)[2] > at(shown, 700, 860)[0]


def test_a_shape_is_cut_out_of_all_that_lies_below(bench: Page):
    bench.click("#seam-l-moth")
    wing = on_moth = (460, 860)
    before = picture(bench)
    bench.select_option("#field-blend", "keep-outside")
    until(bench, "velvetSeam.bench.shot.layers[2].seam.blend === 'keep-outside'")
    shown = picture(bench)
    canvas = np.array([0x13, 0x1A, 0x40])
    assert np.abs(at(shown, *wing) - canvas).max() < 45  # under the evening light
    assert np.abs(at(shown, 900, 1600) - at(before, 900, 1600)).max() < 3
    bench.select_option("#field-blend", "keep-inside")
    until(bench, "velvetSeam.bench.shot.layers[2].seam.blend === 'keep-inside'")
    inside = picture(bench)
    assert np.abs(at(inside, *on_moth) - at(before, *on_moth)).max() > 30  # the sea, not the moth
    assert np.abs(at(inside, 900, 1600) - canvas).max() < 45


def test_an_outline_is_drawn_softened_and_its_points_are_moved(blank: Page):
    sea = add_layer(blank, "paper-sea")
    blank.click(f"#seam-{sea}")
    chip(blank, "masks", "Drawn")
    expect(blank.locator("#hint")).to_contain_text("Draw around")
    ring = [
        on_picture(blank, 540 + 300 * cos(a), 960 + 300 * sin(a))
        for a in np.linspace(0, 2 * pi, 40)
    ]
    blank.mouse.move(*ring[0])
    blank.mouse.down()
    for point in ring[1:]:
        blank.mouse.move(*point)
    blank.mouse.up()
    until(blank, "velvetSeam.bench.shot.layers[0].seam.masks.length === 1")
    outline = state(blank, "shot.layers[0].seam.masks[0].outline")
    assert 6 <= len(outline) <= 30  # what was drawn by hand is simplified
    shown = picture(blank)
    covered = (shown.sum(2) > 40).mean()
    assert covered == pytest.approx(pi * 300**2 / (1080 * 1920), rel=0.05)
    assert at(shown, 540 + 360, 960).sum() < 12
    mask = state(blank, "shot.layers[0].seam.masks[0].id")
    type_tape(blank, f"seam.masks.{mask}.feather_out", 160)
    soft = picture(blank, unlike=shown)
    assert at(soft, 540 + 360, 960).sum() > 40  # the soft edge reaches there now
    assert at(soft, 540 + 520, 960).sum() < 12

    points = blank.locator('[data-grab="mask-point"]')
    assert points.count() == len(outline)
    box = box_of(blank, '[data-grab="mask-point"]')
    start = (box["x"] + 4, box["y"] + 4)
    drag(blank, start, (start[0] + 40, start[1] - 30))
    until(blank, "velvetSeam.bench.state.undo.includes('outline')")
    moved = state(blank, "shot.layers[0].seam.masks[0].outline")
    assert abs(moved[0]["x"] - outline[0]["x"]) > 60
    assert moved[1:] == outline[1:]
    # one more point on the line leaves its form as it is; Delete takes it away again
    line = blank.evaluate(
        """() => { const p = document.querySelector('.mask-line'); const q = p.getPointAtLength(p.getTotalLength() * 0.53);
            const m = document.getElementById('mat').getBoundingClientRect(); return [q.x + m.left, q.y + m.top]; }"""
    )
    form = picture(blank)
    blank.mouse.dblclick(*line)
    until(
        blank,
        f"velvetSeam.bench.shot.layers[0].seam.masks[0].outline.length === {len(outline) + 1}",
    )
    assert np.abs(picture(blank) - form).max() <= 6
    blank.keyboard.press("Delete")
    until(blank, f"velvetSeam.bench.shot.layers[0].seam.masks[0].outline.length === {len(outline)}")

    # a point's own feather: its knob is dragged outward from the right-hand point
    whole = state(blank, "shot.layers[0].seam.masks[0]")
    outline, middle = whole["outline"], (540 + whole["x"], 960 + whole["y"])
    right = max(range(len(outline)), key=lambda n: outline[n]["x"])
    type_tape(blank, f"seam.masks.{mask}.feather_out", 0)
    firm = picture(blank)
    held = box_of(blank, f'[data-grab="mask-point"][data-n="{right}"]')
    blank.mouse.click(held["x"] + 4, held["y"] + 4)
    feather = f'[data-grab="mask-point-feather"][data-n="{right}"]'
    expect(blank.locator(feather)).to_be_visible()
    knob = box_of(blank, feather)
    start = (knob["x"] + 5, knob["y"] + 5)
    drag(blank, start, (start[0] + 50, start[1]))
    until(blank, f"velvetSeam.bench.shot.layers[0].seam.masks[0].outline[{right}].feather > 80")
    softer = picture(blank, unlike=firm)
    place = (middle[0] + outline[right]["x"] + 40, middle[1] + outline[right]["y"])
    assert at(softer, *place).sum() > at(firm, *place).sum() + 30
    left = min(range(len(outline)), key=lambda n: outline[n]["x"])
    place = (middle[0] + outline[left]["x"] - 40, middle[1] + outline[left]["y"])
    assert np.abs(at(softer, *place) - at(firm, *place)).max() < 6  # only there
    assert len(state(blank, "shot.layers")) == 1


def test_a_mask_that_cuts_a_moving_subject_is_told_of(bench: Page):
    """The wings open after the first frames, and go out of a mask drawn on folded ones."""
    bench.click("#seam-l-moth")
    note = bench.locator("#mask-cuts")
    bench.wait_for_timeout(3000)
    expect(note).to_be_hidden()  # the demo's own masks take stick and card, the same in every frame
    mask = state(bench, "shot.layers[2].seam.masks[1].id")
    type_tape(bench, f"seam.masks.{mask}.width", 560)
    expect(note).to_be_visible(timeout=60_000)
    note.get_by_role("button").click()
    worst = state(bench, "frame")
    assert 0 <= worst < 150
    cuts = bench.evaluate(
        "fetch(location.pathname + '/mask-cuts?layer=l-moth').then((answer) => answer.json())"
    )
    assert cuts == {"frame": worst}


def test_several_points_are_moved_scaled_and_turned_together(blank: Page):
    layer = add_layer(blank, "paper-sea")
    blank.click(f"#seam-{layer}")
    chip(blank, "masks", "Drawn")
    square = [(300, 600), (700, 600), (700, 1200), (300, 1200)]
    for x, y in square:
        blank.mouse.click(*on_picture(blank, x, y))
        blank.wait_for_timeout(400)
    blank.keyboard.press("Enter")
    until(blank, "velvetSeam.bench.shot.layers[0].seam.masks.length === 1")

    def places() -> np.ndarray:
        """The points in canvas pixels: the mask lies at its middle, unturned."""
        mask = state(blank, "shot.layers[0].seam.masks[0]")
        return np.array([
            (540 + mask["x"] + one["x"], 960 + mask["y"] + one["y"]) for one in mask["outline"]
        ])  # fmt: skip

    begun = places()
    assert np.abs(begun - square).max() < 3
    # a box beside the outline takes both points on the right
    drag(blank, on_picture(blank, 640, 500), on_picture(blank, 780, 1300))
    assert blank.evaluate("[...velvetSeam.handles.masks.points.taken]") == [1, 2]
    drag(blank, on_picture(blank, 700, 600), on_picture(blank, 760, 630))
    until(blank, "velvetSeam.bench.state.undo.includes('outline')")
    saved(blank)
    moved = places()
    assert np.abs(moved - (begun + [(0, 0), (60, 30), (60, 30), (0, 0)])).max() < 4

    # one more by Shift; then all four are turned by a quarter with the knob above them
    for n in (0, 3):
        held = box_of(blank, f'[data-grab="mask-point"][data-n="{n}"]')
        blank.keyboard.down("Shift")
        blank.mouse.click(held["x"] + 4, held["y"] + 4)
        blank.keyboard.up("Shift")
    assert blank.evaluate("velvetSeam.handles.masks.points.taken.size") == 4
    knob = box_of(blank, '[data-grab="mask-points-turn"]')
    middle = (moved.min(0) + moved.max(0)) / 2
    hub = on_picture(blank, *middle)
    top = (knob["x"] + 5, knob["y"] + 5)
    reach = hub[1] - top[1]
    drag(blank, top, (hub[0] + reach, hub[1]))
    saved(blank)
    turned = places()
    expected = np.stack(
        [middle[0] - (moved[:, 1] - middle[1]), middle[1] + moved[:, 0] - middle[0]], 1
    )
    assert np.abs(turned - expected).max() < 8

    # scaled by a corner, the one across from it stays
    low, high = turned.min(0), turned.max(0)
    knob = box_of(blank, '[data-grab="mask-points-scale"][data-corner="2"]')
    at_knob = (knob["x"] + 4.5, knob["y"] + 4.5)
    far = on_picture(blank, *low)
    drag(blank, at_knob, ((at_knob[0] + far[0]) / 2, (at_knob[1] + far[1]) / 2))
    saved(blank)
    smaller = places()
    assert np.abs(smaller.min(0) - low).max() < 3
    shrunk = (smaller.max(0) - low) / (high - low)
    assert ((shrunk > 0.35) & (shrunk < 0.6)).all()
    # an outline keeps three points: four taken are not removed
    blank.keyboard.press("Delete")
    expect(blank.locator("#say")).to_contain_text("at least three points")
    assert len(places()) == 4


def test_a_mask_is_copied_to_another_layer_and_lies_where_it_lay(blank: Page):
    low = add_layer(blank, "paper-sea")
    top = add_layer(blank, "embers")
    blank.click(f"#card-{low}")
    type_tape(blank, "place.scale", 60)
    blank.click(f"#seam-{top}")
    chip(blank, "masks", "Box")
    drag(blank, on_picture(blank, 300, 700), on_picture(blank, 700, 1100))
    until(blank, "velvetSeam.bench.shot.layers[1].seam.masks.length === 1")
    copy_to(blank, "#seam-masks [data-do=copy-to]", "paper-sea")
    until(blank, "velvetSeam.bench.shot.layers[0].seam.masks.length === 1")
    copy = state(blank, "shot.layers[0].seam.masks[0]")
    assert copy["id"] != state(blank, "shot.layers[1].seam.masks[0].id")
    assert copy["width"] == pytest.approx(400 / 0.6, abs=12)
    blank.click(f"#card-{top}")
    blank.keyboard.press("h")
    until(blank, "velvetSeam.bench.shot.layers[1].hidden")
    shown = picture(blank)
    lit = np.argwhere(shown.sum(2) > 30) * 2
    assert lit.min(0) == pytest.approx([700, 300], abs=8)
    assert lit.max(0) == pytest.approx([1100, 700], abs=8)
