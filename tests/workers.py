"""Two workers: most of what drives a browser is for one of them, everything else for the other, test by test.

Two browsers wait for each other, so that the browser's part, which takes longest, comes first and alone; the rest
lets it go before: a page that waits for a busy core looks like one that does not work. Only when a worker has
nothing else left to do it takes some of the browser's tests, file by file, of those that do not measure time.
"""

from __future__ import annotations

import contextlib
import os

import pytest
from xdist.remote import Producer
from xdist.scheduler import LoadScopeScheduling
from xdist.workermanage import WorkerController

LATE = (
    "test_accessible", "test_masks_page", "test_own_clips", "test_marks", "test_seam_page", "test_lineup_page",
    "test_generated_page", "test_nesting_page",
)  # fmt: skip
"""Files of browser tests that may run beside another browser."""

FILLED = "tests/core/test_demo_shots.py"
"""Waits for the demo, which the browser's worker fills before all else: other tests go before it."""


class OneBrowser(LoadScopeScheduling):
    """Hands out single tests, but those of a browser as one piece; the largest piece goes first, and what may be
    done beside a browser goes last."""

    def _split_scope(self, nodeid: str) -> str:
        if "[chromium" not in nodeid:
            return nodeid
        file = nodeid.partition("::")[0]
        return f"late {file}" if file.endswith(tuple(f"{name}.py" for name in LATE)) else "browser"

    def _assign_work_unit(self, node: WorkerController) -> None:
        for begin in (FILLED, "late "):
            for scope in [one for one in self.workqueue if one.startswith(begin)]:
                self.workqueue.move_to_end(scope)
        super()._assign_work_unit(node)


@pytest.hookimpl
def pytest_xdist_make_scheduler(config: pytest.Config, log: Producer) -> OneBrowser:
    return OneBrowser(config, log)


def pytest_runtest_setup(item: pytest.Item) -> None:
    """Also of all that a test starts."""
    if "PYTEST_XDIST_WORKER" not in os.environ:
        return
    if "[chromium" not in item.nodeid and os.nice(0) < 10:
        os.nice(10)
    elif "[chromium" in item.nodeid and os.nice(0) >= 10:
        with contextlib.suppress(PermissionError):  # only who may, may go back
            os.nice(-10)
