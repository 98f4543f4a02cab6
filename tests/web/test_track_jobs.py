"""Following a carried lantern by mouse and keys: drawn, followed, set right by hand, and others made to go with it."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.web.test_seam_page import add_layer, blank
from tests.web.test_whole_job import clean, drag, saved, state, until
from velvet_seam.demo import lantern

pytestmark = pytest.mark.browser

__all__ = ["blank", "clean"]


def go(page: Page, frame: int) -> None:
    page.evaluate(f"velvetSeam.bench.go({frame})")
    # the picture of this frame, and of what has been done to the shot by now
    until(
        page,
        f"velvetSeam.picture.stray?.frame === {frame} && "
        "+document.getElementById('picture').dataset.revision === velvetSeam.bench.state.revision",
    )


def on_canvas(page: Page, x: float, y: float) -> tuple[float, float]:
    """Where a canvas pixel is on the screen."""
    box = page.locator("#handles").bounding_box()
    return tuple(page.evaluate(
        "([x, y, left, top]) => { const { rect } = velvetSeam.picture; return [left + rect.x + x * rect.k, top + rect.y + y * rect.k]; }",
        [x, y, box["x"], box["y"]],
    ))  # fmt: skip


def path(page: Page, track: int = 0) -> list:
    return state(page, f"shot.layers[0].tracks[{track}].path")


def followed(page: Page, count: int) -> None:
    until(page, f"velvetSeam.bench.shot.layers[0].tracks.length === {count}", seconds=60)


def test_a_lantern_is_followed_and_a_moon_hung_onto_it(blank: Page):
    page = blank
    walk = add_layer(page, "lantern-walk")
    page.click("#tab-track")
    expect(page.locator("#tracks")).to_be_visible()
    go(page, 20)
    corners = lantern.pane(20)
    page.click("[data-do='draw-plane']")
    expect(page.locator("#hint")).to_be_visible()
    drag(page, on_canvas(page, *corners.min(0)), on_canvas(page, *corners.max(0)))
    followed(page, 1)
    known = path(page)
    # the box is upright and the pane is not: what was drawn is what is followed
    drawn = np.array(known[20]).reshape(4, 2)
    assert np.abs(drawn - [[corners[:, 0].min(), corners[:, 1].min()], [corners[:, 0].max(), corners[:, 1].min()],
                           [corners[:, 0].max(), corners[:, 1].max()], [corners[:, 0].min(), corners[:, 1].max()]]).max() < 6  # fmt: skip
    back = np.linalg.inv(lantern.place(20))

    def truth(n: int) -> np.ndarray:
        made = np.column_stack([drawn, np.ones(4)]) @ (lantern.place(n) @ back).T
        return made[:, :2]

    off = [np.abs(np.array(known[n]).reshape(4, 2) - truth(n)).max() for n in range(60)]
    assert np.median(off) < 1.5
    lost = [n for n, one in enumerate(known) if one is None]
    assert set(range(74, 96)) <= set(lost)
    expect(page.locator(".said-fix", has_text="Lost on")).to_be_visible()
    page.locator(".said-fix [data-do='go-to']").first.click()
    assert state(page, "frame") == lost[0]
    # a moon is hung onto it
    go(page, 20)
    moon = add_layer(page, "moon-still")
    page.click("#tab-track")
    page.click(f"[data-do='follow-track'][data-of='{walk}']")
    saved(page)
    until(page, "velvetSeam.bench.shot.layers[1].follow.tracks.length === 1")
    page.click("[data-do='follow-how'][data-how='shift']")
    until(page, "velvetSeam.bench.shot.layers[1].follow.how === 'shift'")
    page.click("#tab-layer")
    for frame in (20, 50):
        go(page, frame)
        until(
            page, f"velvetSeam.picture.stray?.layer === '{moon}' && velvetSeam.picture.stray.camera"
        )
        camera = np.array(page.evaluate("velvetSeam.picture.stray.camera")).reshape(3, 3)
        went = truth(frame).mean(0) - truth(20).mean(0)
        assert np.abs(camera[:2, 2] - went).max() < 1.5
    # moved on top, where it is seen: its own values change by as much
    before = state(page, "layer.place.x")
    x, y = camera[:2, 2] + [before, state(page, "layer.place.y")]
    drag(page, on_canvas(page, x, y), on_canvas(page, x + 100, y))
    saved(page)
    assert state(page, "layer.place.x") == pytest.approx(before + 100, abs=4)
    page.keyboard.press("Control+z")
    until(page, f"Math.abs(velvetSeam.bench.layer.place.x - {before}) < 0.01")
    assert state(page, "layer.id") == moon
    # put onto the pane, corner on corner, and what it follows made keyframes: it is seen at the same places
    page.click("#tab-track")
    go(page, 20)
    page.click("[data-do='put-onto']")
    until(page, "velvetSeam.bench.shot.layers[1].follow.how === 'plane'")
    page.click("[data-do='follow-keyed']")
    until(page, "velvetSeam.bench.shot.layers[1].follow.tracks.length === 0")
    assert len(state(page, "shot.layers[1].place.pins.top_left_x.keys")) > 10
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    until(page, "velvetSeam.bench.shot.layers[1].follow.how === 'shift'")


def test_a_point_is_set_right_by_hand_held_still_and_taken_off(blank: Page):
    page = blank
    add_layer(page, "lantern-walk")
    page.click("#tab-track")
    go(page, 30)
    x, y = lantern.pane(30)[0]
    page.click("[data-do='draw-point']")
    drag(page, on_canvas(page, x - 40, y - 40), on_canvas(page, x + 40, y + 40))
    followed(page, 1)
    was = path(page)
    assert np.abs(np.array(was[30]) - [x, y]).max() < 3
    at = [np.abs(np.array(was[n]) - lantern.pane(n)[0]).max() for n in range(10, 60)]
    assert np.median(at) < 3
    # frame 50: the other upper corner is meant, from here on
    go(page, 50)
    here, there = was[50], lantern.pane(50)[1]
    drag(page, on_canvas(page, *here), on_canvas(page, *there))
    until(page, "velvetSeam.bench.shot.layers[0].tracks[0].by_hand.length === 2", seconds=60)
    now = path(page)
    assert now[:30] == was[:30]
    assert np.abs(np.array(now[50]) - there).max() < 3
    assert np.abs(np.array(now[60]) - lantern.pane(60)[1]).max() < 4
    page.click("[data-do='smooth-track'][data-to='2']")
    until(page, "velvetSeam.bench.shot.layers[0].tracks[0].smooth === 2")
    page.click("[data-do='smooth-track'][data-to='0']")
    until(page, "velvetSeam.bench.shot.layers[0].tracks[0].smooth === 0")
    page.click("[data-do='still-track']")
    until(page, "velvetSeam.bench.shot.layers[0].follow.still === true")
    for frame in (62, 50):
        go(page, frame)
        until(page, "Boolean(velvetSeam.picture.stray?.camera)")
        camera = np.array(page.evaluate("velvetSeam.picture.stray.camera")).reshape(3, 3)
        place = camera @ [*now[frame], 1]
        assert np.abs(place[:2] - now[50]).max() < 0.1
    page.fill("[data-track-name]", "Corner")
    page.keyboard.press("Enter")
    until(page, "velvetSeam.bench.shot.layers[0].tracks[0].name === 'Corner'")
    page.click("[data-do='remove-track']")
    until(page, "velvetSeam.bench.shot.layers[0].tracks.length === 0")
    page.keyboard.press("Control+z")
    until(page, "velvetSeam.bench.shot.layers[0].tracks.length === 1")


def test_a_mask_and_rays_go_with_it_and_the_sky_is_refused(blank: Page):
    page = blank
    walk = add_layer(page, "lantern-walk")
    page.click("#tab-track")
    go(page, 20)
    page.click("[data-do='draw-point']")
    drag(page, on_canvas(page, 640, 560), on_canvas(page, 690, 610))
    expect(page.locator("#say .bad")).to_be_visible(timeout=60_000)
    assert state(page, "shot.layers[0].tracks") == []
    x, y = lantern.pane(20).mean(0)
    page.click("[data-do='draw-point']")
    drag(page, on_canvas(page, x - 60, y - 60), on_canvas(page, x + 60, y + 60))
    followed(page, 1)
    page.click(f"#seam-{walk}")
    page.click("[data-do='draw-mask'][data-kind='oval']")
    drag(page, on_canvas(page, x - 200, y - 200), on_canvas(page, x + 200, y + 200))
    until(page, "velvetSeam.bench.shot.layers[0].seam.masks.length === 1")
    page.select_option("[data-mask-follows]", index=1)
    until(page, "velvetSeam.bench.shot.layers[0].seam.masks[0].follow.tracks.length === 1")
    go(page, 60)
    moved = page.evaluate("Object.values(velvetSeam.picture.stray.masks)[0]")
    went = lantern.pane(60).mean(0) - lantern.pane(20).mean(0)
    assert np.abs(np.array([moved[2], moved[5]]) - went).max() < 3
    # seen at the lantern and nowhere else; its outline is drawn there, too
    fx, fy = lantern.pane(60).mean(0)
    lit = page.evaluate(
        """([x, y, a, b]) => { const c = document.getElementById('picture'), k = c.width / 1080;
            const pen = c.getContext('2d'), at = (u, v) => [...pen.getImageData(u * k, v * k, 1, 1).data].slice(0, 3).reduce((s, n) => s + n);
            return [at(x, y), at(a, b)]; }""",
        [fx, fy, fx - 420, fy],
    )  # fmt: skip
    assert lit[0] > 300 > 60 > lit[1]
    drawn = page.locator("#handles .mask-line").first.bounding_box()
    sx, sy = on_canvas(page, fx, fy)
    assert abs(drawn["x"] + drawn["width"] / 2 - sx) < 4
    assert abs(drawn["y"] + drawn["height"] / 2 - sy) < 4


def test_an_outline_drawn_round_the_lantern_goes_on_with_it(blank: Page):
    page = blank
    walk = add_layer(page, "lantern-walk")
    page.click(f"#seam-{walk}")
    go(page, 30)
    page.click("[data-do='draw-mask'][data-kind='drawn']")
    corners = [(-64, -62), (0, -112), (64, -62), (68, 118), (-68, 118)]
    truth = [(lantern.place(30) @ [*one, 1])[:2] for one in corners]
    for x, y in truth:
        page.mouse.click(*on_canvas(page, x, y))
    page.keyboard.press("Enter")
    until(page, "velvetSeam.bench.shot.layers[0].seam.masks.length === 1")
    page.fill("[id^=carry-]", "15")
    page.click("[data-do='carry-outline']")
    until(
        page,
        "velvetSeam.bench.shot.layers[0].seam.masks[0].outline.keys?.length === 16",
        seconds=60,
    )
    mask = state(page, "shot.layers[0].seam.masks[0]")
    last = mask["outline"]["keys"][-1]
    assert last["frame"] == 45
    here = np.array(
        [[one["x"] + mask["x"] + 540, one["y"] + mask["y"] + 960] for one in last["value"]]
    )
    want = np.array([(lantern.place(45) @ [*one, 1])[:2] for one in corners])
    assert np.abs(here - want).max() < 12
    page.keyboard.press("Control+z")
    until(page, "velvetSeam.bench.shot.layers[0].seam.masks[0].outline.length === 5")
