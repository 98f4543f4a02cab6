"""The screen key against the truth of the drawn moth; the mask against its analytic area."""

from __future__ import annotations

from functools import cache
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from velvet_seam.core.media.clip import ClipReader
from velvet_seam.core.media.probe import probe
from velvet_seam.core.picture.box_mask import Box, box_mask
from velvet_seam.core.picture.colour import delta_e
from velvet_seam.core.picture.screen import measure_area, measure_border, screen_surface, study
from velvet_seam.core.picture.screen_key import screen_key, screen_light
from velvet_seam.core.problem import Problem
from velvet_seam.demo import moth
from velvet_seam.demo.draw import FOLDER

FRAME = 37


@cache
def shown() -> np.ndarray:
    """The frame as it comes out of the compressed file."""
    path = FOLDER / "moth-on-card.mp4"
    return ClipReader(path, probe(path)).read(FRAME)


@cache
def keyed() -> np.ndarray:
    reading = measure_border([shown()])
    colour = tuple(round(c) for c in reading.colour)
    surface = screen_surface(study(shown()), colour)
    return screen_key(
        shown(),
        screen_light(shown(), surface),
        colour,
        tolerance=0.06,
        softness=0.86,
        keep_shadows=0,
        despill=1,
    )


@cache
def around_moth() -> tuple[slice, slice]:
    """Where the moth is, without the table at the right and most of the stick."""
    _, alpha = moth.truth(FRAME)
    rows, columns = np.nonzero(alpha > 0)
    return slice(rows.min() - 30, rows.max() - 60), slice(max(0, columns.min() - 30), 1005)


def test_the_measured_screen_is_the_card_that_was_drawn():
    reading = measure_border([shown()])
    assert delta_e(np.array(reading.colour) / 255, moth.GREEN) < 12  # lit, so not the very paint
    assert reading.colour[1] > 1.8 * max(reading.colour[0], reading.colour[2])
    assert 0.3 < reading.uneven < 2.0
    area = measure_area(shown(), 100, 300, 220, 420)
    assert area.colour[1] > 1.8 * max(area.colour[0], area.colour[2])


def test_the_matte_is_near_the_truth_with_automatic_settings():
    """Measured: 0.0033, most of it the moth's own shadow on the card, which is not in the truth."""
    _, alpha = moth.truth(FRAME)
    at = around_moth()
    off_stick = np.abs(np.arange(1080) - moth.pose(FRAME / 25)["x"]) > 30
    got, wanted = keyed()[..., 3][at] / 255, alpha[at]
    columns = off_stick[at[1]]
    got, wanted = got[:, columns], wanted[:, columns]
    assert float(((got - wanted) ** 2).mean()) < 0.004
    assert (got[wanted > 0.999] > 0.98).mean() > 0.99
    assert (got[wanted < 0.001] < 0.15).mean() > 0.97


def test_the_subject_carries_no_green():
    colour, alpha = moth.truth(FRAME)
    at = around_moth()
    part = (alpha[at] > 0.15) & (alpha[at] < 0.95) & (keyed()[..., 3][at] > 30)
    got = keyed()[at][part].astype(float)
    straight = got[:, :3] / got[:, 3:]
    raw = shown()[at][part][:, :3] / 255
    wanted = (colour[at][part] / alpha[at][part][:, None]).clip(0, 1)
    assert (straight[:, 1] <= straight[:, [0, 2]].max(1) + 0.02).all()
    assert delta_e(straight.clip(0, 1), wanted).mean() < 0.8 * delta_e(raw, wanted).mean()


def test_uneven_light_is_evened_out():
    """The surface follows the light of the card to within a few levels, also behind the moth."""
    colour = tuple(round(c) for c in measure_border([shown()]).colour)
    surface = screen_surface(study(shown()), colour)
    rows, columns = surface.shape[:2]
    card, inside = moth._card()
    assert (rows, columns) == (107, 60)  # cells of 18 pixels, the last row of them cut off
    cells = (106, 18, 60, 18)
    truth = card[:1908].reshape(*cells, 3).mean((1, 3))
    inner = inside[:1908].reshape(cells).min((1, 3)) > 0.99
    assert np.abs(surface[:106] - truth)[inner][:, 1].mean() < 0.03


def test_kept_shadows_are_black_with_coverage():
    card = np.full((60, 60, 4), (60, 160, 70, 255), np.uint8)
    card[20:40, 20:40, :3] = (30, 80, 35)
    surface = np.full((20, 20, 3), (60 / 255, 160 / 255, 70 / 255), np.float32)
    settings_ = {"tolerance": 0.6, "softness": 0.3, "despill": 1}
    without = screen_key(
        card, screen_light(card, surface), (60, 160, 70), keep_shadows=0, **settings_
    )
    kept = screen_key(card, screen_light(card, surface), (60, 160, 70), keep_shadows=1, **settings_)
    assert without[30, 30, 3] == 0
    assert kept[30, 30].tolist() == [0, 0, 0, 128]
    assert kept[5, 5, 3] == 0


def test_rows_that_are_not_needed_stay_clear_and_the_others_are_the_same():
    colour = (66, 153, 67)
    surface = screen_surface(study(shown()), colour)
    settings_ = {"tolerance": 0.06, "softness": 0.86, "keep_shadows": 0, "despill": 1}
    whole = screen_key(shown(), screen_light(shown(), surface), colour, **settings_)
    some = screen_key(shown(), screen_light(shown(), surface), colour, **settings_, rows=(400, 900))
    assert np.array_equal(some[400:900], whole[400:900])
    assert some[:400].max() == 0


def test_a_border_without_a_screen_says_so():
    grey = np.full((90, 60, 4), 128, np.uint8)
    with pytest.raises(Problem, match="no screen colour"):
        measure_border([grey])
    grey[:12, :20, :3] = (40, 160, 60)  # a patch of green is no screen
    with pytest.raises(Problem, match=r"No screen was found|no screen colour"):
        measure_border([grey])
    with pytest.raises(Problem, match="outside the layer"):
        measure_area(grey, 200, 200, 300, 300)


@settings(max_examples=40, deadline=None)
@given(st.floats(5, 60), st.floats(5, 60), st.floats(20, 60), st.floats(20, 60), st.floats(0, 12))
def test_the_area_of_a_box_is_its_sides_multiplied(left, top, width, height, feather):
    white = np.full((140, 140, 4), 255, np.uint8)
    right, bottom = left + width, top + height
    inside = box_mask(white, [Box(left, top, right, bottom, feather)])[..., 3].sum() / 255
    if feather < 1:  # soft corners lose area by design, sharp ones must not
        assert inside == pytest.approx(width * height, rel=0.004)
    outside = (
        box_mask(white, [Box(left, top, right, bottom, feather, inside=True)])[..., 3].sum() / 255
    )
    assert inside + outside == pytest.approx(140 * 140, rel=2e-4)


def test_feather_is_linear_over_its_width():
    white = np.full((41, 100, 4), 255, np.uint8)
    row = box_mask(white, [Box(50, -500, 600, 600, 20)])[20, :, 3]
    wanted = np.clip(0.5 + (np.arange(100) + 0.5 - 50) / 20, 0, 1) * 255
    assert np.abs(row - wanted).max() <= 0.51


def test_the_demo_files_are_what_the_drawing_draws():
    """The committed clip shows the truth the tests measure against, not an older drawing."""
    assert Path(FOLDER / "moth-on-card.mp4").exists()
    drawn = moth.picture(FRAME).astype(float)
    assert np.abs(drawn - shown()[..., :3]).mean() < 4
