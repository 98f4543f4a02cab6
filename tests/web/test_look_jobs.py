"""Whole jobs of making pieces belong to one picture, by mouse and keys, to the pixels of the file that is rendered."""

from __future__ import annotations

import re
import urllib.request
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.web.test_seam_page import add_layer, at, blank, chip, picture, type_tape
from tests.web.test_whole_job import clean, drag, on_picture, saved, state, until
from velvet_seam.core.media.clip import ClipReader
from velvet_seam.core.media.probe import probe

pytestmark = pytest.mark.browser

__all__ = ["blank", "clean"]


def length(page: Page, frames: int) -> None:
    page.click("button.ground")
    page.fill("#field-length", str(frames))
    page.keyboard.press("Enter")
    saved(page)
    until(page, f"velvetSeam.bench.shot.length === {frames}")


def part(page: Page, layer: str, kind: str, **values: float) -> str:
    """Add a part to a layer's look by its chip, and type its values."""
    page.click(f"#card-{layer}")
    page.click("#tab-look")
    before = len(state(page, "layer.look.parts"))
    page.click(f"[data-do='add-look-part'][data-kind='{kind}']")
    until(page, f"velvetSeam.bench.layer.look.parts.length === {before + 1}")
    identity = state(page, f"layer.look.parts[{before}].id")
    for name, value in values.items():
        type_tape(page, f"look.parts.{identity}.{name}", value)
    return identity


def rendered(page: Page, served: str, tmp_path: Path) -> list[np.ndarray]:
    """The frames of the shot as its file holds them."""
    page.click("#render")
    page.click("[data-do-render]")
    expect(page.locator("#rendering")).to_be_visible()
    here = page.url
    page.goto(f"{served}/renders")
    done = page.locator("[data-state]").first  # the newest
    expect(done).to_have_attribute("data-state", "done", timeout=400_000)
    expect(done).to_be_visible(timeout=400_000)
    address = done.get_by_role("link", name="Download").get_attribute("href")
    film = tmp_path / "film.mp4"
    film.write_bytes(urllib.request.urlopen(served + str(address)).read())
    page.goto(here)
    until(page, "velvetSeam.bench")
    told = probe(film)
    reader = ClipReader(film, told)
    return [reader.read(number)[..., :3].astype(float) for number in range(told.frames)]


def mean(frame: np.ndarray, x: int, y: int, side: int = 30) -> np.ndarray:
    return frame[y - side : y + side, x - side : x + side].mean((0, 1))


def test_embers_and_lettering_are_thrown_as_light_onto_a_face(blank: Page, served: str, tmp_path):
    """Screened and laid softly, blurred, the shadows crushed, one look over all."""
    page = blank
    fox = add_layer(page, "fox-left")
    length(page, 6)
    bare = picture(page)
    embers = add_layer(page, "embers")
    page.click(f"#seam-{embers}")
    page.select_option("#field-blend", "screen")
    until(page, "velvetSeam.bench.shot.layers[1].seam.blend === 'screen'")
    letters = add_layer(page, "tonight-card")
    page.click(f"#seam-{letters}")
    chip(page, "matte", "Screen")
    until(page, "velvetSeam.bench.shot.layers[2].seam.matte.length === 1")
    page.select_option("#field-blend", "soft-light")
    until(page, "velvetSeam.bench.shot.layers[2].seam.blend === 'soft-light'")
    part(page, letters, "blur", radius=14)
    part(page, embers, "blur", radius=6)
    before = picture(page)
    # the light of the embers reddens the fox only where they shine
    warm = part(page, fox, "light", exposure=1.2)
    shut = page.locator(".look-part:has-text('Light') .only-inside")
    shut.locator("summary").click()
    shut.get_by_role("button", name=re.compile("Through a layer")).click()
    until(page, "velvetSeam.bench.layer.look.parts[0].through")
    page.select_option(f"#field-{warm}-through", label="embers")
    until(page, f"velvetSeam.bench.layer.look.parts[0].through.layer === '{embers}'")
    type_tape(page, f"look.parts.{warm}.through.spread", 120)
    lit = picture(page, unlike=before)
    rise = (lit - before).mean(2)
    assert rise.max() > 6
    assert np.median(rise) < 3
    assert np.quantile(rise, 0.01) > -6  # the picture on the page is a JPEG
    # one look over all: shadows crushed
    page.click("#add-layer")
    page.click("[data-add-adjustment]")
    until(page, "velvetSeam.bench.layer?.source.kind === 'adjustment'")
    over = state(page, "target")
    part(page, over, "light", blacks=-100, contrast=30)
    dark = picture(page, unlike=lit)
    crushed = lit.mean(2) < 40
    assert crushed.mean() > 0.02
    assert dark[crushed].mean() < lit[crushed].mean() - 5
    frames = rendered(page, served, tmp_path)
    assert len(frames) == 6
    shown = frames[0][::2, ::2][: dark.shape[0]]
    assert np.abs(shown - dark).mean() < 3.5  # what was seen is what is in the file
    assert np.abs(shown - bare).mean() > 6


def test_a_moons_face_grey_and_blurred_floats_in_slowed_ink(blank: Page, served: str, tmp_path):
    page = blank
    ink = add_layer(page, "ink-in-milk")
    sound = None
    moon = add_layer(page, "moon-still")
    page.click("#add-layer")
    page.locator("#shelf .shelf-item", has_text="drum-roll").first.click()
    until(page, "velvetSeam.bench.shot.sounds.length === 1")
    length(page, 12)
    sound = state(page, "shot.sounds[0].id")
    page.click(f"#card-{ink}")
    page.click("#tab-layer")
    type_tape(page, "time.speed", 50)
    until(page, f"velvetSeam.bench.thing('{ink}').time.speed === 50")
    page.click(f"#card-{sound}")
    type_tape(page, "time.speed", 50)
    assert state(page, "sound.time.sound") == "follow"  # its pitch goes down with it
    part(page, moon, "monochrome")
    part(page, moon, "blur", radius=10)
    page.click(f"#seam-{moon}")
    page.select_option("#field-blend", "multiply")
    until(page, "velvetSeam.bench.shot.layers[1].seam.blend === 'multiply'")
    frames = rendered(page, served, tmp_path)
    face = frames[0][660:1260, 240:840]
    assert (
        np.abs(face.max(-1) - face.min(-1)).mean()
        < np.abs(frames[0][:300].max(-1) - frames[0][:300].min(-1)).mean() + 14
    )  # no colour of the moon's own
    # twice as slow: so much of the file's frames stand still
    steps = [np.abs(b - a).mean() for a, b in pairwise(frames[2:10])]
    assert min(steps) < 0.35 * max(steps)


def test_two_takes_are_given_one_grade_by_copying(blank: Page, served: str, tmp_path):
    """Side by side by a mask; graded together; a change of one is no change of the other."""
    page = blank
    left = add_layer(page, "fox-left")
    right = add_layer(page, "fox-right")
    length(page, 5)
    page.click(f"#seam-{right}")
    page.locator("#seam-masks [data-do='draw-mask'][data-kind='box']").click()
    drag(page, on_picture(page, 540, 4), on_picture(page, 1076, 1916))
    until(page, "velvetSeam.bench.shot.layers[1].seam.masks.length === 1")
    before = picture(page)
    part(page, left, "balance", temperature=-60)
    part(page, left, "light", exposure=-0.8)
    page.click("[data-do='copy-look']")
    page.check(f"#copy-list input[value='{right}']")
    page.click("#copy-go")
    until(page, f"velvetSeam.bench.thing('{right}').look.parts.length === 2")
    after = picture(page, unlike=before)
    for x in (200, 900):  # both sides have changed alike
        change = at(after, x, 300) - at(before, x, 300)
        assert change.mean() < -12
    one, other = (at(after, x, 300) - at(before, x, 300) for x in (200, 900))
    assert np.abs(one - other).max() < 14
    exposure = state(page, f"thing('{right}').look.parts[1].id")
    page.click(f"#card-{right}")
    page.click("#tab-look")
    type_tape(page, f"look.parts.{exposure}.exposure", 0)
    changed = picture(page, unlike=after)
    assert at(changed, 900, 300).mean() > at(after, 900, 300).mean() + 12
    assert np.abs(at(changed, 200, 300) - at(after, 200, 300)).max() < 1
    page.keyboard.press("Control+z")
    frames = rendered(page, served, tmp_path)
    assert np.abs(mean(frames[2], 200, 300) - at(after, 200, 300)).max() < 8
    assert np.abs(mean(frames[2], 900, 300) - at(after, 900, 300)).max() < 8


def test_windows_are_drawn_and_a_layer_is_put_into_one(blank: Page):
    page = blank
    sea = add_layer(page, "paper-sea")
    page.click("#add-layer")
    page.click("[data-add-generated='windows']")
    until(page, "velvetSeam.bench.layer?.source.kind === 'windows'")
    frame = state(page, "target")
    page.select_option("[data-value='source.layout']", "drawn")
    until(page, "velvetSeam.bench.layer.source.layout === 'drawn'")
    shut = picture(page)
    assert shut.std((0, 1)).max() < 2  # all of it is covered
    page.locator("[aria-label='Draw a window'] [data-kind='oval']").click()
    drag(page, on_picture(page, 200, 300), on_picture(page, 700, 1000))
    until(page, "velvetSeam.bench.layer.seam.masks.length === 1")
    assert state(page, "layer.seam.masks[0].use") == "garbage"
    page.click(f"#card-{sea}")
    page.click("#tab-around")
    page.click("[data-do='into-window']")
    until(page, "velvetSeam.bench.layer.seam.masks.length === 1")
    shown = picture(page, unlike=shut)
    assert np.abs(at(shown, 450, 650) - at(shut, 450, 650)).max() > 20
    assert np.abs(at(shown, 850, 1500) - at(shut, 850, 1500)).max() < 2
    place = state(page, f"thing('{sea}').place")
    assert place["x"] == pytest.approx(450, abs=8)
    assert place["y"] == pytest.approx(650, abs=8)
    assert place["scale"] < 60
    page.keyboard.press("Control+z")
    until(page, "velvetSeam.bench.layer.seam.masks.length === 0")
    assert state(page, f"thing('{frame}').seam.masks.length") == 1
