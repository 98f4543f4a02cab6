"""The painter's process may hang or die: what was asked is refused in words, and it goes on."""

from __future__ import annotations

import asyncio
import os
import signal
from pathlib import Path

import pytest

from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.shot import Canvas, Shot
from velvet_seam.store.library import Library
from velvet_seam.store.tables import database
from velvet_seam.work import studio
from velvet_seam.work.painter import Paint
from velvet_seam.work.studio import Studio

DOCUMENT = Shot(
    name="S", canvas=Canvas(width=64, height=64), rate="25", length=10
).model_dump_json()  # fmt: skip


@pytest.mark.parametrize("blow", [signal.SIGSTOP, signal.SIGKILL])
def test_a_painter_that_hangs_or_dies_is_replaced(blow, tmp_path: Path, monkeypatch):
    monkeypatch.setattr(studio, "LONGEST_SECONDS", 1.0)
    Library(tmp_path)
    database.close()

    async def play() -> None:
        made = Studio(tmp_path)
        await made.start()
        try:
            monkeypatch.setattr(studio, "LONGEST_SECONDS", 60.0)  # it begins by loading kernels
            assert (await made.ask(Paint(DOCUMENT, 0)))[:2] == b"\xff\xd8"
            monkeypatch.setattr(studio, "LONGEST_SECONDS", 1.0)
            first = made._process
            assert first is not None
            os.kill(int(first.pid or 0), blow)
            with pytest.raises(Problem, match="tried afresh"):
                await made.ask(Paint(DOCUMENT, 1))
            monkeypatch.setattr(studio, "LONGEST_SECONDS", 60.0)
            assert (await made.ask(Paint(DOCUMENT, 2)))[:2] == b"\xff\xd8"
            first.join(10)
            assert not first.is_alive()
        finally:
            await made.stop()

    asyncio.run(play())
