"""The demo shot, whole, against the slow reference of the bench: written without the kernels."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from bench.reference import reference_picture
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.shot.edits import apply, read_edit
from velvet_seam.store.library import Library
from velvet_seam.store.tables import database


@pytest.fixture(scope="module")
def library(demo_folder: Path):
    library = Library(demo_folder)
    yield library
    database.close()


def differences(library: Library, frame: int, **values) -> np.ndarray:
    shot = next(s.shot for s in library.shots.all() if s.shot.name.startswith("Moth"))
    if values:
        edit = {"do": "set-values", "target": "l-moth", "values": values["values"]}
        shot = apply(shot, read_edit(edit))
    materials = library.materials(preview=True)
    engine = Engine(materials)
    got = engine.picture(engine.plan(shot, frame, short_side=540))[..., :3].astype(float)
    return np.abs(got - reference_picture(shot, frame, materials))


@pytest.mark.parametrize("frame", [0, 149])
def test_the_composite_is_within_one_level_in_the_mean_and_three_at_most(library, frame):
    error = differences(library, frame)
    assert error.mean() < 1
    assert error.max() <= 3


@pytest.mark.parametrize(
    "values",
    [
        {
            "seam.matte.k-moth.tolerance": 20,
            "seam.matte.k-moth.softness": 35,
            "place.scale": 41.5,
            "place.x": 333.3,
            "place.y": 1200.7,
        },
        {"seam.matte.k-moth.despill": 0, "seam.opacity": 55, "seam.blend": "soft-light"},
        {
            "seam.masks.m-stick.use": "garbage",
            "seam.masks.m-stick.feather_out": 200,
            "place.rotation": -23.5,
            "place.scale": 61.3,
        },
        {"place.rotation": 140, "seam.opacity": 70, "seam.blend": "screen"},
    ],
)
def test_so_is_every_setting_that_was_tried(library, values):
    error = differences(library, 60, values=values)
    assert error.mean() < 1
    assert np.percentile(error, 99.99) <= 3
