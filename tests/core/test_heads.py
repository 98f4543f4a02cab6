"""One clip read at several places at once: always the right frame, and each place read on from where it was."""

from __future__ import annotations

from pathlib import Path

import av
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.clips import coded_clip, read_code
from velvet_seam.core.media import heads
from velvet_seam.core.media.heads import Heads
from velvet_seam.core.media.material import Material
from velvet_seam.core.media.pictures import Pictures
from velvet_seam.core.media.probe import Probe, probe
from velvet_seam.core.media.recent import Recent

FRAMES = 240


@pytest.fixture(scope="module")
def take(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, Probe]:
    """A clip whose first picture is its only whole one, so that every leap is dear."""
    path = tmp_path_factory.mktemp("take") / "take.mp4"
    coded_clip(path, FRAMES, options={"g": "1000", "sc_threshold": "0", "bf": "2", "crf": "18"})
    return path, probe(path)


@pytest.fixture
def leaps(monkeypatch: pytest.MonkeyPatch) -> list[int]:
    """Where decoders have leapt to, as it happens."""
    seen: list[int] = []
    leap = Pictures.from_before
    monkeypatch.setattr(
        Pictures, "from_before", lambda self, pts: seen.append(pts) or leap(self, pts)
    )
    return seen


def asked(places: dict[int, int], frames: int) -> list[int]:
    """Questions of places that take turns: each begins somewhere and goes on by some frames."""
    return [begin + pace * n for n in range(frames) for begin, pace in places.items()]


@pytest.mark.parametrize(
    ("places", "most"),
    [
        ({0: 1}, 1),
        ({0: 1, 40: 1, 80: 1, 120: 1, 160: 1}, 5),  # five selves out of one take
        ({10: 1, 120: -1, 200: -1, 60: 2}, 8),  # passes there and back; every sixteenth frame leaps
        ({100: 1, 97: 1, 94: 1, 91: 1}, 1),  # near echoes
        ({100: 1, 92: 1, 84: 1, 76: 1}, 4),  # farther ones
        ({0: 8}, 1),  # a time-lapse
        ({120: -1}, 4),  # backwards
        ({235: -8}, 8),  # and fast: more places than there are, and yet fewer leaps
    ],
)
def test_places_that_take_turns_are_read_on_each(take, leaps, places, most):
    path, clip = take
    frames = 20 if any(abs(pace) > 2 for pace in places.values()) else 30
    reader, order = Heads(path, clip), asked(places, frames)
    assert [read_code(reader.read(n)) for n in order] == order
    assert len(leaps) <= 2 * most
    assert reader.open <= most
    reader.close()


def test_footage_in_a_shot_is_read_so(take, leaps):
    path, clip = take
    footage = Material("f-a", path, clip, preview=False)
    order = asked({40 * n: 1 for n in range(5)}, 12)
    assert [read_code(footage.read_planes(n).rgba()) for n in order] == order
    assert len(leaps) <= 10
    footage.close()


def test_where_there_are_too_many_those_that_go_on_keep_theirs(take, leaps, monkeypatch):
    path, clip = take
    monkeypatch.setattr(heads, "MOST", 3)
    reader, order = Heads(path, clip), asked({40 * n: 1 for n in range(5)}, 20)
    assert [read_code(reader.read(n)) for n in order] == order
    assert reader.open == 3
    # two are read on, three share a decoder; of one alone all would leap
    assert len(leaps) < 0.75 * len(order)
    large = clip.model_copy(update={"width": 3840, "height": 2160})
    assert Heads(path, large)._most == 2


def test_what_leaps_about_leaves_few_decoders_behind(take):
    path, clip = take
    reader = Heads(path, clip)
    for n in (0, 200, 40, 160, 80, 120, 20, 180, 60, 140):
        assert read_code(reader.read(n)) == n
    assert reader.open == heads.MOST
    for n in range(heads.IDLE + 2):
        assert read_code(reader.read(n)) == n
    assert reader.open <= 2
    reader.close()
    assert read_code(reader.read(7)) == 7  # it can be asked again


@pytest.mark.parametrize(("size", "after_a_leap", "going_back"), [((1080, 1920), 5, 16), ((3840, 2160), 2, 5)])  # fmt: skip
def test_no_more_is_kept_than_there_is_room_for(size, after_a_leap, going_back):
    def kept(recent: Recent) -> int:
        for n in range(100, 140):
            recent.keep(n, av.VideoFrame(*size, "yuv420p"))
        return sum(n in recent for n in range(100, 140))

    recent = Recent()
    assert kept(recent) == 0  # who only reads on keeps nothing
    recent.leapt()
    assert kept(recent) == after_a_leap
    recent.asked(90, 99)
    assert kept(recent) == going_back
    for n in range(200, 300):
        recent.asked(n, n - 1)
    assert kept(recent) == 0


@settings(max_examples=12, suppress_health_check=list(HealthCheck))
@given(order=st.lists(st.one_of(st.integers(0, FRAMES - 1), st.integers(-3, 3)), min_size=5, max_size=40))  # fmt: skip
def test_whatever_is_asked_the_answer_is_that_frame(take, order):
    """Small numbers are taken as steps from the frame before."""
    path, clip = take
    reader, at = Heads(path, clip), 100
    for step in order:
        at = min(max(at + step if abs(step) <= 3 else step, 0), FRAMES - 1)
        assert read_code(reader.read(at)) == at
        planes = reader.read_planes(at)
        assert planes is not None
        assert read_code(planes.rgba()) == at
    reader.close()
