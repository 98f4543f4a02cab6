"""The whole program is killed in the middle of a render and started again, as a user would see it."""

from __future__ import annotations

import re
import shutil
import signal
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.application import answering, free_port
from velvet_seam.demo.scenario import fill


@pytest.fixture
def studio(filled: Path, tmp_path: Path) -> Path:
    """A folder in which nobody has rendered yet."""
    shutil.copytree(filled, tmp_path / "studio")
    fill(tmp_path / "studio", lambda line: None).folder.database.close()
    return tmp_path / "studio"


@pytest.fixture
def program(studio: Path) -> Iterator[type]:
    class Program:
        """The application on one port, which can be killed and started again."""

        port = free_port()
        address = f"http://127.0.0.1:{port}"

        @classmethod
        def start(cls) -> None:
            command = [sys.executable, "-m", "velvet_seam.cli", "serve", "--folder", str(studio)]
            cls.process = subprocess.Popen([*command, "--port", str(cls.port)])
            answering(cls.address)

        @classmethod
        def kill(cls) -> None:
            cls.process.send_signal(signal.SIGKILL)
            cls.process.wait()

    Program.start()
    yield Program
    Program.process.terminate()
    Program.process.wait(15)


def test_a_render_goes_on_after_the_program_was_killed(page: Page, program, studio: Path):
    page.goto(program.address)
    page.click(".poster[aria-label*='Paper star']")
    page.wait_for_url(re.compile("/shots/"))
    bench = page.url
    for _ in range(2):  # the second for comparison, left alone
        page.goto(bench)
        for _ in range(600):
            if page.evaluate("Boolean(window.velvetSeam)"):
                break
            page.wait_for_timeout(50)
        page.click("#render")
        page.select_option("#deliver-scale", "25")
        expect(page.locator("#deliver-scale")).to_be_visible()
        page.wait_for_timeout(300)
        page.click("[data-do-render]")
        expect(page.locator("#rendering")).to_be_visible()
    end = time.monotonic() + 300
    while not (ranges := sorted((studio / "renders").glob("*.ranges/*.mp4"))):
        assert time.monotonic() < end
        time.sleep(0.02)
    first = ranges[0].parent
    program.kill()
    finished = {file.name: file.stat().st_mtime_ns for file in first.glob("*.mp4")}
    assert finished
    assert not list((studio / "renders").glob("*.mp4"))  # a name only when complete
    program.start()
    page.goto(f"{program.address}/renders")
    while time.monotonic() < end and len(list(first.glob("*.mp4"))) < len(finished) + 1:
        time.sleep(0.02)
    again = {file.name: file.stat().st_mtime_ns for file in first.glob("*.mp4")}
    assert {name: again.get(name) for name in finished} == finished or not first.exists()
    expect(page.locator("[data-state=done]")).to_have_count(2, timeout=400_000)
    files = [
        urllib.request.urlopen(program.address + str(link.get_attribute("href"))).read()
        for link in page.get_by_role("link", name="Download").all()
    ]
    assert len(files) == 2
    assert files[0] == files[1]
