"""Warming: whoever uses the application after it waits for no compiler."""

from __future__ import annotations

import os
import re
import subprocess
import sys
import time
from importlib.metadata import packages_distributions
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from velvet_seam.core import kernels
from velvet_seam.store.tables import database
from velvet_seam.web.app import create_app
from velvet_seam.work import warm
from velvet_seam.work.warming import Warming

SCRIPT = """
import importlib, pkgutil, sys
from pathlib import Path
sys.modules.update(dict.fromkeys(sys.argv[2:]))
import velvet_seam.core.picture as package
from velvet_seam.work.warm import PIECES

def compiled():
    found = {}
    for one in pkgutil.iter_modules(package.__path__):
        module = importlib.import_module(f"{package.__name__}.{one.name}")
        for name, thing in vars(module).items():
            if hasattr(thing, "signatures") and thing.__module__ == module.__name__:
                found[f"{one.name}.{name}"] = {str(s) for s in thing.signatures}
    return found

for piece in PIECES: piece()
before = compiled()
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.media.clip import to_rgba
from velvet_seam.core.shot.edits import apply
from velvet_seam.core.shot.edits import read_edit
from velvet_seam.store.library import Library
library = Library(Path(sys.argv[1]))
for standing in library.shots.all():
    shot = standing.shot
    for layer in shot.layers:
        if layer.seam.matte:
            values = {"seam.edge.steady": 100, "seam.edge.grow": 1, "seam.edge.clean": 20}
            edit = {"do": "set-values", "target": layer.id, "values": values}
            shot = apply(shot, read_edit(edit))
    for preview, side in ((True, 540), (False, None)):
        engine = Engine(library.materials(preview=preview))
        engine.picture(engine.plan(shot, shot.length // 2, short_side=side))
shot = library.shots.all()[0].shot
engine, top = Engine(library.materials(preview=True)), shot.layers[-1].id
for view in ("matte", "dropped", "on-checker", "compare-half", "compare-difference", "compare-outlines", "compare-upper"):
    engine.picture(engine.plan(shot, shot.length // 2, short_side=270, view=view, chosen=top))
import numpy as np
from av import VideoFrame
from av.video.reformatter import VideoReformatter
for name in ("yuv422p10le", "yuva444p10le", "yuv444p"):
    to_rgba(VideoReformatter(), VideoFrame(64, 48, name))
after = compiled()
late = {name: sorted(after[name] - before[name]) for name in after if after[name] - before[name]}
print("LATE", late)
"""


def only_tests_have() -> list[str]:
    """Modules that come with the tests and not with the application: a user has none of them."""
    here = Path(__file__).parents[2]
    ours, all_ = (
        set(re.findall(r"^([\w.-]+)==", (here / name).read_text(), re.MULTILINE))
        for name in ("requirements.txt", "requirements-dev.txt")
    )
    return [
        module
        for module, owners in packages_distributions().items()
        if {re.sub(r"[-_.]+", "-", one).lower() for one in owners} <= all_ - ours
    ]


def test_nothing_is_compiled_after_warming_and_nothing_asked_for_that_users_do_not_have(
    demo_folder: Path,
):
    """With the demo's shots, their mattes steadied and their edges worked on."""
    assert "scipy" in only_tests_have()  # whose LAPACK Numba would take
    command = [sys.executable, "-c", SCRIPT, str(demo_folder), *only_tests_have()]
    done = subprocess.run(command, capture_output=True, text=True, check=True, env=os.environ)
    assert done.stdout.strip().endswith("LATE {}"), done.stdout


@pytest.fixture
def cold(tmp_path: Path, monkeypatch: pytest.MonkeyPatch):
    """A machine on which nothing has been compiled yet."""
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    for known in (kernels.folder, warm._mark):
        known.cache_clear()
    yield tmp_path
    for known in (kernels.folder, warm._mark):
        known.cache_clear()


def children() -> set[str]:
    """Processes that compile, of whatever application."""
    listed = subprocess.run(["ps", "-eo", "pid,args"], capture_output=True, text=True, check=True)
    return {line.split()[0] for line in listed.stdout.splitlines() if "work.warm --b" in line}


def test_pages_are_there_while_kernels_are_compiled_and_say_how_far_that_is(cold: Path):
    assert not warm.is_warm()
    before = children()
    with TestClient(create_app(cold / "studio"), base_url="http://127.0.0.1") as client:
        page = client.get("/")
        assert page.status_code == 200
        assert "Getting ready for this machine" in page.text
        assert f"of {len(warm.PIECES)}" in client.get("/warming").text
        assert children() - before
    database.close()
    end = time.monotonic() + 60
    while children() - before and time.monotonic() < end:
        time.sleep(0.1)
    assert children() == before  # it ends with the application


def test_when_all_is_compiled_nothing_is_started_and_nothing_is_said(cold: Path):
    mark = warm._mark()
    assert mark is not None
    mark.touch()
    kernels_of = Warming()
    with TestClient(
        create_app(cold / "studio", kernels=kernels_of), base_url="http://127.0.0.1"
    ) as client:
        assert "Getting ready" not in client.get("/").text
        assert client.get("/warming").text.strip() == ""
    assert kernels_of.far is None
    database.close()


def test_another_version_is_not_warm(cold: Path, monkeypatch: pytest.MonkeyPatch):
    mark = warm._mark()
    assert mark is not None
    mark.touch()
    assert warm.is_warm()
    monkeypatch.setattr(warm, "made_by", lambda: "another")
    warm._mark.cache_clear()
    assert not warm.is_warm()
