"""What is written is what was joined: its colours, at every size, in every delivery."""

from __future__ import annotations

import io
import zipfile
from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import av
import numpy as np
import pytest
from PIL import Image

from velvet_seam.core.engine import made_by, render
from velvet_seam.core.engine.delivery import Delivery
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.masks import BoxMask
from velvet_seam.core.media.clip import to_rgba
from velvet_seam.core.problem import Cancelled, Problem
from velvet_seam.core.shot.layer import Layer, Place, Span
from velvet_seam.core.shot.seam import Seam
from velvet_seam.core.shot.shot import Canvas, Shot
from velvet_seam.core.sound.mix import Sounds
from velvet_seam.core.sources import ColourSource

SILENT = Sounds(lambda _: None, lambda _: Fraction(0))
PRESETS = [(1080, 1920), (1080, 1350), (1080, 1080), (1920, 1080)]
SIZES = [(w, h) for w in range(64, 80, 2) for h in (90, 92)]
SIZES += [(66, h) for h in range(64, 80, 2)] + [(42, 4094), (4094, 42)]


def no_footage(identity: str):
    raise Problem(f"there is no {identity}")


def squares(width: int, height: int) -> Shot:
    """Strong colours side by side, four across and three down: chroma that is shifted shows at once."""
    colours = ("#d02020", "#20b030", "#2030c8", "#e0c020", "#18a0a0", "#a030b0")
    layers = []
    for n in range(12):
        column, row = n % 4, n // 4
        mask = BoxMask(
            id=f"m-{n}", width=width / 4, height=height / 3, fixed="canvas",
            x=(column - 1.5) * width / 4, y=(row - 1) * height / 3,
        )  # fmt: skip
        layers.append(
            Layer(
                id=f"l-{n}", name="c", source=ColourSource(colour=colours[(n + row) % 6]),
                span=Span(first=0, last=1), place=Place(x=width / 2, y=height / 2),
                seam=Seam(masks=(mask,)),
            )
        )  # fmt: skip
    canvas = Canvas(width=width, height=height)
    return Shot(name="s", canvas=canvas, rate="25", length=2, layers=tuple(layers))


def first_picture(path: Path) -> np.ndarray:
    """The first picture of a file, by the library's own converter for MP4: not by ours."""
    if path.suffix == ".zip":
        with zipfile.ZipFile(path) as stills:
            return np.asarray(Image.open(io.BytesIO(stills.read("000000.png"))).convert("RGB"))
    with av.open(str(path)) as container:
        frame = next(container.decode(video=0))
        if frame.format.name == "yuv420p":
            return frame.to_ndarray(format="rgb24")
        return to_rgba(av.video.reformatter.VideoReformatter(), frame)[..., :3]


def written(shot: Shot, delivery: Delivery, folder: Path) -> np.ndarray:
    path = folder / f"out{delivery.form.suffix}"
    render.render(shot, path, no_footage, SILENT, delivery, ranges=folder / "ranges")
    return first_picture(path).astype(int)


def far_off(shot: Shot, delivery: Delivery, folder: Path) -> float:
    """How far the worst field of a file lies from the joined picture, in levels; borders are left out,
    where colour that is stored by halves runs over."""
    seen = written(shot, delivery, folder)
    engine = Engine(no_footage, passing=True)
    wanted = engine.picture(engine.plan(shot, 0, sheet=delivery.sheet(shot)))[..., :3].astype(int)
    assert seen.shape == wanted.shape
    height, width = wanted.shape[:2]
    worst = 0.0
    for n in range(12):
        x0, x1 = (round((n % 4 + k) * width / 4) for k in (0.25, 0.75))
        y0, y1 = (round((n // 4 + k) * height / 3) for k in (0.25, 0.75))
        field = np.s_[y0 : max(y1, y0 + 1), x0 : max(x1, x0 + 1)]
        worst = max(worst, float(np.abs(seen[field] - wanted[field]).mean()))
    return worst


@pytest.mark.parametrize(("width", "height"), SIZES)
def test_a_post_has_its_colours_at_every_remainder_of_its_sides(width, height, tmp_path):
    assert far_off(squares(width, height), Delivery(quality="best"), tmp_path) < 6


@pytest.mark.parametrize("kind", ["post", "master", "stills"])
@pytest.mark.parametrize(("width", "height"), PRESETS)
def test_every_canvas_has_its_colours_in_every_delivery(width, height, kind, tmp_path):
    delivery = Delivery.model_validate({"kind": kind, "quality": "best"})
    assert far_off(squares(width, height), delivery, tmp_path) < 6


@pytest.mark.parametrize("kind", ["post", "master"])
@pytest.mark.parametrize(
    ("rate", "length"),
    [("24", 1), ("24", 48), ("24", 49), ("24", 50), ("25", 51), ("30", 61), ("30000/1001", 121), ("60", 122)],
)  # fmt: skip
def test_frames_come_one_after_the_other_also_where_little_is_left_for_the_last_part(
    kind, rate, length, tmp_path
):
    """A part is two seconds; a file in which one step is longer is taken for one of another rate."""
    shot = squares(64, 64).model_copy(update={"rate": Fraction(rate), "length": length})
    delivery = Delivery.model_validate({"kind": kind})
    written(shot, delivery, tmp_path)
    with av.open(str(tmp_path / f"out{delivery.form.suffix}")) as container:
        stream = container.streams.video[0]
        packets = [one for one in container.demux(stream) if one.size]
        assert stream.average_rate == Fraction(rate)
        steps = {(b.dts - a.dts) * stream.time_base for a, b in pairwise(packets)}
        assert steps <= {1 / Fraction(rate)}
        assert all(one.dts <= one.pts for one in packets)
    with av.open(str(tmp_path / f"out{delivery.form.suffix}")) as container:
        times = [one.pts * one.time_base for one in container.decode(video=0)]
    assert times == [n / Fraction(rate) for n in range(length)]


@pytest.mark.parametrize("kind", ["post", "master"])
@pytest.mark.parametrize("scale", [50, 75])
def test_reduced_it_still_has_them(scale, kind, tmp_path):
    """540 × 676 and 810 × 1012 of the tall canvas: heights of other remainders."""
    delivery = Delivery.model_validate({"kind": kind, "scale": scale, "quality": "best"})
    assert far_off(squares(1080, 1350), delivery, tmp_path) < 6


def test_what_another_version_of_the_program_made_is_not_gone_on_with(tmp_path, monkeypatch):
    """Ranges that are finished are used again, but for those of other kernels."""
    shot, ranges = squares(64, 64), tmp_path / "ranges"

    def begun(delivery: Delivery) -> int:
        """Frames that were made, of a render that is broken off once all ranges are there."""
        made: list[int] = []

        def each(done: int, look: object) -> None:
            if look is not None:
                made.append(done)
            if done == shot.length and look is None:
                raise Cancelled

        with pytest.raises(Cancelled):
            render.render(shot, tmp_path / "out.mp4", no_footage, SILENT, delivery,
                          ranges=ranges, each=each)  # fmt: skip
        return len(made)

    assert begun(Delivery()) == 2
    assert begun(Delivery()) == 0
    monkeypatch.setattr(render, "made_by", lambda: "another")
    assert begun(Delivery()) == 2


def test_the_digest_of_the_program_follows_every_file_and_library(tmp_path):
    (tmp_path / "kernel.py").write_text("one")
    before = made_by.digest_of(tmp_path, ["numpy 2"])
    assert made_by.digest_of(tmp_path, ["numpy 3"]) != before
    (tmp_path / "kernel.py").write_text("two")
    assert made_by.digest_of(tmp_path, ["numpy 2"]) != before
    (tmp_path / "kernel.py").write_text("one")
    assert made_by.digest_of(tmp_path, ["numpy 2"]) == before
    (tmp_path / "learnt.npz").write_bytes(b"numbers")
    assert made_by.digest_of(tmp_path, ["numpy 2"]) != before
