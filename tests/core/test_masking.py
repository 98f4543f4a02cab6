"""Masks in a plan: what they leave of a layer's rows, and shapes of no size."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from velvet_seam.core.engine.masking import Masking
from velvet_seam.core.engine.plan import Planner, Sheet
from velvet_seam.core.masks import (
    BandMask,
    BoxMask,
    DrawnMask,
    Mask,
    OvalMask,
    StarMask,
    Vertex,
)
from velvet_seam.core.shot.layer import Layer, Place, Span
from velvet_seam.core.shot.seam import Seam
from velvet_seam.core.shot.shot import Canvas, Shot
from velvet_seam.core.sources import ColourSource
from velvet_seam.core.timing.at import At

WIDTH, HEIGHT = 60, 160

MASKS = st.lists(
    st.builds(
        lambda kind, n, **more: kind(id=f"m-{n}", **more),
        st.sampled_from([BoxMask, OvalMask, BandMask]), st.integers(0, 10**6),
        use=st.sampled_from(["limit", "limit", "limit", "garbage"]),
        combine=st.sampled_from(["add", "subtract", "intersect"]), invert=st.booleans(),
        opacity=st.sampled_from([100.0, 40.0]), y=st.floats(-90, 90),
        rotation=st.sampled_from([0.0, 0.0, 70.0]), grow=st.floats(-8, 8), feather_out=st.floats(0, 9),
        width=st.floats(12, 80),
    ).map(lambda mask: mask if mask.kind == "band" else mask.model_copy(update={"height": 30.0})),
    min_size=1, max_size=4, unique_by=lambda mask: mask.id,
)  # fmt: skip


def masking(masks: list[Mask], scale: float = 100.0) -> Masking:
    place = Place(x=WIDTH / 2, y=HEIGHT / 2, scale=scale)
    layer = Layer(
        id="l", name="l", source=ColourSource(colour="#ffffff"), span=Span(first=0, last=0),
        place=place, seam=Seam(masks=tuple(masks)),
    )  # fmt: skip
    shot = Shot(name="s", canvas=Canvas(width=WIDTH, height=HEIGHT), rate="25", length=1,
                layers=(layer,))  # fmt: skip
    planner = Planner(shot, Sheet.of(shot), lambda _: None)  # type: ignore[arg-type,return-value]
    return Masking(planner, layer, At(0), WIDTH, HEIGHT)


def plane(masks: list[Mask], scale: float = 100.0) -> np.ndarray:
    made = masking(masks, scale).planes(masks, "limit", False)
    return made.run(*[one.run() for one in made.inputs])


@settings(max_examples=150, deadline=None)
@given(MASKS)
def test_no_row_is_passed_over_that_masks_leave_anything_of(masks):
    """However they are joined: a lone one that takes away leaves what lies around it."""
    limits = [mask for mask in masks if mask.use == "limit"]
    first, last = masking(masks).rows_left()
    if not limits:
        assert (first, last) == (0, 1)
        return
    rows = plane(limits).any(axis=1)
    assert not rows[: int(first * HEIGHT)].any()
    assert not rows[int(np.ceil(last * HEIGHT)) :].any()


def test_rows_are_passed_over_where_boxes_say_so():
    """Else the test above would hold of a rule that never leaves a row out."""
    box = BoxMask(id="m", y=-40, width=50, height=20)
    first, last = masking([box]).rows_left()
    assert last <= 0.4
    assert masking([box.model_copy(update={"combine": "subtract"})]).rows_left() == (0, 1)
    below = BoxMask(id="n", y=50, width=50, height=10, combine="intersect")
    first, last = masking([box, below]).rows_left()
    assert first == last


SOFT = {"feather_in": 6.0, "feather_out": 20.0}
LINE = tuple(Vertex(x=x, y=x / 2) for x in (-20, 0, 20))
NOTHING = {
    "box": BoxMask(id="m", width=0, height=80, **SOFT),
    "oval": OvalMask(id="m", width=60, height=0, **SOFT),
    "band": BandMask(id="m", width=0, **SOFT),
    "star": StarMask(id="m", radius=0, **SOFT),
    "star without an inner radius": StarMask(id="m", radius=50, inner=0, **SOFT),
    "an outline on one line": DrawnMask(id="m", outline=LINE, **SOFT),
    "grown": BoxMask(id="m", width=0, height=0, grow=12),
}


@pytest.mark.parametrize("kind", NOTHING)
def test_a_shape_of_no_size_covers_nothing_however_soft(kind):
    assert plane([NOTHING[kind]]).max() == 0
    turned = NOTHING[kind].model_copy(update={"invert": True})
    assert plane([turned]).min() == 255


@pytest.mark.parametrize("scale", [100.0, 50.0])
def test_it_begins_without_a_jump(scale):
    """A tenth of a pixel of the canvas covers a tenth of what a whole one does; from there on all is as
    it was."""

    def widest(width: float) -> int:
        return int(plane([BandMask(id="m", width=width * 100 / scale, **SOFT)], scale).max())

    levels = [widest(width) for width in (0, 0.1, 0.5, 1)]
    assert levels == sorted(levels)
    assert levels[1] == pytest.approx(0.1 * levels[3], abs=2)
