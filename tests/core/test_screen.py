"""Finding a screen of any colour, whatever stands in front of it and however it is lit."""

from __future__ import annotations

import colorsys

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from velvet_seam.core.picture.colour import delta_e, to_linear, to_oklab
from velvet_seam.core.picture.screen import measure_border, screen_surface
from velvet_seam.core.picture.screen_key import read_screen, screen_key
from velvet_seam.core.picture.study import study


def scene(
    hue: float, fall: float, seed: int, subject: tuple[int, int, int]
) -> tuple[np.ndarray, np.ndarray]:
    """A lit card with a subject that reaches the lower border, and the truth of its coverage."""
    rng = np.random.default_rng(seed)
    colour = np.array(colorsys.hsv_to_rgb(hue, 0.72, 0.66)) * 255
    y, x = np.mgrid[0:240, 0:180] / 240
    light = 1 - fall * np.hypot(x - 0.3, y - 0.3)
    picture = colour * light[..., None]
    alpha = np.zeros((240, 180))
    alpha[90:, 60:110] = 1
    picture = picture * (1 - alpha[..., None]) + np.array(subject) * alpha[..., None]
    picture = np.clip(picture + rng.normal(0, 2.0, picture.shape), 0, 255)
    rgba = np.dstack([picture, np.full((240, 180), 255)]).astype(np.uint8)
    return rgba, alpha


@settings(max_examples=30, deadline=None)
@given(st.floats(0, 1), st.floats(0, 0.45), st.integers(0, 999))
def test_any_strong_colour_is_found_and_keyed(hue, fall, seed):
    """Screens whose strongest channel stands out; the key is by colour difference to that channel."""
    colour = np.array(colorsys.hsv_to_rgb(hue, 0.72, 0.66))
    ordered = np.sort(colour)
    assume(ordered[2] - ordered[1] > 0.25)  # nearer to orange or rose, a fall of light costs 2 %
    picture, alpha = scene(hue, fall, seed, (120, 116, 112))
    reading = measure_border([picture])
    assert delta_e(np.array(reading.colour) / 255, colour * (1 - 0.5 * fall)) < 14
    rounded = tuple(round(c) for c in reading.colour)
    keyed = screen_key(picture, read_screen(picture, rounded), rounded, tolerance=0.1, softness=0.8)
    error = np.abs(keyed[..., 3] / 255 - alpha)
    assert (error > 0.1).mean() < 0.01


@settings(max_examples=20, deadline=None)
@given(st.floats(0.1, 0.45), st.integers(0, 99))
def test_unevenness_is_told_in_stops_and_evened_out(fall, seed):
    picture, alpha = scene(0.36, fall, seed, (200, 150, 60))
    even, _ = scene(0.36, 0.0, seed, (200, 150, 60))
    assert measure_border([picture]).uneven > measure_border([even]).uneven
    rounded = tuple(round(c) for c in measure_border([picture]).colour)
    surface = screen_surface(study(picture), rounded)
    rows, columns = surface.shape[:2]
    near = picture[..., :3][:: 240 // rows, :: 180 // columns][:rows, :columns] / 255
    free = alpha[:: 240 // rows, :: 180 // columns][:rows, :columns] == 0
    assert np.abs(surface - near)[free].mean() < 0.03


def test_oklab_has_its_published_values():
    """The examples of the publication: XYZ 0.950 1.000 1.089 is white; and sRGB's primaries."""
    assert np.abs(to_oklab([1.0, 0, 0]) - [0.6280, 0.2249, 0.1258]).max() < 2e-4
    assert np.abs(to_oklab([0, 1.0, 0]) - [0.8664, -0.2339, 0.1795]).max() < 2e-4
    assert np.abs(to_oklab([0, 0, 1.0]) - [0.4520, -0.0325, -0.3115]).max() < 2e-4
    assert np.abs(to_linear(188 / 255) - 0.5029) < 1e-3


@pytest.mark.parametrize(
    ("screen", "subject"),
    [
        ((216, 128, 52), (196, 28, 40)),  # red before orange: no colour difference at all
        ((128, 126, 119), (70, 52, 140)),
        ((128, 126, 119), (58, 56, 52)),  # a grey thing before a grey wall
        ((148, 168, 190), (236, 232, 226)),
        ((40, 160, 70), (20, 60, 90)),
    ],
)
def test_a_subject_like_its_screen_and_a_wall_without_colour(
    screen: tuple[int, int, int], subject: tuple[int, int, int]
):
    """What differs from the screen in anything is solid, and the screen is clear, folds and noise or not."""
    rng = np.random.default_rng(5)
    y, x = np.mgrid[:360, :270].astype(float)
    light = 1 + 0.06 * np.sin(x / 40) + 0.05 * np.cos(y / 60)
    inside = np.hypot(x - 135, y - 180) < 70
    picture = np.where(inside[..., None], np.array(subject), np.array(screen) * light[..., None])
    picture = np.clip(picture + rng.normal(0, 1.5, picture.shape), 0, 255).astype(np.uint8)
    picture = np.dstack([picture, np.full((360, 270), 255, np.uint8)])
    alpha = screen_key(picture, read_screen(picture, screen), screen)[..., 3] / 255
    assert (alpha[np.hypot(x - 135, y - 180) < 66] > 0.75).mean() > 0.99
    assert alpha[np.hypot(x - 135, y - 180) > 76].mean() < 0.005
