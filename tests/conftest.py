"""What all tests share: small clips with known pictures, and a filled library."""

from __future__ import annotations

import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.clips import coded_clip
from velvet_seam.demo.scenario import fill

CHROMIUM = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
    "--no-default-browser-check", "--disable-background-networking", "--disable-component-update",
    "--disable-sync", "--disable-default-apps", "--disable-extensions",
    "--disable-domain-reliability", "--metrics-recording-only", "--no-pings",
    "--host-resolver-rules=MAP * ~NOTFOUND, EXCLUDE 127.0.0.1, EXCLUDE localhost",
    "--autoplay-policy=no-user-gesture-required", "--disable-dev-shm-usage",
]  # fmt: skip


@pytest.fixture(scope="session")
def browser_type_launch_args(browser_type_launch_args: dict) -> dict:
    return {
        **browser_type_launch_args,
        "executable_path": "/usr/bin/chromium",
        "headless": True,
        "args": CHROMIUM,
    }


@pytest.fixture(scope="session")
def browser_context_args(browser_context_args: dict) -> dict:
    return {**browser_context_args, "viewport": {"width": 1280, "height": 800}}


@pytest.fixture(scope="session")
def coded(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A clip of 90 frames at 25 a second with its frame number coded into every picture."""
    path = tmp_path_factory.mktemp("clips") / "coded.mp4"
    coded_clip(path, 90)
    return path


@pytest.fixture(scope="session")
def demo_folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder filled with the demo, made once."""
    root = tmp_path_factory.mktemp("demo")
    fill(root, lambda line: None).folder.database.close()
    return root


@pytest.fixture(scope="session")
def served(demo_folder: Path) -> Iterator[str]:
    """The address of the application, served from a process of its own with the demo."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    command = [sys.executable, "-m", "velvet_seam.cli", "serve"]
    command += ["--folder", str(demo_folder), "--port", str(port)]
    process = subprocess.Popen(command)
    address = f"http://127.0.0.1:{port}"
    try:
        for _ in range(300):
            try:
                urllib.request.urlopen(address, timeout=1).close()
                break
            except OSError:
                time.sleep(0.1)
        yield address
    finally:
        process.terminate()
        process.wait(15)
