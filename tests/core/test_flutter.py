"""What comes and goes in a take by itself is no subject: a tape that waves, told from who walks past."""

from __future__ import annotations

import numpy as np

from tests.lobes import texture
from velvet_seam.core.picture.difference_key import difference_key, known_before
from velvet_seam.core.picture.flutter import Flutter, flutter, median_plate

HEIGHT, WIDTH, FRAMES = 120, 160, 24


def scene(t: int, tape: bool = True, walker: bool = True) -> tuple[np.ndarray, np.ndarray]:
    y, x = np.mgrid[:HEIGHT, :WIDTH]
    picture = texture(HEIGHT, WIDTH, 5, (0.5, 0.55, 0.45), 0.03)
    at = 40 + 9 * np.sin(t * 1.1) * (y / HEIGHT)
    if tape:
        picture[np.abs(x - at) < 4] = (0.1, 0.2, 0.8)
    cover = np.abs(x - (20 + 6 * t)) + np.abs(y - 60) < 15
    if walker:
        picture[cover] = (0.9, 0.3, 0.1)
    noise = np.random.default_rng(t).normal(0, 0.01, picture.shape)
    rgb = np.rint(np.clip(picture + noise, 0, 1) * 255)
    return np.dstack([rgb, np.full((HEIGHT, WIDTH), 255)]).astype(np.uint8), cover


def keyed(picture: np.ndarray, plate: np.ndarray, flutters: Flutter | None = None) -> np.ndarray:
    return difference_key(picture, known_before(5, picture, plate, flutters))


def test_a_waving_tape_is_no_subject_and_who_walks_past_is():
    frames = [scene(t)[0] for t in range(FRAMES)]
    plate = median_plate(frames[::3])
    found = flutter(frames, plate)
    assert found.often[:, 60:].mean() < 0.01  # where only the walker passes
    assert found.often[80:, 30:50].mean() > 0.4  # where the tape swings
    for t in (10, 15, 20):
        picture, cover = scene(t)
        plain, calm = (keyed(picture, plate, one)[..., 3] / 255 for one in (None, found))
        assert calm[cover].mean() > 0.97
        beside = np.s_[:, :56]
        assert calm[beside][~cover[beside]].mean() < 0.4 * plain[beside][~cover[beside]].mean()
        assert ((calm - cover) ** 2).mean() <= ((plain - cover) ** 2).mean()
    worst = max(keyed(scene(t, walker=False)[0], plate)[..., 3].mean() for t in range(FRAMES))
    calmed = max(
        keyed(scene(t, walker=False)[0], plate, found)[..., 3].mean() for t in range(FRAMES)
    )
    assert calmed < 0.4 * worst


def test_a_take_in_which_nothing_flutters_is_keyed_as_before():
    frames = [scene(t, tape=False)[0] for t in range(FRAMES)]
    plate = median_plate(frames[::3])
    found = flutter(frames, plate)
    assert not found.often.any()
    one, other = (keyed(frames[9], plate, flutters) for flutters in (None, found))
    assert np.array_equal(one, other)


def test_a_plate_of_another_size_and_frames_of_one_pixel():
    frames = [np.full((1, 1, 4), 90 + 100 * (n % 2), np.uint8) for n in range(6)]
    found = flutter(frames, np.full((4, 4, 4), 90, np.uint8))
    assert found.often.all()
    assert (int(found.dark[0, 0, 0]), int(found.bright[0, 0, 0])) == (90, 190)
