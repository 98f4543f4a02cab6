"""Joins made with the mouse on demo footage, and the pixels that come of it."""

from __future__ import annotations

import base64
import io

import cv2
import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, expect

from tests.application import ASIDE
from tests.web.test_bench_page import bench
from tests.web.test_whole_job import (
    choose_from_shelf,
    clean,
    copy_to,
    drag,
    on_picture,
    saved,
    state,
    until,
)

pytestmark = pytest.mark.browser

__all__ = ["bench", "clean"]


@pytest.fixture
def blank(clean: Page, served: str):
    """A new portrait shot, thrown away afterwards."""
    started = clean.request.post(
        f"{served}/shots", form={"canvas": "1080x1920"}, max_redirects=0, timeout=60_000
    )
    clean.goto(served + started.headers["location"])
    until(clean, "velvetSeam.bench.shot.layers.length === 0")
    yield clean
    shot = clean.url
    # what the page asks for now and then is not asked of a shot that is gone
    clean.goto(served + ASIDE)
    gone = clean.request.delete(
        shot.partition("?")[0].partition("#")[0], timeout=60_000, max_retries=2
    )
    assert gone.status in (200, 204, 404)


def settled(page: Page) -> None:
    """Nothing is being saved, and the picture shows what is."""
    saved(page)
    until(
        page,
        "+document.getElementById('picture').dataset.revision === velvetSeam.bench.state.revision"
        " && +document.getElementById('picture').dataset.frame === velvetSeam.bench.frame"
        " && !velvetSeam.picture.slot.busy && !velvetSeam.picture.later",
    )
    page.evaluate(
        "() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))"
    )


def picture(page: Page, unlike: np.ndarray | None = None) -> np.ndarray:
    """What the picture shows, (960, 540, 3); once it shows something else than before."""
    settled(page)
    for _ in range(12):
        shown = drawn(page)
        if unlike is None or not np.array_equal(shown, unlike):
            return shown
        page.wait_for_timeout(300)
    raise AssertionError("the picture stayed as it was")


def drawn(page: Page) -> np.ndarray:
    data = page.evaluate("document.getElementById('picture').toDataURL('image/png')")
    png = Image.open(io.BytesIO(base64.b64decode(data.split(",")[1])))
    return np.asarray(png.convert("RGB")).astype(int)


def at(shown: np.ndarray, x: float, y: float) -> np.ndarray:
    """Mean of a few pixels around a canvas place."""
    i, j = round(y / 2), round(x / 2)
    return shown[i - 2 : i + 3, j - 2 : j + 3].mean((0, 1))


def chip(page: Page, section: str, name: str) -> None:
    page.locator(f"#seam-{section} .chip", has_text=name).first.click()


def type_tape(page: Page, path: str, value: float) -> None:
    number = page.locator(f"#number-{path.replace('.', '-')}")
    number.fill(str(value))
    number.press("Enter")
    saved(page)


def add_layer(page: Page, name: str) -> str:
    before = len(state(page, "shot.layers"))
    choose_from_shelf(page, name)
    until(page, f"velvetSeam.bench.shot.layers.length === {before + 1}")
    # a clip another test brought in may still be read from its original: pictures would then differ
    until(page, "Object.values(velvetSeam.bench.state.footage).every((one) => one.ready)", 90)
    return state(page, f"shot.layers[{before}].id")


def test_what_is_said_of_a_missing_screen_goes_once_it_is_shown(blank: Page):
    sea = add_layer(blank, "paper-sea")
    blank.click(f"#seam-{sea}")
    chip(blank, "matte", "Screen")
    said = blank.locator("#say .bad")
    expect(said).to_contain_text("No screen was found")
    expect(blank.locator("#hint")).to_be_visible()  # it asks for an area by itself
    drag(blank, on_picture(blank, 200, 200), on_picture(blank, 500, 300))
    until(blank, "velvetSeam.bench.shot.layers[0].seam.matte[0].colour_from === 'area'")
    expect(said).to_have_count(0, timeout=4000)  # by itself it would stay for twelve seconds


def test_lettering_is_keyed_from_its_card_and_made_denser(blank: Page):
    letters = add_layer(blank, "tonight-card")
    blank.click(f"#seam-{letters}")
    chip(blank, "matte", "Screen")
    until(blank, "velvetSeam.bench.shot.layers[0].seam.matte.length === 1")
    shown = picture(blank)
    assert shown[150:300, 100:440].max() < 40  # the card is gone, the black canvas shows
    cream = shown[330:430, 60:480]
    assert (cream.min(2) > 150).mean() > 0.12
    expect(blank.locator("#matte-facts")).to_contain_text("covers")
    blank.keyboard.press("2")
    thin = picture(blank, unlike=shown)
    type_tape(blank, "seam.edge.density", 300)
    until(blank, "velvetSeam.bench.shot.layers[0].seam.edge.density === 300")
    dense = picture(blank, unlike=thin)
    partly = (thin > 40) & (thin < 200)
    assert (dense[partly] - thin[partly]).mean() > 30
    assert dense[thin < 3].mean() < 6
    blank.keyboard.press("1")


def test_light_on_black_and_texture_are_chosen_on_the_blend_wall(blank: Page):
    add_layer(blank, "paper-sea")
    sparks = add_layer(blank, "embers")
    for _ in range(6):
        blank.keyboard.press("Shift+ArrowRight")
    blank.click(f"#seam-{sparks}")
    blank.keyboard.press("b")
    wall = blank.locator("#wall-pop")
    expect(wall).to_be_visible()
    tile = wall.locator("[data-blend=screen] button").first
    tile.hover()
    until(blank, "document.getElementById('picture').dataset.trial === 'true'")
    tile.click()
    until(blank, "velvetSeam.bench.shot.layers[1].seam.blend === 'screen'")
    expect(wall.locator(".wall-tile.here .wall-title")).to_have_text("Screen")
    # tiles of different blends show different pictures
    until(
        blank,
        """(() => { const sums = [...document.querySelectorAll('#wall-pop .wall-tile')].map((tile) => {
            const c = tile.querySelector('canvas');
            return c.getContext('2d').getImageData(0, 0, c.width, c.height).data.reduce((a, b) => a + b, 0); });
            return sums.length === 33 && new Set(sums).size > 15; })()""",
        seconds=15,
    )
    blank.keyboard.press("Escape")
    expect(wall).to_be_hidden()
    lit = picture(blank)
    blank.keyboard.press("h")
    until(blank, "velvetSeam.bench.shot.layers[1].hidden")
    dark = picture(blank, unlike=lit)
    assert (lit - dark).max() > 80
    assert np.percentile(lit - dark, 0.1) > -8  # screen only ever adds light

    ink = add_layer(blank, "ink-in-milk")
    blank.click(f"#seam-{ink}")
    blank.keyboard.press("b")
    # the other way round: the sea over the ink
    wall.locator("[data-blend=multiply] button").nth(1).click()
    until(blank, f"velvetSeam.bench.shot.layers[1].id === '{ink}'")
    blank.keyboard.press("Escape")
    assert state(blank, "shot.layers[1].seam.blend") == "multiply"
    assert (picture(blank) <= dark + 6).mean() > 0.98  # multiply only ever takes light


def test_a_silhouette_is_filled_with_another_world(blank: Page):
    add_layer(blank, "dancer-backlit")
    sea = add_layer(blank, "paper-sea")
    blank.click(f"#seam-{sea}")
    chip(blank, "matte", "Layer")
    until(blank, "velvetSeam.bench.shot.layers[1].seam.matte.length === 1")
    blank.get_by_role("button", name="is bright").click()
    until(blank, "velvetSeam.bench.shot.layers[1].seam.matte[0].of === 'brightness'")
    blank.get_by_role("button", name="Turn Layer matte round").click()
    until(blank, "velvetSeam.bench.shot.layers[1].seam.matte[0].invert")
    shown = picture(blank)
    body, sheet = at(shown, 540, 900), at(shown, 900, 900)
    assert body[2] > 1.15 * body[0]  # the blue of the sea in the dark figure
    assert sheet[0] > sheet[2]
    assert sheet.sum() > 400

    # the other layer goes: the matte is passed over, and the panel says so
    blank.locator("[data-do=remove]").last.dispatch_event("click")
    until(blank, "velvetSeam.bench.shot.layers.length === 1")
    expect(blank.locator("#panel")).to_contain_text("no longer in the shot")
    whole = at(picture(blank), 900, 900)
    assert whole[2] > whole[0]


def test_ways_of_seeing_what_a_key_does(bench: Page):
    bench.click("#seam-l-moth")
    bench.click(".order a[href='#seam-masks']")  # scrolls the panel, and nothing else
    assert bench.locator("header.head").bounding_box()["y"] == 0
    assert 40 < bench.locator("#seam-masks").bounding_box()["y"] < 400
    source = None
    for key in ("3", "4", "5", "5", "5", "2", "1"):
        bench.keyboard.press(key)
        shown = picture(bench)
        assert source is None or np.abs(shown - source).max() > 30, key
        source = shown if key == "3" else source
        if key == "4":  # what is dropped is tinted, the moth is not
            assert at(shown, 200, 1500)[0] > at(shown, 200, 1500)[1]
    bench.keyboard.press("5")
    bed = {
        tuple(at(picture(bench), 60, 300).round().astype(int))
        for _ in range(3)
        if bench.keyboard.press("5") is None
    }
    assert len(bed) == 3  # a checker, black, white
    bench.keyboard.press("1")


def test_the_loupe_reads_colour_and_coverage(bench: Page):
    bench.click("#seam-l-moth")
    shown = picture(bench)
    bench.keyboard.press("u")
    bench.mouse.move(*on_picture(bench, 460, 860))
    loupe = bench.locator("#loupe p")
    expect(loupe).to_contain_text("covers")
    for x, y, covers in ((460, 860, 100), (980, 200, 0)):
        bench.mouse.move(*on_picture(bench, x, y))
        expect(loupe).to_contain_text(f"covers{covers} %")
        told = [int(v) for v in loupe.locator("b").nth(1).inner_text().split()]
        assert np.abs(np.array(told) - at(shown, x, y)).max() <= 14
    bench.keyboard.press("u")
    expect(bench.locator("#loupe")).to_be_hidden()


def test_linear_light_makes_a_half_and_half_lighter(blank: Page):
    add_layer(blank, "dancer-backlit")
    sea = add_layer(blank, "paper-sea")
    blank.click(f"#seam-{sea}")
    type_tape(blank, "seam.opacity", 50)
    before = picture(blank)
    blank.keyboard.press("Escape")
    blank.get_by_role("button", name="linear light").click()
    until(blank, "velvetSeam.bench.shot.light === 'linear'")
    after = picture(blank, unlike=before)
    blank.click(f"#card-{sea}")
    blank.keyboard.press("h")
    until(blank, "velvetSeam.bench.shot.layers[1].hidden")
    dancer = picture(blank, unlike=after)
    blank.keyboard.press("h")
    until(blank, "!velvetSeam.bench.shot.layers[1].hidden")
    saved(blank)
    blank.click(f"#seam-{sea}")
    type_tape(blank, "seam.opacity", 100)
    over = picture(blank, unlike=dancer)

    def light(v: np.ndarray) -> np.ndarray:
        v = v / 255
        return np.where(v <= 0.04045, v / 12.92, ((v + 0.055) / 1.055) ** 2.4)

    for x, y in ((900, 500), (200, 1500), (540, 900)):
        one, other = at(dancer, x, y), at(over, x, y)
        assert light(at(after, x, y)) == pytest.approx((light(one) + light(other)) / 2, abs=0.03)
        assert at(before, x, y) == pytest.approx((one + other) / 2, abs=5)


def test_mattes_are_steadied_copied_and_taken_from_the_file(bench: Page):
    bench.click("#seam-l-moth")
    bench.keyboard.press("2")
    before = picture(bench)
    type_tape(bench, "seam.edge.steady", 100)
    calm = picture(bench, unlike=before)
    changed = np.abs(calm - before).max(2) > 4
    edge = ((before > 25) & (before < 230)).any(2).astype(np.uint8)
    assert 0 < changed.mean() < 0.01
    # along the edge; what else changes is specks, and few of them
    assert cv2.dilate(edge, np.ones((9, 9)))[changed].mean() > 0.7

    copy_to(bench, "#seam-matte [data-do=copy-to]", "Paper sea")
    until(bench, "velvetSeam.bench.shot.layers[0].seam.matte.length === 1")
    copy, first = (state(bench, f"shot.layers[{n}].seam.matte[0]") for n in (0, 2))
    assert copy.pop("id") != first.pop("id")
    assert copy == first

    own = bench.locator("#seam-matte .chip", has_text="Own alpha")
    expect(own).to_be_disabled()  # a clip without coverage
    bench.click("#seam-l-moon")
    bench.keyboard.press("1")
    expect(bench.locator("#panel h2")).to_have_text("Seam")
    expect(own).to_be_enabled()
    shown = picture(bench)
    own.click()
    until(bench, "velvetSeam.bench.shot.layers[1].seam.matte.length === 1")
    expect(bench.locator("#seam-matte")).to_contain_text("its file has some")
    bench.get_by_role("button", name="Turn Own alpha round").click()
    assert np.abs(picture(bench, unlike=shown) - shown).max() > 60  # the moon is gone


def test_a_screen_is_the_mean_of_several_areas(blank: Page):
    moth = add_layer(blank, "moth-on-card")
    blank.click(f"#seam-{moth}")
    chip(blank, "matte", "Screen")
    until(blank, "velvetSeam.bench.shot.layers[0].seam.matte.length === 1")
    key = "velvetSeam.bench.shot.layers[0].seam.matte[0]"
    for n, (name, x) in enumerate((("Drag an area", 120), ("One more area", 760)), 1):
        blank.get_by_role("button", name=name).click()
        blank.mouse.move(*on_picture(blank, x, 1500))
        expect(blank.locator("#loupe")).to_be_visible()  # by itself, while a colour is taken
        red, green, blue = blank.locator("#loupe b").nth(1).inner_text().split()
        assert int(green) > 1.5 * max(int(red), int(blue))  # of the card, not of what is joined
        drag(blank, on_picture(blank, x, 1500), on_picture(blank, x + 120, 1600))
        until(
            blank, f"{key}.colour_from === 'area' && {key}.samples.length === {n if n > 1 else 0}"
        )
    expect(blank.locator("#loupe")).to_be_hidden()
    held = state(blank, "shot.layers[0].seam.matte[0]")
    samples = [list(bytes.fromhex(one[1:])) for one in held["samples"]]
    assert list(bytes.fromhex(held["colour"][1:])) == pytest.approx(np.mean(samples, 0), abs=1)
    wide = blank.evaluate("[panel.scrollWidth, panel.clientWidth]")
    assert wide[0] == wide[1]  # nothing sticks out
    blank.locator("[data-do=drop-sample]").first.click()
    until(blank, f"{key}.samples.length === 0")
    assert state(blank, "shot.layers[0].seam.matte[0].colour") == held["samples"][1]
