"""Every kind is complete: words, ranges, what it does, and its place in the panel and the find box."""

from __future__ import annotations

import zipfile
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest
from pydantic import BaseModel, ValidationError

from velvet_seam.core.deliveries import FORMS, Form
from velvet_seam.core.engine.delivery import Delivery
from velvet_seam.core.masks import MASKS, Ground, MaskBase
from velvet_seam.core.mattes import MATTES, MatteBase, MedianPlate
from velvet_seam.core.media.probe import probe
from velvet_seam.core.passages import WAYS, Spot, Way
from velvet_seam.core.passages import Ground as Stage
from velvet_seam.core.picture.blends import ATOP, BLENDS, NAMES, PLUS_LIGHTER
from velvet_seam.core.picture.shape import Soft
from velvet_seam.core.problem import Cancelled
from velvet_seam.core.shot.edits import EDITS, apply, read_edit
from velvet_seam.core.shot.layer import Layer, Place, SoundTrack, Span
from velvet_seam.core.shot.mark import Mark
from velvet_seam.core.shot.motion import Passage
from velvet_seam.core.shot.seam import Seam
from velvet_seam.core.shot.shot import Canvas, Shot
from velvet_seam.core.sources import GENERATED, SOURCES, ColourSource, GeneratedBase, SourceBase
from velvet_seam.core.steps import Step, step
from velvet_seam.core.timing.animated import Keyframe, Keyframes
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds, bounds_of
from velvet_seam.core.words import kind_of
from velvet_seam.web.blend_wall import GROUPS
from velvet_seam.web.kinds import kinds

CORNERS = [{"x": -90, "y": -70}, {"x": 80, "y": -60}, {"x": 10, "y": 95}]
NEEDED: dict[str, dict[str, Any]] = {
    "drawn": {"outline": CORNERS},
    "screen-key": {"colour": "#20c040"},
    "colour-key": {"colours": ["#20c040"]},
    "difference-key": {"plate": MedianPlate()},
    "layer-matte": {"layer": "l-b"},
}
"""What kinds have no default of."""


def sample(kind: type[BaseModel]) -> Any:
    return kind.model_validate({"id": "p-sample", **NEEDED.get(kind_of(kind), {})})


def parts(part: type[BaseModel]) -> set[type[BaseModel]]:
    """A part of the document, and the parts that its fields are."""
    found = {part}
    for field in part.model_fields.values():
        if isinstance(field.annotation, type) and issubclass(field.annotation, BaseModel):
            found |= parts(field.annotation)
    return found


NUMBERS = [
    (part, name, bounds)
    for part in sorted(
        {*parts(Layer), *parts(SoundTrack), *MASKS, *MATTES}, key=lambda one: one.__name__
    )
    for name in part.model_fields
    if (bounds := bounds_of(part, name))
]


@pytest.mark.parametrize(
    ("part", "name", "bounds"), NUMBERS, ids=[f"{p.__name__}.{n}" for p, n, _ in NUMBERS]
)
def test_a_number_says_all_of_itself_and_refuses_what_lies_outside(
    part: type[BaseModel], name: str, bounds: Bounds
):
    assert bounds.label
    assert len(bounds.hint) > 8
    assert bounds.low < bounds.high
    assert bounds.step > 0
    small, large = bounds.reach(1080, 1920)
    assert bounds.low <= small < large <= bounds.high
    field = part.model_fields[name]
    if not field.is_required():
        assert small <= field.default <= large, "a control shows its default"
    assert (bounds.unit == "px") == (bounds.of in ("source", "canvas"))
    assert (bounds.unit == "f") == (bounds.of == "time")
    outside = [bounds.low - 0.01, bounds.high + 0.01, float("nan"), float("inf")]
    for value in [*outside, Keyframes(keys=(Keyframe(3, bounds.high + 1),))]:
        with pytest.raises(ValueError, match="it lies between"):
            bounds.check(value)
    with pytest.raises(ValidationError):
        part.model_validate({name: bounds.high + 1})


def covered(mask: MaskBase) -> np.ndarray:
    to_own = np.array([[1, 0, -100], [0, 1, -100], [0, 0, 1]], float)
    at = At(0)
    soft = Soft(at(mask.grow), at(mask.feather_in), at(mask.feather_out))
    return mask.covered(at, Ground((200, 200), to_own, 1.0, 1.0, soft))


@pytest.mark.parametrize("kind", MASKS, ids=kind_of)
def test_a_mask_is_complete(kind: type[MaskBase]):
    assert kind.__doc__
    assert kind.label
    assert kind.says
    assert kind.hint.endswith("Esc gives up.")
    told = next(one for one in kinds()["masks"] if one["kind"] == kind_of(kind))
    assert (told["label"], told["hint"]) == (kind.label, kind.hint)
    mask = sample(kind)
    smaller = {"width": 120, "height": 90, "radius": 80}
    mask = mask.model_copy(update={n: float(v) for n, v in smaller.items() if hasattr(mask, n)})
    plane = covered(mask)
    assert plane.max() == 255
    assert 0.05 < (plane > 127).mean() < 0.95
    # what its coverage depends on is all among the numbers that it is known by
    for name in kind.model_fields:
        bounds = bounds_of(kind, name)
        if bounds is None:
            continue
        held = getattr(mask, name)
        other = mask.model_copy(update={name: held + (1.0 if held + 1 <= bounds.high else -1.0)})
        assert other.numbers(At(0)) != mask.numbers(At(0)), name
    assert all(extent > 0 for extent in mask.extents(At(0)))


@pytest.mark.parametrize("kind", MATTES, ids=kind_of)
def test_a_matte_is_complete(kind: type[MatteBase]):
    assert kind.__doc__
    assert kind.label
    assert kind.says
    told = next(one for one in kinds()["mattes"] if one["kind"] == kind_of(kind))
    assert (told["label"], told["begins"]) == (kind.label, kind.begins)
    assert kind.begins == "at once" or kind.sampled
    matte = sample(kind)
    if kind.sampled:
        made = kind.of_sample("k-new", (40.0, 190.0, 60.0), border=False)
        assert kind.model_validate(made.model_dump()) == made
        changed = made.model_copy(update=made.with_sample((41.0, 180.0, 70.0), False, True))
        assert kind.model_validate(changed.model_dump()) == changed
        assert changed != made
    assert matte.kind == kind_of(kind)


class Showing:
    """Answers a source as the engine does, with footage of 6 × 4 pixels."""

    canvas, sheet, at, per, seconds, age, seen_size = (
        (40, 30),
        (20, 15),
        At(12),
        0.5,
        0.48,
        0,
        (3, 2),
    )

    def footage(self, identity: str) -> Any:
        return SimpleNamespace(
            width=6, height=4, picture_size=(3, 2), in_planes=False, name=identity
        )

    def frame_of(self, footage: Any, planes: bool) -> Step:
        return step("read", white, (footage.name,))


def white(name: str) -> np.ndarray:
    return np.full((2, 3, 4), 255, np.uint8)


@pytest.mark.parametrize("kind", SOURCES, ids=kind_of)
def test_a_source_is_complete(kind: type[SourceBase]):
    assert kind.__doc__
    assert kind.label
    needed = {
        "footage": {"footage": "f-a"}, "nested": {"footage": "f-a"}, "baked": {"footage": "f-a", "of": "s-a"},
        "colour": {"colour": "#20c040"},
    }  # fmt: skip
    source = kind.model_validate({"kind": kind_of(kind), **needed.get(kind_of(kind), {})})
    asked = Showing()
    width, height = source.extent(asked.canvas, asked.footage)
    assert min(width, height) > 0
    made = source.picture(asked)
    picture = made.run()
    assert picture.shape == (*reversed(source.picture_size(asked)), 4)
    assert picture.dtype == np.uint8
    if issubclass(kind, GeneratedBase):
        assert kind.says
        assert kind.find
        assert kind in GENERATED
        return
    if kind.adjusts or kind.moves:  # nothing to be known by
        return
    # known by what it shows: another colour, another clip, another step
    other = {
        "footage": {"footage": "f-b"}, "nested": {"footage": "f-b"}, "baked": {"footage": "f-b", "of": "s-a"},
        "colour": {"colour": "#20c041"},
    }[kind_of(kind)]  # fmt: skip
    assert kind.model_validate(other).picture(asked).key != made.key


TRACK = {"id": "t-a", "name": "Nose", "first": 2, "path": [[4, 5], None, [6, 9]]}


def layer(identity: str, **more: Any) -> Layer:
    source = ColourSource(colour="#aa3355")
    place = Place(x=Keyframes(keys=(Keyframe(0, 50.0), Keyframe(10, 90.0))), y=50)
    return Layer(
        id=identity, name=identity.title(), source=source, span=Span(first=2, last=40), place=place, **more
    )  # fmt: skip


def whole_shot() -> Shot:
    drawn = next(one for one in MASKS if kind_of(one) == "drawn")
    corners = [*CORNERS, {"x": -40, "y": 30}]
    mask = drawn.model_validate({"id": "m-a", "outline": corners})
    sound = SoundTrack(id="s-a", name="Bells", footage="f-a", span=Span(first=0, last=30))
    key = {"kind": "colour-key", "id": "k-b", "colours": ["#102030", "#405060"]}
    filmed = layer("l-b").model_dump() | {
        "source": {"kind": "footage", "footage": "f-b"}, "seam": {"matte": [key, {"kind": "roto", "id": "k-r"}]},
        "tracks": [TRACK], "look": {"parts": [{"kind": "blur", "id": "p-a"}, {"kind": "negative", "id": "p-b"}]},
    }  # fmt: skip
    seam = {"masks": [mask.model_dump()]}
    return Shot(
        name="All", canvas=Canvas(width=200, height=200), rate="25", length=50,
        layers=(Layer.model_validate(layer("l-a").model_dump() | {"seam": seam}), Layer.model_validate(filmed),
                *(Layer.model_validate(layer(one).model_dump() | {"source": source}) for one, source in (
                    ("l-p", {"kind": "paint"}), ("l-n", {"kind": "nested", "footage": "s-x"}),
                    ("l-k", {"kind": "baked", "footage": "f-k", "of": "s-x"})))),
        sounds=(sound,), marks=(Mark(id="t-a", frame=5, name="Five"),),
    )  # fmt: skip


KEYS = {"place.x": [10]}
DONE: dict[str, dict[str, Any]] = {
    "add-layer": {"layer": layer("l-c").model_dump(mode="json")},
    "remove-layer": {"layer": "l-a"},
    "duplicate-layer": {"layer": "l-a", "new_id": "l-c"},
    "reorder-layer": {"layer": "l-a", "index": 1},
    "set-values": {"target": "l-a", "values": {"seam.opacity": 40}},
    "key-here": {"target": "l-a", "paths": ["place.y"], "frame": 4},
    "move-keys": {"target": "l-a", "keys": KEYS, "by": 3},
    "remove-keys": {"target": "l-a", "keys": KEYS},
    "ease-keys": {"target": "l-a", "keys": KEYS, "ease": "smooth"},
    "paste-keys": {"target": "l-a", "at": 3, "keys": {"place.y": {"keys": [{"frame": 0, "value": 4.0}]}}},
    "add-point": {"layer": "l-a", "mask": "m-a", "after": 0},
    "remove-point": {"layer": "l-a", "mask": "m-a", "point": 0},
    "replace-footage": {"target": "l-b", "footage": "f-c"},
    "add-roto-stroke": {"layer": "l-b", "matte": "k-r", "stroke": {"points": [[0, 0], [9, 4]]}},
    "add-matte": {"layer": "l-a", "matte": {"kind": "luma-key", "id": "k-c"}},
    "add-mask": {"layer": "l-a", "mask": {"kind": "box", "id": "m-c"}},
    "remove-part": {"layer": "l-a", "part": "m-a"},
    "add-look-part": {"layer": "l-a", "part": {"kind": "light", "id": "p-c"}},
    "move-look-part": {"layer": "l-b", "part": "p-b", "index": 0},
    "wear-look": {"layers": ["l-a", "l-b"], "look": {"parts": [{"kind": "negative", "id": "p-x"}]}, "new_id": "w-a"},
    "drop-sample": {"layer": "l-b", "matte": "k-b", "sample": 1},
    "detach-sound": {"layer": "l-b", "new_id": "s-c"},
    "ramp-speed": {"layer": "l-b", "way": "both"},
    "move-in-time": {"target": "l-a", "by": 3},
    "trim": {"target": "l-a", "edge": "last", "to": 30},
    "split": {"target": "l-a", "at": 20, "new_id": "l-c"},
    "slip": {"target": "l-b", "by": 3},
    "freeze": {"layer": "l-b", "at": 20, "frames": 4, "frozen_id": "l-c", "rest_id": "l-d"},
    "change-speed": {"target": "l-b", "speed": 50},
    "reverse": {"target": "l-b"},
    "close-gap": {"targets": ["l-a"]},
    "add-stroke": {"layer": "l-p", "stroke": {"points": [[0, 0], [20, 10]]}},
    "repeat": {"target": "l-a", "times": 3, "apart": 4, "new_id": "l-r"},
    "loop-over": {"target": "s-a", "fade": 5, "new_id": "s-r"},
    "add-sound": {"sound": {"id": "s-c", "name": "Drum", "footage": "f-a", "span": {"first": 0, "last": 9}}},
    "remove-sound": {"sound": "s-a"},
    "change-rate": {"rate": "50"},
    "add-mark": {"mark": {"id": "t-c", "frame": 9, "name": "Nine"}},
    "remove-marks": {"marks": ["t-a"]},
    "group-layers": {"layers": ["l-a"], "into": {**layer("l-c").model_dump(mode="json"), "source": {"kind": "nested", "footage": "s9"}}},
    "bake": {"layer": "l-n", "footage": "f-c"}, "unbake": {"layer": "l-k"},
    "take-apart": {"layer": "l-a", "layers": [layer("l-c").model_dump(mode="json")]},
    "set-track": {"layer": "l-b", "track": {**TRACK, "id": "t-b", "name": "Tail"}},
    "remove-track": {"layer": "l-b", "track": "t-a"},
    "follow-track": {"layer": "l-a", "part": "m-a", "follow": {"layer": "l-b", "tracks": ["t-a"], "frame": 4}},
    "several": {"label": "both", "edits": [{"do": "reverse", "target": "l-b"}, {"do": "remove-layer", "layer": "l-a"}]},
}  # fmt: skip
"""One of each edit, which changes the whole shot."""


@pytest.mark.parametrize("kind", EDITS, ids=lambda one: one.model_fields["do"].default)
def test_an_edit_is_complete(kind: type[Any]):
    assert kind.__doc__
    word = kind.model_fields["do"].default
    edit, shot = read_edit({"do": word, **DONE[word]}), whole_shot()
    assert type(edit) is kind
    assert read_edit(edit.model_dump(mode="json")) == edit
    words = edit.words(shot)
    assert 3 < len(words) < 80
    after = apply(shot, edit)
    assert after != shot
    assert Shot.model_validate_json(after.model_dump_json()) == after
    if edit.changes is not None:
        locked = [one.model_copy(update={"locked": one.id == edit.changes}) for one in shot.things]
        held = {one.id: one for one in locked}
        still = shot.model_copy(update={
            "layers": tuple(held[one.id] for one in shot.layers), "sounds": tuple(held[one.id] for one in shot.sounds),
        })  # fmt: skip
        with pytest.raises(ValueError, match="is locked"):
            apply(still, edit)


def test_every_blend_is_complete():
    """A blend has one way to act, its words, and a place among those of its group on the wall."""
    groups = [group for group, _ in GROUPS]
    assert len(set(groups)) == len(groups)  # those of a group stand together
    assert len({blend.title for blend in BLENDS}) == len(BLENDS) == len(NAMES)
    for blend in BLENDS:
        assert blend.says.endswith(".")
        assert bool(blend.channel) + bool(blend.whole) + bool(blend.cuts) == (
            0 if blend in (ATOP, PLUS_LIGHTER) else 1
        )
        document = {"blend": blend.name}
        assert Seam.model_validate(document).blend == blend.name
    with pytest.raises(ValidationError, match="there is no blend"):
        Seam.model_validate({"blend": "nothing"})
    assert Seam.model_json_schema()["properties"]["blend"]["enum"] == list(NAMES)


@pytest.mark.parametrize("way", WAYS, ids=lambda way: way.name)
def test_every_way_to_come_and_go_is_complete(way: Way):
    """All there when it has come, next to nothing of it before; offered, and known to the find box."""
    spot, ground = Spot(40.0, 30.0, 1.0, 10.0), Stage((20, 10), (80, 60))
    for coming in (True, False):
        whole = way.at(spot, 1.0, coming, ground)
        assert whole in (spot, replace(spot, wipe=whole.wipe))
        assert whole.wipe is None or whole.wipe[1] == 1
        none = way.at(spot, 0.0, coming, ground)
        outside = not (-10.5 < none.x < 90.5 and -6.5 < none.y < 66.5)
        hidden = none.opacity == 0 or none.scale == 0 or outside or (none.wipe or ("", 1))[1] == 0
        assert hidden == (way.name != "cut")
    assert Passage.model_validate({"way": way.name}).way == way.name
    assert way.label
    assert {"label": way.label, "find": way.find} in kinds()["ways"]


def test_a_way_that_is_not_there_is_refused():
    with pytest.raises(ValidationError, match="there is no way to come and go"):
        Passage.model_validate({"way": "explode"})


@pytest.mark.parametrize("form", FORMS, ids=lambda form: form.name)
def test_every_form_of_file_is_complete(form: Form, tmp_path: Path):
    """Two parts are written and joined; the file can be read, and is about as large as is said."""
    assert form.label
    assert form.says
    assert form.short
    assert Delivery(kind=form.name).form is form
    size, rate = (64, 32), Fraction(25)
    parts = [tmp_path / f"{n}{form.suffix}" for n in range(2)]
    for n, part in enumerate(parts):
        with form.part(part, 3 * n, size, rate, "good") as writer:
            for _ in range(3):
                writer.add(np.full((32, 64, 4), 200, np.uint8))
            assert not part.exists()
            writer.finish()
        assert part.exists()
    whole = tmp_path / f"whole{form.suffix}"
    form.join(parts, whole, rate, "good", None, lambda: None)
    if form.media_type.startswith("video/"):
        found = probe(whole)
        assert (found.width, found.height, found.frames) == (64, 32, 6)
    else:
        with zipfile.ZipFile(whole) as read:
            assert [one.filename for one in read.infolist()] == [f"{n:06}.png" for n in range(6)]

    def stop() -> None:
        raise Cancelled

    with pytest.raises(Cancelled):
        form.join(parts, tmp_path / f"other{form.suffix}", rate, "good", None, stop)
    assert sorted(path.name for path in tmp_path.iterdir()) == sorted(
        path.name for path in (*parts, whole)
    )


def test_a_form_that_is_not_there_is_refused():
    with pytest.raises(ValidationError, match="cannot be written as"):
        Delivery.model_validate({"kind": "gif"})
