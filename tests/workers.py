"""Two workers: all that drives a browser is for one of them, everything else for the other, test by test.

Two browsers would wait for each other. The browser's part takes longest, so that it comes first, and the rest
lets it go before: a page that waits for a busy core looks like one that does not work.
"""

from __future__ import annotations

import os

import pytest
from xdist.remote import Producer
from xdist.scheduler import LoadScopeScheduling


class OneBrowser(LoadScopeScheduling):
    """Hands out single tests, but those of a browser as one piece; the largest piece goes first."""

    def _split_scope(self, nodeid: str) -> str:
        return "browser" if "[chromium" in nodeid else nodeid


@pytest.hookimpl
def pytest_xdist_make_scheduler(config: pytest.Config, log: Producer) -> OneBrowser:
    return OneBrowser(config, log)


def pytest_runtest_setup(item: pytest.Item) -> None:
    """Also of all that a test starts."""
    if "PYTEST_XDIST_WORKER" in os.environ and "[chromium" not in item.nodeid and os.nice(0) < 10:
        os.nice(10)
