"""The bench under the hand: choosing several, finding, looking close, replacing, the shelf."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from tests.web.test_bench_page import bench
from tests.web.test_whole_job import box_of, clean, drag, saved, state, until

pytestmark = pytest.mark.browser

__all__ = ["bench", "clean"]


def hidden(page: Page) -> list[str]:
    return [layer["id"] for layer in state(page, "shot.layers") if layer["hidden"]]


def test_what_is_done_to_one_of_several_is_done_to_all(bench: Page):
    bench.click("#card-l-embers")
    bench.click("#card-l-moon", modifiers=["Shift"])
    expect(bench.locator("#many")).to_contain_text("3 chosen")
    bench.click("#card-l-moth", modifiers=["Control"])
    expect(bench.locator("#many")).to_contain_text("2 chosen")
    bench.keyboard.press("h")
    until(bench, "velvetSeam.bench.state.undo === 'hidden 2 layers'")
    assert sorted(hidden(bench)) == ["l-embers", "l-moon"]
    bench.keyboard.press("Control+z")
    until(bench, "velvetSeam.bench.state.undo === null")
    assert hidden(bench) == []
    assert len(state(bench, "targets")) == 2

    bar = box_of(bench, "rect.bar[data-thing=l-embers]")
    x, y = bar["x"] + bar["width"] / 2, bar["y"] + bar["height"] / 2
    drag(bench, (x, y), (x + 92, y))
    until(bench, "velvetSeam.bench.state.undo === 'move 2 in time'")
    spans = {one["id"]: one["span"]["first"] for one in state(bench, "shot.layers")}
    assert spans["l-moon"] == spans["l-embers"] - 25 > 10
    assert spans["l-moth"] == 0

    bench.click("#card-l-sea")
    expect(bench.locator("#many")).to_be_hidden()
    bench.keyboard.press("Control+a")
    assert len(state(bench, "targets")) == 5


def test_anything_is_found_from_the_keyboard(bench: Page):
    bench.keyboard.press("/")
    bench.keyboard.type("seam moth")
    expect(bench.locator("#find-list li").first).to_contain_text("Seam of Moth on card")
    bench.keyboard.press("Enter")
    until(bench, "velvetSeam.bench.chosen === 'seam:l-moth'")
    bench.keyboard.press("/")
    bench.keyboard.type("last frame")
    bench.keyboard.press("Enter")
    until(bench, "velvetSeam.bench.frame === 149")
    bench.keyboard.press("/")
    bench.keyboard.type("no such thing")
    expect(bench.locator("#find-list")).to_contain_text("Nothing of that name")
    bench.keyboard.press("Escape")
    bench.keyboard.press("/")
    bench.keyboard.type("curtain-pass")
    bench.keyboard.press("Enter")
    bench.wait_for_url("**/footage#clip-*")
    bench.keyboard.press("/")
    bench.keyboard.type("paper sea")
    expect(bench.locator("#find-list li").first).to_contain_text("paper-sea")
    second = bench.locator("#find-list li").nth(1)
    expect(second).to_contain_text("Moth over the paper sea")
    bench.keyboard.press("ArrowDown")
    expect(second).to_have_attribute("aria-selected", "true")
    bench.keyboard.press("ArrowUp")
    expect(second).to_have_attribute("aria-selected", "false")
    bench.keyboard.press("ArrowDown")
    bench.keyboard.press("Enter")
    bench.wait_for_url("**/shots/*")
    until(bench, "velvetSeam.bench")


def test_looking_close_shows_the_originals_pixels_and_changes_nothing(bench: Page):
    until(bench, "document.getElementById('picture').width === 540")
    fit = bench.locator("#picture").bounding_box()
    bench.select_option("#zoom", "1")
    until(bench, "document.getElementById('picture').width === 1080")
    near = bench.locator("#picture").bounding_box()
    assert near["width"] == 1080 > fit["width"]
    mat = bench.locator("#mat").bounding_box()
    middle = (mat["x"] + mat["width"] / 2, mat["y"] + mat["height"] / 2)
    bench.mouse.move(*middle)
    bench.mouse.down(button="middle")
    bench.mouse.move(middle[0] + 50, middle[1] - 30, steps=4)
    bench.mouse.up(button="middle")
    moved = bench.locator("#picture").bounding_box()
    assert (moved["x"] - near["x"], moved["y"] - near["y"]) == (50, -30)
    # what lies under the pointer stays under it
    bench.mouse.move(*middle)
    k = moved["width"] / 1080
    under = ((middle[0] - moved["x"]) / k, (middle[1] - moved["y"]) / k)
    bench.keyboard.down("Control")
    bench.mouse.wheel(0, -200)
    bench.keyboard.up("Control")
    until(bench, "document.getElementById('picture').clientWidth > 1200")
    closer = bench.locator("#picture").bounding_box()
    k = closer["width"] / 1080
    assert (middle[0] - closer["x"]) / k == pytest.approx(under[0], abs=2)
    assert (middle[1] - closer["y"]) / k == pytest.approx(under[1], abs=2)
    bench.select_option("#zoom", "phone")
    until(bench, "document.getElementById('picture').clientWidth === 265")
    bench.keyboard.press("0")
    until(bench, f"document.getElementById('picture').clientWidth === {fit['width']}")

    assert not bench.locator("#safe-areas path").get_attribute("d")
    bench.keyboard.press("a")
    assert bench.locator("#safe-areas path").get_attribute("d").count("M") == 3
    bench.keyboard.press("a")
    shades = set()
    for _ in range(3):
        bench.keyboard.press(",")
        colour = "getComputedStyle(document.getElementById('mat')).backgroundColor"
        red, green, blue = bench.evaluate(colour)[4:-1].split(", ")
        assert red == green == blue  # a grey without a tint
        shades.add(red)
    assert len(shades) == 3
    assert state(bench, "state.undo") is None


def test_an_enlarged_picture_is_sharp_where_one_looks_also_under_the_hand(bench: Page):
    """Only the part in sight is made of the originals' pixels; what is around it comes from the preview."""
    bench.select_option("#zoom", "2")
    until(bench, "document.getElementById('picture').width === 1080")
    until(bench, "velvetSeam.picture.sharp !== null")
    left, top, wide, high = bench.evaluate("velvetSeam.picture.sharp")
    box, mat = bench.locator("#picture").bounding_box(), bench.locator("#mat").bounding_box()
    k = box["width"] / 1080
    assert wide < 700
    assert left == pytest.approx((mat["x"] - box["x"]) / k, abs=2)
    assert wide == pytest.approx(mat["width"] / k, abs=3)
    detail = f"""() => {{
        const to = document.getElementById('picture').getContext('2d');
        const {{ data }} = to.getImageData({left}, {top}, {wide}, {high});
        let sum = 0;
        for (let n = 4; n < data.length; n += 4) sum += Math.abs(data[n + 1] - data[n - 3]);
        return sum / (data.length / 4);
    }}"""
    sharp = bench.evaluate(detail)
    card = bench.locator("#stack .card[data-layer]").first.get_attribute("data-layer")
    bench.evaluate(f"velvetSeam.bench.trySet('{card}', {{'seam.opacity': 99}})")
    until(bench, "document.getElementById('picture').dataset.trial === 'true'")
    assert bench.evaluate("document.getElementById('picture').width") == 1080
    assert bench.evaluate(detail) == pytest.approx(sharp, rel=0.1)
    bench.evaluate("velvetSeam.bench.trial = null; velvetSeam.bench.tell('refused')")
    until(bench, "document.getElementById('picture').dataset.trial === 'false'")
    # as the preview would show it there is less of it
    bench.select_option("#zoom", "fit")
    until(bench, "document.getElementById('picture').width === 540")
    bench.evaluate("velvetSeam.picture.enlarge()")
    assert bench.evaluate(detail) < 0.95 * sharp


def test_another_source_from_the_shelf(bench: Page):
    bench.click("#card-l-moon")
    scale = next(one for one in state(bench, "shot.layers") if one["id"] == "l-moon")["place"]
    bench.locator("#panel button", has_text="Replace").click()
    expect(bench.locator("#shelf-pop h2")).to_have_text("Instead of Moon")
    expect(bench.locator("#shelf .shelf-item", has_text="tin-waltz").first).to_be_hidden()
    bench.locator("#shelf [data-of=yours]").click()
    expect(
        bench.locator("#shelf .shelf-item[data-whose=shelf]", has_text="stage-empty")
    ).to_be_hidden()
    bench.locator("#shelf [data-of=shelf]").click()
    bench.locator("#shelf .shelf-item", has_text="stage-empty").click()
    saved(bench)
    until(bench, "velvetSeam.bench.state.undo === 'another source for Moon'")
    new = next(one for one in state(bench, "shot.layers") if one["id"] == "l-moon")
    assert new["place"]["scale"] == pytest.approx(scale["scale"] * 640 / 1080, abs=1e-3)
    assert new["name"] == "Moon"


def test_the_shelf_is_one_filter_away(clean: Page, served: str):
    clean.goto(f"{served}/footage")
    clean.get_by_role("link", name="Shelf").click()
    clean.wait_for_url("**/footage?of=shelf")
    expect(clean.locator(".clip", has_text="CC0 1.0").first).to_be_visible()
    shown = clean.locator(".clip").count()
    assert shown == clean.locator(".clip", has_text="CC0 1.0").count() >= 6
