"""Warming: whoever uses the application after it waits for no compiler."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

SCRIPT = """
import importlib, pkgutil, sys
from pathlib import Path
import velvet_seam.core.picture as package
from velvet_seam.work.warm import warm

def compiled():
    found = {}
    for one in pkgutil.iter_modules(package.__path__):
        module = importlib.import_module(f"{package.__name__}.{one.name}")
        for name, thing in vars(module).items():
            if hasattr(thing, "signatures") and thing.__module__ == module.__name__:
                found[f"{one.name}.{name}"] = {str(s) for s in thing.signatures}
    return found

warm()
before = compiled()
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.media.clip import to_rgba
from velvet_seam.core.shot.apply import apply
from velvet_seam.core.shot.edit import read_edit
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
import numpy as np
from av import VideoFrame
from av.video.reformatter import VideoReformatter
for name in ("yuv422p10le", "yuva444p10le", "yuv444p"):
    to_rgba(VideoReformatter(), VideoFrame(64, 48, name))
after = compiled()
late = {name: sorted(after[name] - before[name]) for name in after if after[name] - before[name]}
print("LATE", late)
"""


def test_nothing_is_compiled_after_warming(demo_folder: Path):
    """With the demo's shots, their mattes steadied and their edges worked on."""
    command = [sys.executable, "-c", SCRIPT, str(demo_folder)]
    done = subprocess.run(command, capture_output=True, text=True, check=True, env=os.environ)
    assert done.stdout.strip().endswith("LATE {}"), done.stdout
