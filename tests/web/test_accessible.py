"""Every page and every pop-up of the bench by the rules of axe (WCAG 2 A and AA, good practice)."""

from __future__ import annotations

import re
from pathlib import Path

import axe_playwright_python
import pytest
from playwright.sync_api import Page, expect

from tests.web.test_whole_job import clean, open_demo_shot

pytestmark = pytest.mark.browser

__all__ = ["clean"]

AXE = (Path(axe_playwright_python.__file__).parent / "axe.min.js").read_text(encoding="utf-8")


def violations(page: Page) -> list[str]:
    """What axe finds on the page as it stands: rule and markup of the first node each."""
    page.evaluate(AXE)
    found = page.evaluate("axe.run(document, { resultTypes: ['violations'] })")
    assert len(found["passes"]) > 10  # or it has looked at nothing
    return [f"{one['id']}: {one['nodes'][0]['html'][:160]}" for one in found["violations"]]


def test_axe_sees_what_is_wrong(clean: Page, served: str):
    clean.goto(served)
    clean.evaluate(
        "document.querySelector('main').append(Object.assign(document.createElement('img')))"
    )
    assert any("image-alt" in one for one in violations(clean))


@pytest.mark.parametrize("address", ["/", "/footage", "/renders"])
def test_pages(clean: Page, served: str, address: str):
    clean.goto(served + address)
    clean.wait_for_timeout(500)
    assert violations(clean) == []


def test_the_page_that_says_what_is_wrong(page: Page, served: str):
    page.goto(served + "/shots/none")
    assert violations(page) == []


@pytest.mark.parametrize("size", [(1280, 800), (390, 844)])
def test_the_bench_and_its_controls(clean: Page, served: str, size: tuple[int, int]):
    page = clean
    page.set_viewport_size({"width": size[0], "height": size[1]})
    open_demo_shot(page, served)
    for chosen in ("seam:l-moth", "layer:l-moth", "layer:l-evening", "shot:"):
        page.evaluate(f"velvetSeam.bench.choose('{chosen}')")
        page.wait_for_timeout(500)
        assert violations(page) == [], chosen


def test_what_pops_up(clean: Page, served: str):
    page = clean
    open_demo_shot(page, served)
    page.click("#seam-l-moth")
    page.wait_for_timeout(300)
    openings = {
        "#find-pop": lambda: page.keyboard.press("/"),
        "#wall-pop": lambda: page.keyboard.press("b"),
        "#keys-pop": lambda: page.keyboard.press("?"),
        "#deliver-pop": lambda: page.click("#render"),
        "#shelf-pop": lambda: page.click("#add-layer"),
        "#copy-pop": lambda: page.get_by_role("button", name=re.compile("Copy to")).first.click(),
    }
    for pop, opens in openings.items():
        opens()
        expect(page.locator(pop)).to_be_visible()
        page.wait_for_timeout(300)
        assert violations(page) == [], pop
        page.keyboard.press("Escape")
        expect(page.locator(pop)).to_be_hidden()
    assert page.evaluate("velvetSeam.bench.chosen") == "seam:l-moth"  # Esc closed, and only that
