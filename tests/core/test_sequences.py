"""Any sequence of edits: the document stays one that can be saved and read, and what is cut shows what it showed."""

from __future__ import annotations

from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.test_kinds import DONE, NUMBERS, whole_shot
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits import apply, read_edit
from velvet_seam.core.shot.layer import Layer, OwnSound, Place, TimeMap
from velvet_seam.core.shot.motion import Echo, Passage, Stir
from velvet_seam.core.shot.seam import Edge, Seam
from velvet_seam.core.shot.shot import Shot, load
from velvet_seam.core.shot.written import written
from velvet_seam.core.timing.at import At

WAYS = {
    Place: "place", TimeMap: "time", Stir: "stir", Echo: "echo", Edge: "seam.edge", Seam: "seam",
    OwnSound: "sound", Passage: "arrive", Layer: "",
}  # fmt: skip
PATHS = [
    (f"{WAYS[part]}.{name}".lstrip("."), bounds) for part, name, bounds in NUMBERS if part in WAYS
]
FRAMES = st.integers(-10, 60)


@st.composite
def edits(draw: st.DrawFn, shot: Shot) -> dict[str, Any]:
    """One edit of a shot: of anything in it, with numbers that may or may not be possible."""
    things = [one.id for one in shot.things] or ["l-gone"]
    target = draw(st.sampled_from([*things, "l-gone"]))
    new = f"l-{draw(st.integers(0, 10**9))}"
    path, bounds = draw(st.sampled_from(PATHS))
    at, by = draw(FRAMES), draw(FRAMES)
    value = draw(st.floats(bounds.low, bounds.high))
    keys = {path: [at]}
    made = {
        "set-values": {"target": target, "values": {path: value}, "at": draw(st.none() | FRAMES), "along": draw(st.booleans())},
        "key-here": {"target": target, "paths": [path], "frame": at, "on": draw(st.booleans())},
        "move-keys": {"target": target, "keys": keys, "by": by, "copied": draw(st.booleans())},
        "remove-keys": {"target": target, "keys": keys},
        "ease-keys": {"target": target, "keys": keys, "ease": "hold"},
        "move-in-time": {"target": target, "by": by},
        "trim": {"target": target, "edge": draw(st.sampled_from(["first", "last"])), "to": at},
        "split": {"target": target, "at": at, "new_id": new},
        "slip": {"target": target, "by": by},
        "change-speed": {"target": target, "speed": draw(st.floats(-300, 300))},
        "reverse": {"target": target},
        "ramp-speed": {"layer": target, "way": draw(st.sampled_from(["in", "both", "cut", "none"]))},
        "freeze": {"layer": target, "at": at, "frames": 3, "frozen_id": new, "rest_id": f"{new}-r"},
        "duplicate-layer": {"layer": target, "new_id": new},
        "reorder-layer": {"layer": target, "index": draw(st.integers(0, 4))},
        "change-rate": {"rate": draw(st.sampled_from(["24", "25", "30000/1001", "50", "60"]))},
        **{word: DONE[word] for word in ("add-matte", "add-mask", "remove-layer", "add-mark", "drop-sample")},
    }  # fmt: skip
    word = draw(st.sampled_from(sorted(made)))
    return {"do": word, **made[word]}


@settings(max_examples=120, deadline=None)
@given(st.data())
def test_whatever_is_done_the_document_can_be_saved_and_read(data: st.DataObject):
    shot, done = whole_shot(), 0
    for _ in range(12):
        edit = read_edit(data.draw(edits(shot)))
        before = shot.model_dump_json()
        try:
            after = apply(shot, edit)
        except Problem:
            assert shot.model_dump_json() == before  # and nothing was changed
            continue
        done += 1
        assert shot.model_dump_json() == before  # what it was made from is as it was
        assert load(after.model_dump_json()) == after
        assert load(written(after).text) == after
        assert all(one.span.first >= 0 for one in after.things)
        assert edit.words(shot)
        shot = after


@settings(max_examples=150, deadline=None)
@given(st.data())
def test_a_layer_cut_in_two_shows_and_does_what_it_did(data: st.DataObject):
    """At every frame: the same time of its source and the same values, whatever was done to it before."""
    shot = whole_shot()
    for _ in range(data.draw(st.integers(0, 4))):
        try:
            shot = apply(shot, read_edit(data.draw(edits(shot))))
        except Problem:
            continue
    layers = [one for one in shot.layers if one.span.length > 1 and not one.locked]
    if not layers:
        return
    layer = data.draw(st.sampled_from(layers))
    cut = data.draw(st.integers(layer.span.first + 1, layer.span.last))
    try:
        after = apply(
            shot, read_edit({"do": "split", "target": layer.id, "at": cut, "new_id": "l-rest"})
        )
    except Problem:  # a clip that plays forwards to its end is not begun before its first frame
        return
    pieces = [after.layer(layer.id), after.layer("l-rest")]
    frames = range(layer.span.first, min(layer.span.last, layer.span.first + 80) + 1)
    for frame in frames:
        here = next((one for one in pieces if one.span.holds(frame)), None)
        if here is None:  # begun later, see above
            assert layer.time.at(frame - layer.span.first, shot.rate) < 0
            continue
        old, new = At(frame - layer.span.first), At(frame - here.span.first)
        for get in (
            lambda one: one.place.x,
            lambda one: one.place.rotation,
            lambda one: one.seam.opacity,
        ):
            assert abs(new(get(here)) - old(get(layer))) < 1e-6
        if layer.source.shows is not None:
            apart = here.time.at(frame - here.span.first, shot.rate) - layer.time.at(
                frame - layer.span.first, shot.rate
            )
            assert abs(apart) < 1e-6
