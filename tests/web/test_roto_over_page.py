"""A roto over its clip in the browser: followed, looked at again, held, and a stroke seen without and taken back."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.web.test_look_jobs import length
from tests.web.test_roto_page import MATTE, brush_up, covered, fox, iou, painted, stroke
from tests.web.test_seam_page import add_layer, blank, chip, picture, settled
from tests.web.test_whole_job import clean, state, until

pytestmark = pytest.mark.browser

__all__ = ["blank", "clean"]

FOUND = "velvetSeam.commands.rotoOver.strip.found"


def counts(page: Page) -> dict[str, int]:
    return page.evaluate(f"{FOUND}.counts")


def followed(page: Page) -> None:
    """The brush laid down: it is followed by itself. Waits until it is."""
    page.keyboard.press("Escape")
    until(page, f"{FOUND}?.counts.waiting > 0 || {FOUND}?.counts.carried > 0")
    until(page, f"!velvetSeam.commands.rotoOver.strip.busy && !{FOUND}.counts.waiting", 90)


def strip_x(page: Page, frame: int) -> tuple[float, float]:
    box = page.locator("#roto-strip").bounding_box()
    assert box is not None
    return box["x"] + page.evaluate(f"velvetSeam.commands.strip.x({frame} + 0.5)"), box["y"] + 12


def go(page: Page, frame: int) -> None:
    page.evaluate(f"velvetSeam.bench.go({frame})")
    settled(page)


def test_what_is_painted_is_followed_judged_held_and_put_right(blank: Page):
    page = blank
    length(page, 62)
    painted(page)
    expect(page.locator(".roto-over")).to_contain_text("of 61 frames followed")
    followed(page)
    assert counts(page)["painted"] == 1
    assert counts(page).get("carried", 0) + counts(page).get("look", 0) == 61
    expect(page.locator(".roto-over")).to_contain_text("to be looked at")

    page.keyboard.press("q")  # the most doubtful frame of the next stretch
    runs = [run for run in page.evaluate(f"{FOUND}.runs") if run[2] == "look"]
    if runs:
        assert state(page, "frame") in [run[3] for run in runs]
        expect(page.locator(".roto-here")).to_have_text("This frame: to be looked at")

    go(page, 30)
    right, before = covered(page), {}
    for frame in (24, 36, 60):
        go(page, frame)
        before[frame] = covered(page)
    # a stretch is dragged over on the strip, and held
    page.mouse.move(*strip_x(page, 26))
    page.mouse.down()
    page.mouse.move(*strip_x(page, 34), steps=4)
    page.mouse.up()
    expect(page.locator(".roto-here")).to_have_text("9 frames chosen")
    page.get_by_role("button", name="Hold them").click()
    until(page, f"{FOUND}.counts.held === 9")
    assert [
        (one["first"], one["last"], one["strokes"]) for one in state(page, f"{MATTE}.held")
    ] == [(26, 34, 2)]
    page.mouse.click(*strip_x(page, 30))  # a click goes there
    until(page, "velvetSeam.bench.frame === 30")
    expect(page.locator(".roto-here")).to_have_text("This frame: held as it is")

    # what is painted on the first frame reaches neither what is held nor what lies beyond it
    brush_up(page)
    page.mouse.click(600, 300)
    expect(page.locator("#say")).to_contain_text("held as it is")
    go(page, 0)
    y, x = (2 * float(v) for v in np.argwhere(fox(0)).mean(0))
    stroke(page, (x, y - 60), (x, y + 40), button="right")
    page.keyboard.press("Escape")
    go(page, 30)
    assert (covered(page) == right).all()
    for frame, changes in ((24, True), (36, False), (60, False)):
        go(page, frame)
        assert ((covered(page) != before[frame]).sum() > 40) == changes, frame

    # seen as it was before the last stroke, while held; and taken back
    go(page, 0)
    less = covered(page)
    page.locator("[data-before]").hover()
    page.mouse.down()
    until(page, "velvetSeam.bench.bare")
    more = covered(page)
    page.mouse.up()
    until(page, "!velvetSeam.bench.bare")
    there = np.s_[int(y / 2) - 24 : int(y / 2) - 4, int(x / 2)]  # dropped, and not painted before
    assert more[there].all()
    assert not less[there].any()
    page.get_by_role("button", name="Take back").click()
    until(page, f"velvetSeam.bench.{MATTE}.strokes.length === 2")
    assert (covered(page) == more).all()

    # let go of
    go(page, 30)
    page.get_by_role("button", name="Let go").click()
    until(page, f"velvetSeam.bench.{MATTE}.held.length === 2")
    expect(page.locator(".roto-here")).not_to_contain_text("held")
    page.keyboard.press("Control+z")
    until(page, f"velvetSeam.bench.{MATTE}.held.length === 1")


def test_following_is_stopped_and_goes_on_where_it_was(blank: Page):
    page = blank
    length(page, 62)
    painted(page)
    stroke(
        page, (150, 1000), (150, 1560), button="right"
    )  # what other tests have followed is known
    page.keyboard.press("Escape")
    stop = page.get_by_role("button", name="Stop", exact=True)
    stop.wait_for()  # until then the counts may be those of the first stroke
    until(page, f"{FOUND}?.counts.carried >= 3 || {FOUND}?.counts.look >= 3", 60)
    stop.click()
    until(page, "!velvetSeam.commands.rotoOver.strip.busy")
    known = 61 - counts(page).get("waiting", 0)
    assert 3 <= known < 61
    page.reload()
    until(page, "velvetSeam.bench.shot.layers.length === 1")
    page.click(f"#seam-{state(page, 'shot.layers[0].id')}")
    until(page, f"61 - {FOUND}?.counts.waiting >= {known}")  # what was found is still there
    page.get_by_role("button", name="Follow on").click()
    until(page, f"!velvetSeam.commands.rotoOver.strip.busy && !{FOUND}.counts.waiting", 90)


def test_a_guess_is_made_on_every_frame_until_one_is_painted(blank: Page):
    page = blank
    painted(page)
    until(page, f"{FOUND}?.counts.painted === 1")
    page.keyboard.press("Escape")
    page.locator("[data-do=roto-clear]").click()
    until(page, f"velvetSeam.bench.{MATTE}.strokes.length === 0")
    page.select_option("select[id$=-begin]", "movement")
    until(page, f"{FOUND}?.counts.guessed === 100")
    expect(page.locator(".roto-over")).to_contain_text("Guessed")
    go(page, 50)
    there = covered(page)
    assert 0.001 < there.mean() < 0.2
    assert (there & fox(50)).sum() / there.sum() > 0.7  # what moves is the fox, or some of it
    assert iou(there, fox(50)) > 0.1


def test_two_rotos_of_one_layer_each_have_their_frames(blank: Page):
    page = blank
    length(page, 30)
    painted(page)
    followed(page)
    alone = covered(page)
    first, chips = (
        page.locator("[data-roto]").first,
        page.locator("#seam-matte .chip", has_text="Roto"),
    )
    chips.click()
    until(page, "velvetSeam.bench.layer.seam.matte.length === 2")
    other = "shot.layers[0].seam.matte[1]"
    assert state(page, f"{other}.combine") == "add"  # a second subject
    brush_up(page, 1)
    stroke(page, (880, 1700), (960, 1700), matte=other)
    stroke(page, (100, 1500), (1000, 1500), button="right", matte=other)
    assert state(page, f"{MATTE}.strokes.length") == 2
    page.keyboard.press("Escape")
    until(
        page, f"{FOUND}?.counts.painted === 1 && {FOUND}.of.endsWith(velvetSeam.bench.{other}.id)"
    )
    until(page, "!velvetSeam.commands.rotoOver.strip.busy", 90)  # it is followed, as the first was
    until(page, f"!{FOUND}.counts.waiting")
    expect(first.locator(".roto-over")).to_have_text("Its frames are not shown below")
    assert (covered(page) & ~alone).sum() > 200
    page.get_by_role("button", name="Show its frames").click()
    until(page, f"{FOUND}?.of.endsWith(velvetSeam.bench.{MATTE}.id)")
    expect(first.locator(".roto-here")).to_have_text("This frame: painted")


def test_a_hand_on_white_paper_is_keyed_with_its_shadow(blank: Page):
    page = blank
    add_layer(page, "paper-sea")
    hand = add_layer(page, "cut-hand")
    page.click(f"#seam-{hand}")
    below = picture(page).astype(int)
    chip(page, "matte", "Ground")
    until(page, "velvetSeam.bench.shot.layers[1].seam.matte[0]?.kind === 'ground-key'")
    settled(page)
    with_shadow = picture(page).astype(int)
    assert np.abs(with_shadow - below).max(2).mean() > 20  # the paper is gone
    page.evaluate(
        f"velvetSeam.bench.set('{hand}', {{ [`seam.matte.${{velvetSeam.bench.layer.seam.matte[0].id}}.keep_shadows`]: 0 }})"
    )
    until(page, "velvetSeam.bench.layer.seam.matte[0].keep_shadows === 0")
    settled(page)
    without = picture(page).astype(int)
    darker = (without - with_shadow).mean(2)
    assert (darker > 8).mean() > 0.01  # the shadow lay there
    assert (darker < -3).mean() < 0.002


def test_a_luma_key_reads_its_levels_from_the_border(blank: Page):
    page = blank
    hand = add_layer(page, "cut-hand")
    page.click(f"#seam-{hand}")
    chip(page, "matte", "Luma")
    until(page, f"velvetSeam.bench.{MATTE}?.kind === 'luma-key'")
    assert state(page, f"{MATTE}.low") == 0
    assert 60 < state(page, f"{MATTE}.high") < 90
    expect(page.locator("#say")).to_contain_text("as bright as the border")
    shown = covered(page)
    assert 0.08 < shown.mean() < 0.4  # the hand, and not the paper
