"""The document: values over time, edits, upgrades, the shot file."""

from __future__ import annotations

import json
import tempfile
from fractions import Fraction
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from velvet_seam.core.formats.shot_file import read_shot_file, shot_file_text
from velvet_seam.core.mattes import ScreenKey
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits import apply, read_edit
from velvet_seam.core.shot.layer import Layer, Place, SoundTrack, Span, TimeMap
from velvet_seam.core.shot.seam import Seam
from velvet_seam.core.shot.shot import Canvas, Shot, load, references
from velvet_seam.core.sources import FootageSource
from velvet_seam.core.timing.animated import Keyframe, Keyframes, value_at
from velvet_seam.core.timing.rate import spell
from velvet_seam.demo.scenario import moth_over_the_paper_sea

IDS = {name: f"f{n}" for n, name in enumerate(
    ["paper-sea", "moon-still", "moth-on-card", "embers", "tin-waltz"])}  # fmt: skip
SHOT = moth_over_the_paper_sea(IDS)


def after(**edit) -> Shot:
    return apply(SHOT, read_edit(edit))


keyframes = st.lists(
    st.tuples(st.integers(-50, 50), st.floats(-100, 100), st.sampled_from(["hold", "linear", "smooth"])),
    min_size=1, max_size=8, unique_by=lambda key: key[0],
)  # fmt: skip


@given(keyframes, st.integers(-80, 80))
def test_curves_pass_through_their_keyframes_and_never_overshoot(keys, frame):
    value = Keyframes(keys=[Keyframe(frame=f, value=v, ease=e) for f, v, e in keys])
    for f, v, _ in keys:
        assert value_at(value, f) == pytest.approx(v)
    values = [v for _, v, _ in keys]
    assert min(values) - 1e-9 <= value_at(value, frame) <= max(values) + 1e-9


@given(st.integers(0, 100_000), st.sampled_from(["25", "24000/1001", "30000/1001", "60"]))
def test_spelled_times_count_every_frame_once(frame, rate):
    second, part = spell(frame, Fraction(rate)).split()
    assert int(part[:-1]) <= Fraction(rate)
    following = spell(frame + 1, Fraction(rate)).split()
    stepped = int(following[1][:-1]) == int(part[:-1]) + 1 and following[0] == second
    assert stepped or (following[1] == "00f" and int(following[0][:-1]) == int(second[:-1]) + 1)


def test_a_document_survives_being_written_and_read():
    assert load(SHOT.model_dump_json()) == SHOT


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("nonsense", "not JSON"),
        ("[]", "something else"),
        ("{}", "which version"),
        ('{"schema_version": 9}', "newer version"),
        (SHOT.model_dump_json().replace('"scale":92.0', '"scale":0'), "between 1 and 3200 %"),
        (SHOT.model_dump_json().replace('"scale":92.0', '"scale":NaN'), "scale"),
        (SHOT.model_dump_json().replace('"opacity":22.0', '"opacity":1e999'), "opacity"),
        (SHOT.model_dump_json().replace('"l-moon"', '"l-sea"'), "two things"),
        (SHOT.model_dump_json().replace('"25"', '"25.5.5"'), "fraction"),
        (SHOT.model_dump_json().replace('"name":"Moon"', '"nom":"Moon"'), "nom|name"),
    ],
)
def test_documents_that_cannot_be_read_say_why(text, says):
    with pytest.raises(Problem, match=says):
        load(text)


def test_edits_change_what_they_say_and_nothing_else():
    moved = after(
        do="set-values", target="l-moth", values={"place.x": 100.5, "seam.blend": "screen"}
    )
    assert (moved.layer("l-moth").place.x, moved.layer("l-moth").seam.blend) == (100.5, "screen")
    assert moved.layers[:2] == SHOT.layers[:2]
    keyed = after(do="set-values", target="l-moth", values={"seam.matte.k-moth.tolerance": 11})
    assert keyed.layer("l-moth").seam.matte[0].tolerance == 11
    assert SHOT.layer("l-moth").seam.matte[0].tolerance == 3
    down = after(do="reorder-layer", layer="l-evening", index=0)
    assert [layer.id for layer in down.layers][:2] == ["l-evening", "l-sea"]
    copy = after(do="duplicate-layer", layer="l-moth", new_id="l-new")
    assert [layer.name for layer in copy.layers][2:4] == ["Moth on card", "Moth on card copy"]
    assert len(after(do="remove-layer", layer="l-moon").layers) == 4
    assert not after(do="remove-part", layer="l-moth", part="m-card").layer("l-moth").seam.masks[1:]
    assert not after(do="remove-sound", sound="t-waltz").sounds


@given(st.integers(-300, 300), st.integers(-300, 300))
def test_trimming_the_start_keeps_what_the_other_frames_show(by, to):
    """Whatever is moved and trimmed, a frame that stays shows the source time it showed before."""
    shot = after(do="move-in-time", target="l-embers", by=by)
    before = shot.layer("l-embers")
    edit = read_edit({"do": "trim", "target": "l-embers", "edge": "first", "to": to})
    if to > before.span.last:
        with pytest.raises(
            Problem, match=f"cannot lie after its last, which is {before.span.last}"
        ):
            apply(shot, edit)
        return
    moved = apply(shot, edit)
    now = moved.layer("l-embers")
    assert now.time.source_in >= 0
    assert 0 <= now.span.first <= now.span.last == before.span.last
    shown = lambda layer, frame: layer.time.source_in + (frame - layer.span.first) / SHOT.rate  # noqa: E731
    assert shown(now, now.span.last) == shown(before, now.span.last)


@pytest.mark.parametrize(
    ("edit", "says"),
    [
        ({"do": "dance"}, "Nothing was changed"),
        ({"do": "remove-layer", "layer": "l-none"}, "no longer"),
        ({"do": "set-values", "target": "l-moth", "values": {"seam.opacity": 101}}, "between 0 and 100 %"),
        ({"do": "set-values", "target": "l-moth", "values": {"seam.opacity": float("nan")}}, "opacity"),
        ({"do": "set-values", "target": "l-moth", "values": {"seam.matte.k-none.on": True}}, "no longer"),
        ({"do": "set-values", "target": "l-moth", "values": {"id": "l-x"}}, "no value"),
        ({"do": "set-values", "target": "l-moth", "values": {"__class__.x": 1}}, "no value"),
        ({"do": "set-values", "target": "l-moth", "values": {"name": "x" * 300}}, "at most 120 characters"),
        ({"do": "set-values", "target": "l-moth", "values": {"name": " \n "}}, "at least one letter"),
        ({"do": "set-values", "values": {"length": 0}}, "length"),
        ({"do": "set-values", "values": {"layers": []}}, "no value"),
        ({"do": "duplicate-layer", "layer": "l-moth", "new_id": "l-sea"}, "two things"),
        ({"do": "several", "label": "both", "edits": [
            {"do": "remove-layer", "layer": "l-sea"}, {"do": "remove-layer", "layer": "l-sea"}]}, "no longer"),
    ],
)  # fmt: skip
def test_edits_that_cannot_be_done_say_why(edit, says):
    with pytest.raises(Problem, match=says):
        apply(SHOT, read_edit(edit))


def test_every_edit_is_described():
    said = [
        read_edit(edit).words(SHOT)
        for edit in (
            {"do": "set-values", "target": "l-moth", "values": {"place.x": 1}},
            {"do": "trim", "target": "t-waltz", "edge": "last", "to": 9},
            {"do": "remove-part", "layer": "l-moth", "part": "k-moth"},
            {"do": "reorder-layer", "layer": "l-sea", "index": 2},
        )
    ]
    assert said == ["position of Moth on card", "trim Tin waltz",
                    "remove screen key of Moth on card", "order of Paper sea"]  # fmt: skip


def test_a_shot_file_names_its_sources_by_relative_path(tmp_path: Path):
    files = {identity: (name, f"clips/{name}.mp4") for name, identity in IDS.items()}
    (tmp_path / "clips").mkdir()
    for _, file in files.values():
        (tmp_path / file).write_bytes(b"x")
    path = tmp_path / "shot.json"
    path.write_text(shot_file_text(SHOT, files))
    read = read_shot_file(path)
    assert read.shot == SHOT
    assert read.files["f0"] == (tmp_path / "clips" / "paper-sea.mp4").resolve()


@pytest.mark.parametrize("file", ["../secret.mp4", "/etc/passwd", "a/../../b", "a\\b"])
def test_a_shot_file_cannot_reach_out_of_its_folder(file, tmp_path):
    document = json.loads(shot_file_text(SHOT, {i: (n, n) for n, i in IDS.items()}))
    document["footage"]["f0"]["file"] = file
    (tmp_path / "shot.json").write_text(json.dumps(document))
    with pytest.raises(Problem, match="in or below the folder"):
        read_shot_file(tmp_path / "shot.json")


def test_a_link_does_not_lead_out_either(tmp_path: Path):
    (tmp_path / "inside").mkdir()
    for name in IDS:
        (tmp_path / "inside" / name).symlink_to("/etc/hostname")
    text = shot_file_text(SHOT, {i: (n, n) for n, i in IDS.items()})
    (tmp_path / "inside" / "shot.json").write_text(text)
    with pytest.raises(Problem, match="leads out"):
        read_shot_file(tmp_path / "inside" / "shot.json")


def test_the_example_of_the_description_is_a_shot():
    text = (Path(__file__).parents[2] / "docs" / "shot-format.md").read_text()
    example = text.split("```json")[1].split("```")[0]
    document = json.loads(example)
    assert document["format"] == "velvet-seam-shot"
    shot = load(json.dumps(document["shot"]))
    assert shot.footage_ids() == set(document["footage"])


def test_the_description_names_every_field():
    text = (Path(__file__).parents[2] / "docs" / "shot-format.md").read_text()
    schema = Shot.model_json_schema()
    parts = [schema, *schema["$defs"].values()]
    fields = {name for part in parts for name in part.get("properties", {})}
    assert {name for name in fields if f"`{name}`" not in text} == set()


def test_unknown_fields_are_not_lost_silently():
    with pytest.raises(ValidationError):
        Shot.model_validate({**SHOT.model_dump(), "mood": "blue"})


def moving_layer() -> Shot:
    move = Keyframes(keys=[Keyframe(frame=0, value=0), Keyframe(frame=40, value=400)])
    key = ScreenKey(id="k-a", colour="#00ff00", tolerance=move.model_copy(
        update={"keys": (Keyframe(frame=5, value=1), Keyframe(frame=30, value=20))}))  # fmt: skip
    layer = Layer(id="l-a", name="A", source=FootageSource(footage="f-a"),
                  span=Span(first=10, last=49), time=TimeMap(source_in=Fraction(2)),
                  place=Place(x=move, y=5), seam=Seam(matte=(key,)))  # fmt: skip
    sound = SoundTrack(id="t-a", name="T", footage="f-t", span=Span(first=10, last=49))
    canvas = Canvas(width=64, height=64)
    return Shot(name="S", canvas=canvas, rate="30000/1001", length=60, layers=(layer,),
                sounds=(sound,))  # fmt: skip


def shown(shot: Shot, frame: int) -> list[tuple]:
    """What every layer and sound shows at a frame: its source time and its moving values."""
    found = []
    for thing in shot.things:
        if thing.span.holds(frame):
            at = frame - thing.span.first
            values = []
            if isinstance(thing, Layer):
                key = thing.seam.matte[0]
                values = [value_at(thing.place.x, at), value_at(key.tolerance, at)]
            time = thing.time.source_in + Fraction(at) / shot.rate
            found.append((thing.name, time, *values))
    return found


@given(st.integers(11, 49))
def test_a_split_changes_nothing_that_is_seen_or_heard(at):
    shot = moving_layer()
    after = shot
    for target, new_id in (("l-a", "l-b"), ("t-a", "t-b")):
        after = apply(
            after, read_edit({"do": "split", "target": target, "at": at, "new_id": new_id})
        )
    assert [layer.id for layer in after.layers] == ["l-a", "l-b"]
    assert (after.layer("l-a").span.last, after.layer("l-b").span.first) == (at - 1, at)
    assert len({part.id for layer in after.layers for part in layer.seam.parts}) == 2
    for frame in range(60):
        assert shown(after, frame) == shown(shot, frame)
    trimmed = apply(shot, read_edit({"do": "trim", "target": "l-a", "edge": "first", "to": at}))
    assert shown(trimmed, at)[0] == shown(shot, at)[0]


@pytest.mark.parametrize("at", [10, 50, -3, 0])
def test_there_is_nothing_to_split_at_the_ends(at):
    with pytest.raises(Problem, match="both sides"):
        apply(
            moving_layer(), read_edit({"do": "split", "target": "l-a", "at": at, "new_id": "l-b"})
        )


def test_what_is_locked_stays_as_it_is():
    shot = apply(moving_layer(), read_edit(
        {"do": "set-values", "target": "l-a", "values": {"locked": True}}))  # fmt: skip
    for edit in (
        {"do": "set-values", "target": "l-a", "values": {"place.y": 9}},
        {"do": "set-values", "target": "l-a", "values": {"locked": False, "place.y": 9}},
        {"do": "remove-layer", "layer": "l-a"},
        {"do": "trim", "target": "l-a", "edge": "first", "to": 20},
        {"do": "split", "target": "l-a", "at": 20, "new_id": "l-b"},
        {"do": "remove-part", "layer": "l-a", "part": "k-a"},
        {"do": "several", "label": "all", "edits": [{"do": "remove-layer", "layer": "l-a"}]},
    ):
        with pytest.raises(Problem, match="A is locked"):
            apply(shot, read_edit(edit))
    copy = apply(shot, read_edit({"do": "duplicate-layer", "layer": "l-a", "new_id": "l-b"}))
    assert not copy.layer("l-b").locked
    free = apply(
        shot, read_edit({"do": "set-values", "target": "l-a", "values": {"locked": False}})
    )
    assert not free.layer("l-a").locked


def test_documents_of_version_1_are_brought_to_this_one():
    mask = {"kind": "box", "id": "m-a", "use": "garbage", "removes": "inside", "x": 1, "y": 2,
            "width": 30, "height": 40,
            "feather": {"keys": [{"frame": 0, "value": 8}, {"frame": 9, "value": 20}]}}  # fmt: skip
    outside = {**mask, "id": "m-b", "removes": "outside", "feather": 7}
    key = {"kind": "screen-key", "id": "k-a", "colour": "#00ff00"}
    layer = {"id": "l-a", "name": "A", "source": {"kind": "colour", "colour": "#ff0000"},
             "span": {"first": 0, "last": 9}, "place": {"x": 0, "y": 0},
             "seam": {"matte": [key], "masks": [mask, outside]}}  # fmt: skip
    old = {"schema_version": 1, "name": "Old", "canvas": {"width": 64, "height": 64}, "rate": "25",
           "length": 10, "layers": [layer]}  # fmt: skip
    shot = load(json.dumps(old))
    assert shot.schema_version == 4
    seam = shot.layers[0].seam
    assert (seam.matte[0].tolerance, seam.matte[0].softness, seam.matte[0].spill_to) == (
        6,
        86,
        "dark",
    )
    inside, limit = seam.masks
    assert (inside.use, limit.use, limit.combine) == ("garbage", "limit", "intersect")
    assert [key.value for key in inside.feather_out.keys] == [4, 10]
    assert limit.feather_in == limit.feather_out == 3.5
    assert load(shot.model_dump_json()) == shot
    with pytest.raises(Problem, match="no version 0"):
        load(json.dumps({**old, "schema_version": 0}))


@pytest.mark.parametrize(
    ("matte", "says"),
    [
        ({"kind": "colour-key", "id": "k-a", "colours": []}, "colours"),
        ({"kind": "luma-key", "id": "k-a", "low": 120}, "between 0 and 100 %"),
        ({"kind": "difference-key", "id": "k-a"}, "plate"),
        ({"kind": "sorcery", "id": "k-a"}, "matte"),
    ],
)
def test_mattes_that_make_no_sense_are_refused(matte, says):
    with pytest.raises(Problem, match=says):
        read_edit({"do": "add-matte", "layer": "l-a", "matte": matte})


def test_an_outline_has_three_points_and_at_most_ten_thousand():
    point = {"x": 0, "y": 0}
    for count in (0, 2, 10_001):
        mask = {"kind": "drawn", "id": "m-a", "outline": [point] * count}
        with pytest.raises(Problem, match=r"at least three|at most 10000"):
            read_edit({"do": "add-mask", "layer": "l-a", "mask": mask})


def test_whatever_part_refers_to_footage_is_among_the_references():
    """Also a clean plate's, which lies deep in a seam; and by field, any that is to come."""
    plate = {"kind": "footage", "footage": "f-plate", "frame": 3}
    key = {"kind": "difference-key", "id": "k-d", "plate": plate}
    shot = after(do="add-matte", layer="l-moth", matte=key)
    assert shot.footage_ids() == SHOT.footage_ids() | {"f-plate"}
    assert ("f-plate", "picture") in set(references(shot))
    assert ("f4", "sound") in set(references(shot))
    text = json.dumps(shot.model_dump(mode="json"))
    assert {part.split('"')[0] for part in text.split('"footage": "')[1:]} == shot.footage_ids()
    with pytest.raises(Problem, match="f-plate, which the file does not name"):
        folder = Path(tempfile.mkdtemp())
        files = {identity: (name, "a.png") for name, identity in IDS.items()}
        (folder / "a.png").write_bytes(b"x")
        (folder / "shot.json").write_text(shot_file_text(shot, files))
        read_shot_file(folder / "shot.json")


def test_what_begins_later_moves_up_into_a_gap_that_is_closed():
    """By the frames that went, sounds too; what is locked, or lies across the gap, stays."""
    colour = {"kind": "colour", "colour": "#000000"}

    def layer(name: str, first: int, last: int, **more: object) -> dict:
        span = {"first": first, "last": last}
        return {
            "id": name,
            "name": name,
            "source": colour,
            "span": span,
            "place": {"x": 0, "y": 0},
            **more,
        }

    track = {"id": "s-a", "name": "a", "footage": "f-a", "span": {"first": 31, "last": 40}}
    layers = [
        layer("l-a", 0, 49), layer("l-b", 10, 19), layer("l-c", 15, 29), layer("l-d", 30, 40),
        layer("l-e", 35, 45, locked=True), layer("l-f", 29, 33),
    ]  # fmt: skip
    canvas = {"width": 64, "height": 64}
    shot = Shot.model_validate(
        {
            "name": "s",
            "canvas": canvas,
            "rate": "25",
            "length": 50,
            "layers": layers,
            "sounds": [track],
        }
    )
    edit = read_edit({"do": "close-gap", "targets": ["l-b", "l-c"]})
    after = apply(shot, edit)
    spans = {one.id: (one.span.first, one.span.last) for one in after.things}
    assert spans == {
        "l-a": (0, 49), "l-d": (10, 20), "l-e": (35, 45), "l-f": (29, 33), "s-a": (11, 20),
    }  # fmt: skip
    assert edit.words(shot) == "remove 2 layers and close the gap"
