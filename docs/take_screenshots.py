"""Takes the pictures in ``docs/screenshots`` from the demo: ``make screenshots``."""

from __future__ import annotations

import tempfile
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

from tests.application import BROWSER, CHROMIUM, application
from tests.people import portrait_clip
from velvet_seam.demo.scenario import fill

FOLDER = Path(__file__).parent / "screenshots"


def take(page: Page, address: str) -> None:
    def shoot(name: str) -> None:
        page.mouse.move(640, 20)
        page.wait_for_timeout(1200)
        page.screenshot(path=FOLDER / f"{name}.png")

    page.goto(address)
    # those further down are made when they come into view
    bare = "[...document.querySelectorAll('.poster')].some((one) => one.getBoundingClientRect().top < innerHeight && !one.querySelector('img').naturalWidth)"
    while page.evaluate(bare):
        page.wait_for_timeout(100)
    shoot("shots")
    page.goto(f"{address}/footage")
    shoot("footage")
    page.goto(address)
    page.click(".poster[aria-label*='Moth over']")
    page.wait_for_timeout(1500)
    for _ in range(4):
        page.keyboard.press("Shift+ArrowRight")
    page.click("#seam-l-moth")
    page.wait_for_timeout(6000)
    shoot("bench-seam")
    page.keyboard.press("4")
    page.click(".order a[href='#seam-masks']")
    shoot("masks")
    page.keyboard.press("1")
    page.keyboard.press("b")
    page.wait_for_selector("#wall-pop:popover-open")
    page.wait_for_timeout(1500)
    page.locator("[data-blend=screen] button").first.hover()
    page.wait_for_timeout(1200)
    page.screenshot(path=FOLDER / "blend-wall.png")
    page.keyboard.press("Escape")
    bench = page.url
    page.goto(address)
    page.click(".poster[aria-label*='Tonight']")
    page.wait_for_timeout(1500)
    page.keyboard.press("Shift+ArrowRight")
    page.click("#seam-l-letters")
    page.wait_for_timeout(800)
    page.keyboard.press("2")
    shoot("bench-matte")
    page.keyboard.press("1")
    page.click("#card-l-letters")
    page.wait_for_timeout(800)
    page.locator("[data-part=pins] summary").click()
    page.click("[data-do=pin]")
    pulled = "{ 'place.pins.top_left_x': 190, 'place.pins.top_right_x': -190, 'place.pins.bottom_left_y': 60 }"
    page.evaluate(f"velvetSeam.bench.set('l-letters', {pulled})")
    shoot("corners")
    strokes(page, address)
    shoot("roto")
    on_white(page, address)
    shoot("ground")
    by_itself(page, address)
    shoot("person")
    page.goto(address)
    page.click(".poster[aria-label*='Tumble']")
    page.wait_for_timeout(1500)
    page.evaluate("velvetSeam.bench.go(38)")
    page.click("#card-l-acrobat")
    page.wait_for_timeout(800)
    page.keyboard.press("v")
    page.locator("#value-lanes .opens").first.click()
    page.locator("#value-lanes [data-curve][data-frame='30']").click()
    page.wait_for_timeout(2500)
    shoot("moves")
    page.goto(address)
    page.click(".poster[aria-label*='Two foxes']")
    page.wait_for_timeout(1500)
    page.evaluate(
        "velvetSeam.bench.set('l-left', { 'place.x': 540, 'place.y': 960, 'place.rotation': 0.3 })"
    )
    page.click("#seam-l-left")
    page.wait_for_timeout(800)
    page.click("#tab-lineup")
    page.wait_for_timeout(2500)
    page.click("#line-up")
    page.wait_for_timeout(4000)
    page.keyboard.press("9")
    shoot("line-up")
    for _ in range(2):
        page.keyboard.press("Control+z")
    page.goto(address)
    page.click(".poster[aria-label*='flare']")
    page.wait_for_timeout(1500)
    page.evaluate("velvetSeam.bench.go(44)")
    page.click("#card-l-walk")
    page.click("#tab-track")
    page.wait_for_timeout(1500)
    shoot("tracks")
    page.goto(address)
    page.get_by_role("button", name="Start").click()
    page.wait_for_timeout(1500)
    page.click("#add-layer")
    page.locator("#shelf .shelf-item", has_text="rail-parade").first.click()
    page.wait_for_timeout(1500)
    page.locator("[id^=seam-l]").first.click()
    page.click("#tab-lineup")
    page.click("[data-do='find-passes']")
    page.wait_for_selector("#passes-found:not([hidden])", timeout=60_000)
    page.click("#passes-make")
    made = page.locator("#stack .card", has_text="Pass 5")
    made.wait_for(timeout=180_000)
    page.evaluate("velvetSeam.bench.go(26)")
    page.locator("#stack .card", has_text="rail-parade").click()
    page.locator("[id^=seam-l]").last.click()
    page.click("#tab-lineup")
    page.wait_for_timeout(3000)
    page.locator("#passes").scroll_into_view_if_needed()
    page.keyboard.press("1")
    shoot("passes")
    page.evaluate("fetch(location.pathname, { method: 'DELETE' })")
    page.goto(bench)
    page.wait_for_timeout(1500)
    page.evaluate("velvetSeam.bench.go(40)")
    page.click("#card-l-moth")
    page.click("#tab-look")
    page.wait_for_selector("#look-shelf")
    page.click("[data-name='Lamplight']")
    page.wait_for_timeout(1500)
    page.click("[data-scope='waveform']")
    page.click("[data-do='stitch']")
    page.wait_for_timeout(2500)
    shoot("look")
    page.goto(address)
    page.click(".poster[aria-label*='aside']")
    page.wait_for_timeout(1500)
    page.evaluate("velvetSeam.bench.go(70)")
    page.click("#card-l-words")
    page.wait_for_timeout(1500)
    shoot("text")
    page.click("#card-l-aside")
    page.click("#tab-around")
    page.wait_for_timeout(1500)
    shoot("around")
    page.goto(address)
    page.click(".poster[aria-label*='Up the tower']")
    page.wait_for_timeout(1500)
    page.evaluate("velvetSeam.bench.go(50)")
    page.click("#card-l-camera")
    page.wait_for_timeout(800)
    page.keyboard.press("v")
    page.wait_for_timeout(1500)
    shoot("camera")
    page.goto(bench)
    page.wait_for_timeout(1500)
    page.click("#render")
    page.wait_for_selector("[data-do-render]")
    page.click("[data-do-render]")
    page.wait_for_selector("#rendering:not([hidden])")
    for kind in ("master", "stills"):
        page.goto(bench)
        page.wait_for_timeout(1500)
        page.click("#render")
        page.check(f"input[value={kind}]")
        page.wait_for_timeout(600)
        page.click("[data-do-render]")
        page.wait_for_selector("#rendering:not([hidden])")
    page.goto(f"{address}/renders")
    page.get_by_role("button", name="Pause").first.click()
    page.wait_for_timeout(6_000)
    shoot("renders")


def on_white(page: Page, address: str) -> None:
    """A hand on white paper keyed with its shadow, over the paper sea."""
    page.goto(address)
    page.get_by_role("button", name="Start").click()
    page.wait_for_url("**/shots/*")
    for name in ("paper-sea", "cut-hand"):
        page.wait_for_timeout(800)
        page.click("#add-layer")
        page.locator("#shelf .shelf-item", has_text=name).first.click()
        page.wait_for_timeout(1500)
    page.locator("[id^=seam-l]").first.click()
    page.wait_for_timeout(800)
    page.locator("#seam-matte .chip", has_text="Ground").click()
    page.wait_for_timeout(3000)


def by_itself(page: Page, address: str) -> None:
    """A photograph of a person, who is cut out by one click, over the paper sea."""
    page.goto(address)
    page.get_by_role("button", name="Start").click()
    page.wait_for_url("**/shots/*")
    page.wait_for_timeout(800)
    page.click("#add-layer")
    page.locator("#shelf .shelf-item", has_text="paper-sea").first.click()
    page.wait_for_timeout(1500)
    with tempfile.TemporaryDirectory() as folder:
        clip = Path(folder) / "portrait.mp4"
        portrait_clip(clip, frames=30)
        page.set_input_files("#files", clip)
        ready = "velvetSeam.bench.shot.layers.length === 2 && Object.values(velvetSeam.bench.state.footage).every((one) => one.ready)"
        while not page.evaluate(ready):
            page.wait_for_timeout(200)
    page.locator("[id^=seam-l]").first.click()
    page.wait_for_timeout(800)
    page.locator("#seam-matte .chip", has_text="People").click()
    page.wait_for_timeout(1500)
    page.evaluate("velvetSeam.bench.set(velvetSeam.bench.layer.id, { 'place.y': 1380 })")
    page.wait_for_timeout(3000)


def strokes(page: Page, address: str) -> None:
    """A fox painted out of a take: a line along it, and four around; followed, a stretch of it held."""
    page.goto(address)
    page.get_by_role("button", name="Start").click()
    page.wait_for_url("**/shots/*")
    page.click("#add-layer")
    page.locator("#shelf .shelf-item", has_text="fox-left").first.click()
    page.wait_for_timeout(1500)
    page.locator("[id^=seam-l]").first.click()
    page.wait_for_timeout(800)
    page.locator("#seam-matte .chip", has_text="Roto").click()  # the brush is up
    page.wait_for_timeout(1600)
    box = page.locator("#picture").bounding_box()
    assert box
    lines = (
        ("left", (372, 1100), (385, 1420)), ("right", (150, 1000), (150, 1560)), ("right", (640, 1000), (640, 1560)),
        ("right", (250, 800), (600, 800)), ("left", (352, 1475), (408, 1475)),
    )  # fmt: skip
    for button, start, end in lines:
        (x0, y0), (x1, y1) = (
            (box["x"] + x * box["width"] / 1080, box["y"] + y * box["height"] / 1920)
            for x, y in (start, end)
        )
        page.mouse.move(x0, y0)
        page.mouse.down(button=button)
        page.mouse.move((x0 + x1) / 2, (y0 + y1) / 2)
        page.mouse.move(x1, y1)
        page.mouse.up(button=button)
        page.wait_for_timeout(1200)
    page.click(".roto-follow")
    known = "velvetSeam.commands.rotoOver.strip.found.counts.waiting"
    while page.evaluate(known):
        page.wait_for_timeout(300)
    strip = page.locator("#roto-strip").bounding_box()
    assert strip
    page.mouse.move(strip["x"] + 330, strip["y"] + 12)
    page.mouse.down()
    page.mouse.move(strip["x"] + 450, strip["y"] + 12, steps=4)
    page.mouse.up()
    page.click(".roto-hold")
    page.wait_for_timeout(1500)
    page.evaluate("velvetSeam.bench.go(12)")
    page.wait_for_timeout(3000)


def main() -> None:
    FOLDER.mkdir(exist_ok=True)
    with tempfile.TemporaryDirectory() as root:
        fill(Path(root), print).folder.database.close()
        with application(Path(root)) as address, sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path=BROWSER, args=CHROMIUM)
            take(browser.new_page(viewport={"width": 1280, "height": 800}), address)
            browser.close()


if __name__ == "__main__":
    main()
