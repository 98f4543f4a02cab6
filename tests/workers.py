"""Two workers: all that drives a browser is for one of them, everything else for the other, test by test.

Two browsers would wait for each other. The browser's part takes longest, so that it comes first; the worker that
is done with the rest has nothing to take over.
"""

from __future__ import annotations

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
