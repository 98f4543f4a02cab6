"""What is doubted of a carried region, what moves, and what else a roto can begin with."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest

from tests.core.test_roto import DROP, KEEP, Filmed
from tests.lobes import iou, scene, small, texture
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.mattes.roto import RotoMatte
from velvet_seam.core.roto.carry import carried
from velvet_seam.core.roto.doubt import LOOK, apart, doubt, strayed
from velvet_seam.core.roto.first import inside_of
from velvet_seam.core.roto.moving import moving
from velvet_seam.core.roto.seen import seen
from velvet_seam.core.roto.telling import painted_sample


def followed(films: list[np.ndarray], begin: np.ndarray) -> tuple[np.ndarray, float]:
    """The region at the last of some frames, and its doubt."""
    region, far = inside_of(begin), 0.0
    painted = painted_sample(region, seen(films[0]))
    for there, here in pairwise(films):
        a, b = seen(there), seen(here)
        to = carried(region, a, b, painted)
        region, far = to, strayed(region, a, to, b, painted, far)
    return region, doubt(region, far)


def test_what_is_followed_well_is_not_doubted_and_what_has_left_is():
    films = [scene(2 * n)[0] for n in range(8)]
    region, sure = followed(films, small(scene(0)[1]))
    assert iou(region > 0, small(scene(14)[1])) > 0.95
    assert sure < LOOK
    ground = np.dstack(
        [np.rint(texture(540, 360, 2, (0.35, 0.45, 0.5)) * 255), np.full((540, 360), 255)]
    )
    gone = [
        *films[:3],
        *[ground.astype(np.uint8)] * 2,
    ]  # the subject is away from one frame to the next
    _, unsure = followed(gone, small(scene(0)[1]))
    assert unsure > LOOK
    assert unsure > 2 * sure


def test_doubt_is_between_none_and_all():
    region = np.full((20, 20), -1.0, np.float32)
    assert doubt(region, 0.0) == 1.0  # nothing is left of it
    region[5:15, 5:15] = 1
    assert doubt(region, 0.0) == 0.0
    assert doubt(region, 1e9) == 1.0
    assert apart(region, region, region) == 0.0
    assert apart(region, -region, -region) == 1.0


def test_a_mixture_is_doubted_as_far_as_it_lies_from_the_nearer_of_the_two():
    """One was followed well and the other has gone astray, and the mixture is the first: nothing is wrong. The same pixels
    wrong on either side: doubted, and the more the thinner the subject is."""

    def bar(wide: int, at: int = 40, size: int = 100) -> np.ndarray:
        out = np.zeros((size, size), bool)
        out[20:80, at : at + wide] = True
        return inside_of(out)

    good, astray = bar(20), bar(20, 55)
    assert apart(good, good, astray) == apart(good, astray, good) < LOOK / 10
    near = [apart(bar(wide), bar(wide, 41), bar(wide, 39)) for wide in (40, 20, 6)]
    assert near == sorted(near)
    assert near[-1] > LOOK
    assert apart(bar(40), bar(40, 50), bar(40, 30)) > LOOK


@pytest.mark.parametrize("painted", [0, 4, 8])
@pytest.mark.parametrize("cuts", [[], [3], [6]])
def test_a_frame_between_two_stops_is_doubted_as_the_next_of_them(painted: int, cuts: list[int]):
    strokes = [{**KEEP, "frame": painted}, {**DROP, "frame": painted}]
    frames = RotoMatte.model_validate({"id": "k-a", "strokes": strokes, "cuts": cuts}).frames(
        Filmed()
    )
    far = {
        n: said.inputs[1].key for n in range(9) if (said := frames.doubt(n))
    }  # by what they are doubted
    reach = {n for n in range(9) if sum(c <= n for c in cuts) == sum(c <= painted for c in cuts)}
    assert set(far) == reach - {painted}
    for n in far:
        way = 1 if n > painted else -1
        alike = [m for m in far if far[m] == far[n]]
        stop = n + way if (n - painted) % 2 and n + way in reach else n
        assert stop in alike
        assert len(alike) == (2 if (stop - painted) % 2 == 0 and stop - way in far else 1)


def test_what_moves_is_told_from_a_panning_camera():
    def film(n: int) -> np.ndarray:
        own, _ = scene(2 * n)
        return np.roll(own, 4 * n, 1)  # the camera pans, and the subject moves besides

    cover = small(np.roll(scene(20)[1], 40, 1))
    likely = moving(seen(film(10)), seen(film(5)), seen(film(15)))
    assert iou(likely > 0.5, cover) > 0.6
    still = moving(*(seen(film(10)) for _ in range(3)))
    assert not (still > 0.5).any()
    assert not moving(seen(film(10)), None, None).any()


@pytest.mark.parametrize(("begin", "least"), [("movement", 0.9), ("screen", 0.97)])
def test_a_roto_begins_with_a_guess_of_each_frame(begin: str, least: float):
    class Before(Filmed):
        digest = f"before-{begin}"

        def read(self, number: int) -> np.ndarray:
            picture, cover = scene(3 * number)
            if begin == "screen":
                soft = cover[..., None]
                screen = picture[..., :3] * soft + np.array([40, 170, 60]) * (1 - soft)
                picture = np.dstack([screen.astype(np.uint8), picture[..., 3]])
            return picture

    frames = RotoMatte.model_validate({"id": "k-a", "begin": begin}).frames(Before())
    engine = Engine(lambda _: Before())
    for n in (0, 4, 8) if begin == "screen" else (4,):
        assert frames.state(n) == "guessed"
        assert frames.doubt(n) is None
        assert iou(engine.result(frames.at(n)) > 0, small(scene(3 * n)[1])) > least
