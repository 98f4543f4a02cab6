"""What all tests share: small clips with known pictures, and a filled library."""

from __future__ import annotations

import fcntl
import os
import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from hypothesis import settings
from playwright.sync_api import Browser, BrowserContext, Page, expect
from playwright.sync_api import Error as PlaywrightError

from tests.application import ASIDE, BROWSER, CHROMIUM, application
from tests.clips import coded_clip
from velvet_seam.demo.scenario import fill
from velvet_seam.store.tables import database
from velvet_seam.web.app import create_app

settings.register_profile("untimed", deadline=None)  # no test asserts a time
settings.load_profile("untimed")

pytest_plugins = ["tests.hang", "tests.scheduling", "tests.workers"]


# a busy machine is slow, and another's slower still: nothing waits longer than it has to
expect.set_options(timeout=60_000)


@pytest.fixture(scope="session")
def browser_type_launch_args(browser_type_launch_args: dict) -> dict:
    return {
        **browser_type_launch_args,
        "executable_path": BROWSER,
        "headless": True,
        "args": CHROMIUM,
    }


@pytest.fixture(scope="session")
def browser_context_args(browser_context_args: dict) -> dict:
    return {**browser_context_args, "viewport": {"width": 1280, "height": 800}}


@pytest.fixture(scope="session")
def visitor(browser: Browser, browser_context_args: dict) -> Iterator[BrowserContext]:
    """One browser as somebody has it who comes back: what may be kept of the pages is."""
    context = browser.new_context(**browser_context_args)
    context.set_default_timeout(90_000)  # what a hand does has time to be possible, too
    yield context
    context.close()


@pytest.fixture
def page(visitor: BrowserContext, request: pytest.FixtureRequest) -> Iterator[Page]:
    """The visitor's page, one for all tests: a new one costs twice what opening a shot in it does. It is led away at
    the end, to where it stays in the same process; what a test leaves open or written down goes with the test."""
    served = "served" in request.fixturenames
    page = visitor.pages[0] if visitor.pages else visitor.new_page()
    wide = page.viewport_size
    yield page
    try:
        for other in visitor.pages[1:]:
            other.close()
        page.unroute_all(behavior="ignoreErrors")
        page.goto(request.getfixturevalue("served") + ASIDE if served else "about:blank")
        page.mouse.move(0, 0)
        if wide and page.viewport_size != wide:
            page.set_viewport_size(wide)
        if served:
            forget = {"origin": request.getfixturevalue("served"), "storageTypes": "local_storage"}
            wire = visitor.new_cdp_session(page)
            wire.send("Storage.clearDataForOrigin", forget)
            wire.detach()
    except PlaywrightError:  # what a test broke is not handed on to the next
        page.close()


@pytest.fixture(scope="session")
def coded(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A clip of 90 frames at 25 a second with its frame number coded into every picture."""
    path = tmp_path_factory.mktemp("clips") / "coded.mp4"
    coded_clip(path, 90)
    return path


@pytest.fixture(scope="session")
def filled(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder filled with the demo, made once for all workers; nobody writes to it."""
    if given := os.environ.get("FILLED_DEMO"):  # one made before, for trying single tests
        return Path(given)
    shared = tmp_path_factory.getbasetemp()
    if "PYTEST_XDIST_WORKER" in os.environ:
        shared = shared.parent
    place = shared / "filled"
    with (shared / "filled.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not place.exists():
            fill(shared / "filling", lambda line: None).folder.database.close()
            (shared / "filling").rename(place)
    return place


@pytest.fixture(scope="session")
def demo_folder(filled: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder of one's own, filled with the demo."""
    root = tmp_path_factory.mktemp("demo")
    shutil.copytree(filled, root, dirs_exist_ok=True)
    fill(root, lambda line: None).folder.database.close()
    return root


@pytest.fixture(scope="session")
def served(demo_folder: Path) -> Iterator[str]:
    """The address of the application, served from a process of its own with the demo."""
    with application(demo_folder) as address:
        yield address


@pytest.fixture(scope="module")
def client(tmp_path_factory: pytest.TempPathFactory) -> Iterator[TestClient]:
    """The application over the wire; each file of tests has an empty folder of its own."""
    app = create_app(tmp_path_factory.mktemp("wire") / "studio")
    with TestClient(app, base_url="http://localhost") as client:
        yield client
    database.close()
