"""A test that hangs says where, and ends the run, rather than holding it for ever.

Some waits have no limit of their own: a page that is asked to evaluate something answers when its
browser does. The worker then ends with all that it has started; another one takes its place, and the test counts
as failed.
"""

from __future__ import annotations

import faulthandler
import os
import signal
import sys
import threading
from collections.abc import Iterator
from pathlib import Path

import pytest

LONGEST_SECONDS = 900.0
"""Several times what the longest test takes on a slow machine."""

HUNG = 75
"""Exit code: a failure of the moment (EX_TEMPFAIL of sysexits.h)."""


def descendants(process: int) -> list[int]:
    """Everything a process has started, and what that has."""
    found = []
    for children in Path(f"/proc/{process}/task").glob("*/children"):
        try:
            direct = [int(one) for one in children.read_text().split()]
        except OSError:  # it has just ended
            continue
        for child in direct:
            found += [*descendants(child), child]
    return found


def end(config: pytest.Config, test: str) -> None:
    """Say what hangs and where every thread is, end all that was started, and leave."""
    captured = config.pluginmanager.getplugin("capturemanager")
    if captured is not None:
        captured.suspend_global_capture(in_=True)
    print(f"\n{test} has not ended after {LONGEST_SECONDS:.0f} s:", file=sys.__stderr__, flush=True)
    faulthandler.dump_traceback(file=sys.__stderr__)
    for process in descendants(os.getpid()):
        try:
            name = Path(f"/proc/{process}/comm").read_text().strip()
            print(f"ended with it: {name} ({process})", file=sys.__stderr__, flush=True)
            os.kill(process, signal.SIGKILL)
        except OSError:
            continue
    os._exit(HUNG)


@pytest.hookimpl(wrapper=True)
def pytest_runtest_protocol(item: pytest.Item) -> Iterator[None]:
    timer = threading.Timer(LONGEST_SECONDS, end, (item.config, item.nodeid))
    timer.daemon = True
    timer.start()
    try:
        return (yield)
    finally:
        timer.cancel()
