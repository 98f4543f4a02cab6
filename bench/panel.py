"""From a click on a card or a seam to its controls, with sixteen layers, in Chromium: ``python -m bench.panel``.

The application and Chromium share this machine's cores. The pointer comes, rests for some time and clicks, as a
hand does; between two rounds the shot is changed, so that nothing is kept from before.
"""

from __future__ import annotations

import os
import socket
import subprocess
import sys
import tempfile
from pathlib import Path
from statistics import median

from playwright.sync_api import Page, sync_playwright

from bench.waiting import ask
from tests.application import BROWSER

REST = 60
PRESS = 40
"""Milliseconds that the pointer rests before it clicks, and that a click takes."""

WATCH = """() => { document.addEventListener("click", (event) => {
  const choice = event.target.closest("[data-choose]");
  if (!choice) return;
  const id = choice.dataset.choose.split(":")[1], panel = document.getElementById("panel");
  const look = () => {
    const shown = panel.querySelector("[data-target]");
    if (!panel.inert && shown?.dataset.target === id) window.took = performance.now() - event.timeStamp;
    else requestAnimationFrame(look);
  };
  requestAnimationFrame(look);
}, true); }"""


def crowded(page: Page, address: str) -> list[str]:
    """A shot of sixteen layers, of four pieces of footage; the ids of the layers."""
    page.goto(address)
    page.get_by_role("button", name="Start").click()
    page.wait_for_url("**/shots/*")
    for name in ("paper-sea", "fox-left", "tonight-card", "moth-on-card"):
        page.click("#add-layer")
        page.locator("#shelf .shelf-item", has_text=name).first.click()
        page.wait_for_timeout(800)
    for n in range(12):
        copy = "async ([from, to]) => { const { bench } = velvetSeam; await bench.edit({ do: 'duplicate-layer', layer: bench.shot.layers[from].id, new_id: to }); }"
        page.evaluate(copy, [n % 4, f"l-more{n}"])
    page.wait_for_timeout(2000)
    return list(page.evaluate("velvetSeam.bench.shot.layers.map((layer) => layer.id)"))


def clicks(page: Page, layers: list[str], kind: str) -> list[float]:
    taken: list[float] = []
    for rounds in range(2):
        page.evaluate(
            "async (to) => { const { bench } = velvetSeam; await bench.set(bench.shot.layers[0].id, { 'seam.opacity': to }); bench.choose(''); }",
            80 - rounds,
        )
        page.wait_for_timeout(1500)
        for layer in layers:
            card = page.locator(f"#{kind}-{layer}")
            card.scroll_into_view_if_needed()
            box = card.bounding_box()
            assert box is not None
            page.mouse.move(box["x"] + 0.45 * box["width"], box["y"] + box["height"] / 2, steps=3)
            page.wait_for_timeout(REST)
            page.evaluate("window.took = 0")
            page.mouse.down()
            page.wait_for_timeout(PRESS)
            page.mouse.up()
            page.wait_for_timeout(400)
            took = float(page.evaluate("window.took"))
            if took:
                taken.append(took)
    return sorted(taken)


def main() -> None:
    with socket.socket() as free, tempfile.TemporaryDirectory() as folder:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
        free.close()
        command = [str(Path(sys.executable).with_name("velvet-seam")), "demo", "--folder", folder]
        server = subprocess.Popen([*command, "--port", str(port)])
        address = f"http://127.0.0.1:{port}"
        try:
            with sync_playwright() as play:
                browser = play.chromium.launch(executable_path=BROWSER)
                page = browser.new_page(viewport={"width": 1280, "height": 800})
                for _ in range(120):
                    try:
                        ask(address)
                        break
                    except OSError:
                        page.wait_for_timeout(1000)
                page.wait_for_timeout(20_000)  # until the footage of the demo is ready
                layers = crowded(page, address)
                page.evaluate(WATCH)
                print(f"load {os.getloadavg()[0]:.1f}, {len(layers)} layers")
                for kind in ("card", "seam"):
                    taken = clicks(page, layers, kind)
                    most = taken[int(0.95 * len(taken))]
                    print(
                        f"{kind}: {median(taken):.0f} ms, 95 % within {most:.0f}, of {len(taken)}"
                    )
                browser.close()
        finally:
            server.terminate()
            server.wait()


if __name__ == "__main__":
    main()
