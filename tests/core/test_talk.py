"""The talk of the fox and the hare, against what was drawn: the two cameras in time, the plate, and who vanishes."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
import pytest

from tests.core.test_demo_shots import library, see
from velvet_seam.demo import talk
from velvet_seam.demo.draw import FOLDER
from velvet_seam.store.library import Library
from velvet_seam.work.together import together

__all__ = ["library", "see"]

Look = Callable[..., np.ndarray]


def test_both_cameras_are_put_in_time(library: Library):
    """What happens at a moment of the first happens that much earlier in the second: it was started later."""
    held = {item.name: item.id for item in library.footage.all()}
    found = together(library, held["fox-and-hare-talk-a"], held["fox-and-hare-talk-b"], "sound")
    assert found.sure
    assert found.offset == pytest.approx(-talk.LATER, abs=0.001)


def test_the_plate_is_the_stage_without_the_hare(library: Library):
    made = cv2.imread(str(FOLDER / "talk-plate.jpg"))[..., ::-1].astype(int)
    _, hare = talk._hare("b", 80.0, 0.0)
    _, fox = talk._fox("b", 80.0)
    behind = (hare > 0.5) & (cv2.dilate(fox, np.ones((121, 121))) < 0.01)  # he moves all the time
    assert behind.mean() > 0.1
    bare = np.clip(talk._ground("b"), 0, 1) * 255
    off = np.abs(made - bare).mean(2)[behind]
    assert np.median(off) < 6  # the light of the take is its own
    assert np.quantile(off, 0.99) < 25


def test_the_hare_vanishes_and_the_stage_stays(see: Look):
    """While she is there she is her take; once gone, all is the plate and what the glitter adds."""
    name = "The hare vanishes"
    there, plate = see(name, 20), see(name, 20, without=("l-hare",))
    take = see(name, 20, without=("l-plate",))
    middle = (slice(330, 700), slice(180, 360))
    assert np.abs(there - take)[middle].max() <= 1
    assert np.abs(there - plate)[middle].mean() > 10
    assert np.array_equal(see(name, 85), see(name, 85, without=("l-hare",)))


def test_the_talk_is_in_time_in_its_shot(library: Library):
    """Both halves show the same moment on every frame, and the sound is that of the camera that nobody knocked."""
    shot = next(one.shot for one in library.shots.all() if one.shot.name == "Fox and hare talk")
    hare, fox = shot.layers[:2]
    moments = [float(one.time.source_in) + talk.begins(camera) for one, camera in ((hare, "b"), (fox, "a"))]  # fmt: skip
    assert moments[0] == pytest.approx(moments[1], abs=1e-9)
    assert hare.span == fox.span
    assert (hare.sound.on, fox.sound.on) == (True, False)


def test_only_the_first_camera_heard_the_knock(tmp_path: Path):
    for camera, heard in (("a", True), ("b", False)):
        sound = np.abs(talk.sound(camera)).mean(1)
        at = round(talk.RATE * (talk.KNOCK - talk.begins(camera)))
        assert (sound[at : at + 2400].max() > 0.9) == heard


def test_her_shadow_goes_with_her(see: Look):
    """What is behind her is darker while she is there, and as light as on the plate once she is gone."""
    name = "The hare vanishes"
    _, hare = talk._hare("b", 80.0, 0.0)
    fallen = (talk._shadow("b", hare) > 0.2) & (cv2.dilate(hare, np.ones((25, 25))) < 0.01)
    fallen = cv2.resize(fallen.astype(np.float32), (540, 960), interpolation=cv2.INTER_AREA) > 0.99
    assert fallen.sum() > 1000
    there, bare = see(name, 20), see(name, 20, without=("l-hare", "l-fox"))
    gone = see(name, 85, without=("l-fox", "l-puff"))
    light = [one[fallen].mean() for one in (there, bare, gone)]
    assert light[0] < 0.9 * light[1]
    assert light[2] == pytest.approx(light[1], rel=0.01)


def test_the_talk_is_joined_at_the_curtain(see: Look):
    """Left of the curtain's right edge is the fox's camera, right of it the hare's; the curtain hangs on from one to the
    other as if there were one."""
    both, fox, hare = (
        see("Fox and hare talk", 60, without=hidden) for hidden in ((), ("l-b",), ("l-a",))
    )
    assert np.array_equal(both[:, :230], fox[:, :230])
    assert np.array_equal(both[:, 330:], hare[:, 330:])
    curtain = (slice(200, 700), slice(245, 290))
    assert np.abs(fox[curtain].astype(int) - hare[curtain]).mean() < 8  # the very place on both
