"""Pages are told of changes to a shot, whatever the order in which these are told of."""

from __future__ import annotations

import asyncio

import pytest

from tests.in_loop import run
from velvet_seam.web.watchers import Watchers


@pytest.mark.parametrize("told", [(1, 2, 3), (3, 1, 2), (2, 3, 1)])
def test_of_edits_at_once_the_latest_is_told(told: tuple[int, ...]):
    """A page whose own edit is told last would else never learn of another's that came after it."""

    async def latest() -> int:
        watchers = Watchers()
        queue = watchers.join("s")
        for stamp in told:
            watchers.changed("s", stamp)
        await asyncio.sleep(0)
        assert queue.qsize() == 1
        return queue.get_nowait()

    assert run(latest()) == 3


def test_a_shot_that_nobody_has_open_any_more_is_forgotten():
    async def left() -> list[str]:
        watchers = Watchers()
        watchers.leave("s", watchers.join("s"))
        watchers.changed("s", 5)
        return watchers.open()

    assert run(left()) == []
