"""The application as a process of its own, and Chromium's quiet settings."""

from __future__ import annotations

import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from velvet_seam.web.context import shipped

BROWSER = "/usr/bin/chromium-headless-shell"
"""Chromium without a window of its own: frame, tabs and address bar, which nobody sees, cost a third of what opening a
page does."""

OFF = [
    # what Playwright turns off, for of two such lists the last one holds
    "AvoidUnnecessaryBeforeUnloadCheckSync", "DestroyProfileOnBrowserClose", "HttpsUpgrades",
    "HttpsFirstBalancedModeAutoEnable", "LensOverlay", "MediaRouter", "PaintHolding", "ThirdPartyStoragePartitioning",
    "AvoidCorsURLLoaderRestartOnRedirect", "OptimizationHints", "NetworkTimeServiceQuerying", "AimEnabled",
    "PreconnectToSearch",
    # one more process that waits for a page of another origin, each time one is opened
    "SpareRendererForSitePerProcess",
]  # fmt: skip
"""Parts of Chromium that no test needs."""

CHROMIUM = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
    "--no-default-browser-check", "--disable-background-networking", "--disable-component-update",
    "--disable-sync", "--disable-default-apps", "--disable-extensions",
    "--disable-domain-reliability", "--metrics-recording-only", "--no-pings",
    "--host-resolver-rules=MAP * ~NOTFOUND, EXCLUDE 127.0.0.1, EXCLUDE localhost",
    "--autoplay-policy=no-user-gesture-required", "--disable-dev-shm-usage",
    f"--disable-features={','.join(OFF)}",
]  # fmt: skip


ASIDE = shipped.address("icon.svg")
"""What of the application can be opened as a page that asks for nothing more."""


def free_port() -> int:
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        return int(free.getsockname()[1])


def answering(address: str) -> None:
    """Wait until something answers there."""
    for _ in range(1800):  # a busy machine takes long
        try:
            urllib.request.urlopen(address, timeout=1).close()
            return
        except OSError:
            time.sleep(0.1)
    raise AssertionError(f"nothing answers at {address}")


@contextmanager
def application(folder: Path) -> Iterator[str]:
    """Serves a folder on a free port; gives the address."""
    port = free_port()
    command = [sys.executable, "-m", "velvet_seam.cli", "serve"]
    process = subprocess.Popen([*command, "--folder", str(folder), "--port", str(port)])
    address = f"http://127.0.0.1:{port}"
    try:
        answering(address)
        yield address
    finally:
        process.terminate()
        process.wait(15)
