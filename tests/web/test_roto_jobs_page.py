"""Whole jobs by roto in the browser: several selves out of one take, and a still one at three places."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from playwright.sync_api import Page

from tests.web.test_roto_over_page import followed, go
from tests.web.test_roto_page import brush_up, covered, iou, stroke
from tests.web.test_seam_page import add_layer, blank, chip, picture, settled
from tests.web.test_whole_job import clean, state, until
from velvet_seam.demo import fox, hare

pytestmark = pytest.mark.browser

__all__ = ["blank", "clean"]


def painted_by(page: Page, layer: str, cover: np.ndarray) -> None:
    """A roto on a layer that fills the canvas: a line down the deepest of a subject, and four around it."""
    page.click(f"#seam-{layer}")
    chip(page, "matte", "Roto")
    until(page, "velvetSeam.bench.layer?.seam.matte.length === 1")
    brush_up(page)
    inside = (cover > 0.9).astype(np.uint8)
    rows, columns = np.flatnonzero(inside.any(1)), np.flatnonzero(inside.any(0))
    top, bottom, left, right = rows[0], rows[-1], columns[0], columns[-1]
    y, x = np.unravel_index(
        int(np.argmax(cv2.distanceTransform(inside, cv2.DIST_L2, 5))), cover.shape
    )
    held = np.flatnonzero(inside[:, x])
    at = f"shot.layers.find((one) => one.id === '{layer}').seam.matte[0]"
    above, below = max(int(held[0]) + 12, y - 260), min(int(held[-1]) - 12, y + 260)
    stroke(page, (float(x), float(above)), (float(x), float(below)), matte=at)
    far = 40
    a, b = max(left - far, 12), min(right + far, cover.shape[1] - 12)
    c, d = max(top - far, 12), min(bottom + far, cover.shape[0] - 12)
    for start, end in (((a, c), (a, d)), ((b, c), (b, d)), ((a, c), (b, c)), ((a, d), (b, d))):
        stroke(page, start, end, button="right", matte=at)


def add_hare(page: Page) -> str:
    """The clip of that very name: other footage, and shots, have it in theirs."""
    before = len(state(page, "shot.layers"))
    page.click("#add-layer")
    page.locator("#shelf .shelf-item").filter(
        has=page.get_by_text("hare", exact=True)
    ).first.click()
    until(page, f"velvetSeam.bench.shot.layers.length === {before + 1}")
    return state(page, f"shot.layers[{before}].id")


def lying(cover: np.ndarray, place: dict[str, float]) -> np.ndarray:
    """Where a subject truly is on the canvas, at half its size: (960, 540) bool."""
    height, width = cover.shape
    k = place["scale"] / 200
    move = np.array(
        [[k, 0, place["x"] / 2 - k * width / 2], [0, k, place["y"] / 2 - k * height / 2]]
    )
    return cv2.warpAffine(cover.astype(np.float32), move, (540, 960), flags=cv2.INTER_AREA) > 0.5


def test_five_selves_of_the_fox_out_of_one_take(blank: Page):
    page = blank
    first = add_layer(page, "fox-left")
    cover = fox.truth("left", 0)[1].copy()
    cover[1440:] = 0  # the rod below its feet is not wanted
    painted_by(page, first, cover)
    followed(page)
    selves = [first]
    for n in range(1, 5):
        page.click(f"#card-{first}")
        until(page, "velvetSeam.bench.kind === 'layer'")
        page.keyboard.press("d")
        until(page, f"velvetSeam.bench.shot.layers.length === {n + 1}")
        selves.append(state(page, "layer.id"))
    assert len(set(selves)) == 5
    for n, layer in enumerate(selves):
        values = {
            "time.source_in": f"{18 * n}/25",
            "place.scale": 50,
            "place.x": 180 * n + 300,
            "place.y": 900 + 40 * (n % 2),
        }
        page.evaluate("([layer, values]) => velvetSeam.bench.set(layer, values)", [layer, values])
        settled(page)
    for frame in (0, 12):
        go(page, frame)
        for n, layer in enumerate(selves):
            page.click(f"#seam-{layer}")
            until(
                page,
                f"velvetSeam.bench.layer?.id === '{layer}' && velvetSeam.bench.kind === 'seam'",
            )
            settled(page)
            truth = fox.truth("left", 18 * n + frame)[1].copy()
            truth[1440:] = 0
            place = state(page, "layer.place")
            assert iou(covered(page), lying(truth, place)) > 0.88, (n, frame)


def test_the_hare_stands_still_at_three_places(blank: Page):
    page = blank
    stills = []
    for n, frame in enumerate((10, 45, 80)):
        layer = add_hare(page)
        stills.append((layer, frame))
        values = {"time.speed": 0, "time.source_in": f"{frame}/25"}
        page.evaluate("([layer, values]) => velvetSeam.bench.set(layer, values)", [layer, values])
        settled(page)
        cover = hare.truth(frame)[1]
        painted_by(page, layer, cover)
        assert iou(covered(page), lying(cover, state(page, "layer.place"))) > 0.93, frame
        page.keyboard.press("Escape")
        page.evaluate(
            "([layer, x]) => velvetSeam.bench.set(layer, { 'place.x': x, 'place.scale': 60 })",
            [layer, 240 + 300 * n],
        )
        settled(page)
    seen = [picture(page)]
    go(page, 40)
    seen.append(picture(page))
    assert np.abs(seen[0].astype(int) - seen[1]).mean() < 1  # nobody moves
    for layer, frame in stills:
        page.click(f"#seam-{layer}")
        until(page, f"velvetSeam.bench.layer?.id === '{layer}' && velvetSeam.bench.kind === 'seam'")
        settled(page)
        assert iou(covered(page), lying(hare.truth(frame)[1], state(page, "layer.place"))) > 0.9, (
            frame
        )
