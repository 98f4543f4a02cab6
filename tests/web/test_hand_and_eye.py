"""Widths of a page, the wall, what find does, keys, and a tall stack: what a hand meets first."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.web.test_bench_page import bench
from tests.web.test_seam_page import add_layer, blank
from tests.web.test_whole_job import clean, open_demo_shot, saved, state, until

pytestmark = pytest.mark.browser

__all__ = ["bench", "blank", "clean"]

OUTSIDE = """() => {
  const wide = document.documentElement.clientWidth, found = [];
  if (document.documentElement.scrollWidth > wide + 1) found.push("the page is wider than the window");
  for (const one of document.querySelectorAll("button, a, select, input, h1, h2")) {
    const box = one.getBoundingClientRect();
    if (!box.width || !one.checkVisibility({ visibilityProperty: true }) || one.closest(".sr-only, [popover], .look-shelf")) continue;
    if (box.left < -1 || box.right > wide + 1) found.push(`${one.tagName} ${one.id || one.textContent.trim().slice(0, 30)}`);
  }
  return found;
}"""
"""What lies beside the window, where no one can reach it."""

SPILLS = """() => {
  const found = [], rolls = (one) => ["auto", "scroll"].includes(getComputedStyle(one).overflowX);
  for (const sheet of document.querySelectorAll("#panel .sheet")) {
    const box = sheet.getBoundingClientRect(), style = getComputedStyle(sheet);
    const left = box.left + parseFloat(style.paddingLeft), right = box.right - parseFloat(style.paddingRight);
    for (const one of sheet.querySelectorAll("button:not(.knot-button), input, select, label, p")) {
      const own = one.getBoundingClientRect();
      let rolling = false;
      for (let around = one.parentElement; around !== sheet; around = around.parentElement) rolling ||= rolls(around);
      if (own.width && !rolling && (own.left < left - 1 || own.right > right + 1)) found.push(`${one.tagName} ${one.id || one.textContent.trim().slice(0, 30)}`);
    }
  }
  return found;
}"""
"""What sticks out of the margins of a sheet of the panel; knots stand in them on purpose."""

OVERLAPS = """() => {
  const tools = [...document.querySelectorAll("#head > *, .go-out, .ways button, .mat-tools > *, .time-head > *")]
    .filter((one) => one.checkVisibility() && one.getBoundingClientRect().width > 1)
    .map((one) => [one.id || one.textContent.trim().slice(0, 20) || one.className, one.getBoundingClientRect(), one]);
  const found = [];
  tools.forEach(([name, a, one], n) => {
    for (const [other, b, two] of tools.slice(n + 1)) {
      if (one.contains(two) || two.contains(one)) continue;
      if (Math.min(a.right, b.right) - Math.max(a.left, b.left) > 1 && Math.min(a.bottom, b.bottom) - Math.max(a.top, b.top) > 1) found.push(`${name} on ${other}`);
    }
  });
  return found;
}"""


@pytest.mark.parametrize("size", [(1280, 800), (390, 844)])
def test_the_picture_stays_where_it_is_when_one_is_told_to_draw_on_it(
    bench: Page, size: tuple[int, int]
):
    """A hand that presses at once hits what it saw."""
    bench.set_viewport_size({"width": size[0], "height": size[1]})
    bench.evaluate("velvetSeam.bench.choose('seam:l-moth')")
    expect(bench.locator("#panel h2")).to_have_text("Seam")
    bench.wait_for_timeout(300)
    where = "JSON.stringify([velvetSeam.picture.rect, document.getElementById('mat').getBoundingClientRect()])"
    before = bench.evaluate(where)
    bench.evaluate(
        "document.querySelector(\"[data-do='draw-mask'][data-kind='oval']\").click()"
    )  # on a phone the panel is on another sheet
    expect(bench.locator("#hint")).to_be_visible()
    bench.wait_for_timeout(300)
    assert bench.evaluate(where) == before
    hint = bench.locator("#hint").bounding_box()
    assert (
        hint["y"]
        >= bench.locator("#mat").bounding_box()["y"]
        + bench.locator("#mat").bounding_box()["height"]
    )
    bench.locator("#hint button").click()
    expect(bench.locator("#hint")).to_be_hidden()
    assert bench.evaluate(where) == before


def test_what_is_said_is_in_nobodys_way(bench: Page):
    """It lies over the time strip: a click goes through the words, and their own button takes them away."""
    bench.evaluate(
        "import('/static/js/common.js').then((common) => common.say('Nothing was lost.', true))"
    )
    words, button = (bench.locator(f"#say {one}") for one in ("span", "button"))
    struck = "(it) => { const { x, y } = it.getBoundingClientRect(); return it.contains(document.elementFromPoint(x + 4, y + 4)); }"
    assert not words.evaluate(struck)
    assert button.evaluate(struck)
    button.click()
    expect(bench.locator("#say p")).to_have_count(0)


@pytest.mark.parametrize("path", ["/", "/footage", "/renders"])
@pytest.mark.parametrize("size", [(1024, 700), (390, 844)])
def test_pages_fit(clean: Page, served: str, path: str, size: tuple[int, int]):
    clean.set_viewport_size({"width": size[0], "height": size[1]})
    clean.goto(served + path)
    clean.wait_for_timeout(300)
    assert clean.evaluate(OUTSIDE) == []


@pytest.mark.parametrize("size", [(1280, 800), (1024, 700), (390, 844)])
def test_the_bench_fits_and_nothing_lies_on_something_else(
    clean: Page, served: str, size: tuple[int, int]
):
    clean.set_viewport_size({"width": size[0], "height": size[1]})
    open_demo_shot(clean, served)
    for chosen in ("layer:l-moth", "seam:l-moth", "look:l-moth", "lineup:l-moth"):
        clean.evaluate(f"velvetSeam.bench.choose('{chosen}')")
        clean.wait_for_timeout(400)
        assert clean.evaluate(OUTSIDE) == []
        assert clean.evaluate(OVERLAPS) == []
        assert clean.evaluate(SPILLS) == []


def test_each_page_of_the_panel_begins_at_its_top_and_stays_where_one_left_it(bench: Page):
    def turned(to: str, far: int) -> None:
        bench.evaluate(f"velvetSeam.bench.choose('{to}')")
        until(bench, f"document.getElementById('panel').scrollTop === {far}")

    turned("layer:l-moth", 0)
    bench.evaluate("document.getElementById('panel').scrollTop = 240")
    turned("seam:l-moth", 0)
    bench.evaluate("document.getElementById('panel').scrollTop = 120")
    turned("layer:l-sea", 240)  # of another layer, the same page
    turned("seam:l-moth", 120)


def test_a_phone_has_one_sheet_at_a_time(browser: Browser, served: str):
    context = browser.new_context(viewport={"width": 390, "height": 844}, has_touch=True)
    page = context.new_page()
    open_demo_shot(page, served)
    stack, panel = page.locator("#stack"), page.locator("#panel")
    expect(stack).to_be_hidden()
    expect(panel).to_be_hidden()
    page.get_by_role("button", name="Stack", exact=True).tap()
    expect(stack).to_be_visible()
    page.locator("#seam-l-moth").tap()  # what is chosen there is set right after
    expect(stack).to_be_hidden()
    expect(panel).to_be_visible()
    expect(panel.locator("h2").first).to_have_text("Seam")
    for button in page.locator(".sheet-tabs button, #play, #head .button").all():
        box = button.bounding_box()
        assert box is not None
        assert min(box["width"], box["height"]) >= 28
    page.get_by_role("button", name="Stack", exact=True).tap()
    page.locator("#card-l-moth .card-name").tap()
    page.get_by_role("button", name="Stack", exact=True).tap()
    name, tools = (page.locator(f"#card-l-moth .card-{one}").bounding_box() for one in ("name", "tools"))  # fmt: skip
    assert name is not None
    assert tools is not None
    assert name["y"] + name["height"] <= tools["y"] + 1
    page.get_by_role("button", name="Picture", exact=True).tap()
    expect(panel).to_be_hidden()
    expect(page.locator("#zoom option").first).to_have_text(
        "Fit"
    )  # how much that is would be cut off
    page.set_viewport_size({"width": 1280, "height": 800})
    expect(page.locator("#zoom option").first).to_have_text(re.compile(r"Fit · \d+ %"))
    page.set_viewport_size({"width": 390, "height": 844})
    for path in ("/", "/footage", "/renders"):
        page.goto(served + path)
        squeezed = "[...document.querySelectorAll('.button')].filter((one) => one.scrollWidth > one.clientWidth + 1).map((one) => one.textContent.trim())"
        assert page.evaluate(squeezed) == []
    context.close()


def test_shots_are_renamed_and_duplicated_on_the_wall(clean: Page, served: str):
    page = clean
    page.goto(served)
    first = page.locator(".wall > li", has=page.locator("[aria-label*='Moth over']")).first
    first.hover()
    first.get_by_role("button", name=re.compile("Duplicate")).click()
    page.wait_for_load_state()
    copy = page.locator(".wall-name", has_text=re.compile("Moth over the paper sea.+"))
    if "/shots/" in page.url:
        page.goto(served)
    expect(copy).to_have_count(1)
    page.wait_for_load_state("networkidle")
    tile = page.locator(".wall > li", has=copy)
    tile.hover()
    tile.get_by_role("button", name=re.compile("Rename")).click()
    page.keyboard.type("Night flight")
    page.keyboard.press("Enter")
    name = page.locator(".wall-name", has_text="Night flight")
    expect(name).to_be_visible()
    page.reload()
    name.click()  # the name under a poster opens it
    page.wait_for_url(re.compile("/shots/s"))
    until(page, "velvetSeam.bench.shot.name === 'Night flight'")
    assert state(page, "shot.layers.length") == 5
    page.goto(served)
    page.once("dialog", lambda dialog: dialog.accept())
    tile = page.locator(".wall > li", has=page.locator("[aria-label='Open Night flight']"))
    tile.hover()
    tile.get_by_role("button", name=re.compile("Delete")).click()
    expect(tile).to_have_count(0)


@pytest.mark.parametrize(
    ("words", "holds"),
    [
        ("crop", "document.activeElement.id === 'tape-crop-left'"),
        ("echo, times", "document.activeElement.closest('[data-value=\"echo.count\"], #tape-echo-count') !== null"),
        ("flicker stirring", "document.activeElement.closest('#tape-stir-flicker') !== null"),
        ("turn the clip round", "velvetSeam.bench.shot.layers[0].time.speed === -100"),
    ],
)  # fmt: skip
def test_find_knows_values_and_commands(blank: Page, words: str, holds: str):
    layer = add_layer(blank, "moth-on-card")
    blank.click(f"#card-{layer}")
    saved(blank)
    blank.keyboard.press("/")
    blank.keyboard.type(words)
    blank.wait_for_timeout(300)
    blank.keyboard.press("Enter")
    until(blank, holds)


FOUND_FIRST = {
    "screen key": "Screen key", "green screen": "Screen key", "greenscreen": "Screen key", "key": "Screen key", "mask": "Box mask",
    "double exposure": "Blend wall", "split screen": "Windows", "picture in picture": "Scale", "flicker": "Flicker",
    "the color": "Colour", "colou": "Colour", "stabilize": "Tracks", "cutout": "People", "opac": "Opacity", "help": "Show the keys",
    "mute": "Its sound: heard or not", "histogram": "Instruments", "perspective": "Pull its corners", "play": "Play, pause",
}  # fmt: skip


def test_what_fits_best_is_found_first_by_the_words_that_people_have(blank: Page):
    add_layer(blank, "moth-on-card")
    blank.keyboard.press("/")
    first = blank.locator("#find-list .found b").first
    expect(first).to_have_text("moth-on-card")  # before anything is asked for, what is in the shot
    for words, title in FOUND_FIRST.items():
        blank.fill("#find-field", words)
        expect(first, words).to_have_text(title)


def test_space_plays_wherever_one_does_not_type(bench: Page):
    bench.click("#card-l-moth")
    saved(bench)
    for place in ("#card-l-moth", "#render", "[data-way=matte]"):
        bench.evaluate(f"document.querySelector('{place}').focus()")
        for playing in ("velvetSeam.player.playing", "!velvetSeam.player.playing"):
            bench.keyboard.press(" ")
            until(bench, playing)
            bench.wait_for_timeout(200)
    assert state(bench, "way") == "joined"
    bench.click("#card-l-moth")
    bench.fill("#field-name", "")
    bench.locator("#field-name").press_sequentially("a b")
    assert bench.input_value("#field-name") == "a b"
    assert not bench.evaluate("velvetSeam.player.playing")
    bench.keyboard.press("Escape")


def test_sixteen_layers_have_compact_rows_and_a_quick_panel(bench: Page):
    bench.click("#card-l-embers")
    for count in range(6, 17):
        bench.keyboard.press("d")
        until(bench, f"velvetSeam.bench.shot.layers.length === {count}")
        saved(bench)
    expect(bench.locator("#stack-list")).to_have_class(re.compile("compact"))
    heights = bench.evaluate(
        "[...document.querySelectorAll('.card[data-layer]')].map((one) => one.getBoundingClientRect().height)"
    )
    assert len(heights) == 16
    assert max(heights) <= 48
    names = bench.locator(".card[data-layer] .card-name").all_inner_texts()
    assert len(set(names)) == 16  # copies have names of their own
    bench.locator(".card[data-layer]").last.click()
    expect(bench.locator("#field-name")).to_have_value(names[-1])
    for count in range(15, 4, -1):
        bench.keyboard.press("Control+z")
        until(bench, f"velvetSeam.bench.shot.layers.length === {count}")
