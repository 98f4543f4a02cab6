"""The shot: one composite, as a plain, versioned document."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from typing import Any, Literal

from pydantic import BaseModel, Field, ValidationError, model_validator

from velvet_seam.core.looks.curve_points import CurveKeys
from velvet_seam.core.looks.lut import Lut
from velvet_seam.core.masks import OutlineKeys, Vertex
from velvet_seam.core.problem import Gone, Problem
from velvet_seam.core.shot.layer import MAX_FRAME, Layer, SoundTrack
from velvet_seam.core.shot.mark import Mark
from velvet_seam.core.shot.track import Track
from velvet_seam.core.shot.upgrades import UPGRADES
from velvet_seam.core.timing.animated import Keyframes
from velvet_seam.core.timing.following import Follow
from velvet_seam.core.timing.rate import FrameRate
from velvet_seam.core.words import Colour, Name, Part

SCHEMA_VERSION = 4
MAX_SIDE = 4096


class Canvas(Part):
    """The picture area, in pixels. Even sides, because video codecs store colour in pairs."""

    width: int = Field(ge=16, le=MAX_SIDE, multiple_of=2)
    height: int = Field(ge=16, le=MAX_SIDE, multiple_of=2)
    background: Colour | Literal["none"] = Field(
        "#000000", description="none: clear, where the shot lies in another one"
    )


class Shot(Part):
    """A canvas, a length, a stack of layers from bottom to top, and sounds."""

    schema_version: Literal[4] = 4
    name: Name
    canvas: Canvas
    rate: FrameRate
    length: int = Field(ge=1, le=MAX_FRAME, description="frames")
    grows: bool = Field(
        False, description="as long as the clips and sounds put in; until a length is set"
    )
    light: Literal["display", "linear"] = Field(
        "display",
        description="what blends and opacity act on: values as displayed, or linear light",
    )
    layers: tuple[Layer, ...] = Field((), max_length=200)
    sounds: tuple[SoundTrack, ...] = Field((), max_length=200)
    marks: tuple[Mark, ...] = Field((), max_length=2000)

    @model_validator(mode="after")
    def _ids_differ(self) -> Shot:
        seen: set[str] = set()
        for thing in self._ids():
            if thing in seen:
                raise ValueError(f"two things have the id {thing}")
            seen.add(thing)
        return self

    def _ids(self) -> Iterator[str]:
        for layer in self.layers:
            yield layer.id
            for part in layer.seam.parts:
                yield part.id
            for one in layer.look.parts:
                yield one.id
                for mask in one.masks:
                    yield mask.id
        for sound in self.sounds:
            yield sound.id
        for mark in self.marks:
            yield mark.id

    @property
    def things(self) -> tuple[Layer | SoundTrack, ...]:
        """Layers, then sounds: all that lies in time."""
        return (*self.layers, *self.sounds)

    def layer(self, layer_id: str) -> Layer:
        """The layer with an id; a :class:`Problem` when there is none."""
        for layer in self.layers:
            if layer.id == layer_id:
                return layer
        raise Gone("That layer is no longer in the shot.")

    def pieces(self, layer_id: str) -> tuple[Layer, ...]:
        """The layer with an id, and all that was cut off from it, as far as they are still in the shot."""
        ids = {layer_id}
        while True:
            found = tuple(one for one in self.layers if {one.id, one.piece_of} & ids)
            if ids >= (more := {one.id for one in found}):
                return found
            ids |= more

    def there(self, layer_id: str, frame: int) -> Layer | None:
        """The layer with an id, or what was cut off from it, whichever is there at a frame; None where neither is."""
        held = (one for one in self.pieces(layer_id) if one.span.holds(frame))
        return min(held, key=lambda one: one.id != layer_id, default=None)

    def sound(self, sound_id: str) -> SoundTrack:
        """The sound with an id; a :class:`Problem` when there is none."""
        for sound in self.sounds:
            if sound.id == sound_id:
                return sound
        raise Gone("That sound is no longer in the shot.")

    def footage_ids(self) -> set[str]:
        """Every footage id the shot refers to, wherever in the document."""
        return {identity for identity, _ in references(self)}


def table_ids(part: object) -> set[str]:
    """Every table of colours that a shot, or a part of one, refers to."""
    layers = part.layers if isinstance(part, Shot) else (part,) if isinstance(part, Layer) else ()
    held = (one for layer in layers for one in layer.look.parts if isinstance(one, Lut))
    return {one.table for one in held if one.table}


Use = Literal["picture", "sound"]
"""What is asked of footage that is referred to."""


def references(part: object) -> Iterator[tuple[str, Use]]:
    """All footage that a shot, or a part of one, refers to, and as what, in the order of the document.

    It is found by walking over the whole document: whatever has a field ``footage`` refers to some, so no
    new kind of part can be forgotten here.
    """
    if isinstance(part, tuple):
        for one in part:
            yield from references(one)
    elif isinstance(
        part, Keyframes | OutlineKeys | CurveKeys | Vertex | Track | Follow
    ):  # many, and nothing but numbers
        return
    elif isinstance(part, BaseModel):
        for name in type(part).model_fields:
            held = getattr(part, name)
            if name == "footage":
                yield held, "sound" if isinstance(part, SoundTrack) else "picture"
            elif not isinstance(held, str | int | float):
                yield from references(held)


def sentence(error: ValidationError) -> str:
    """What is wrong with a document or a value, for a person: where, and the first reason."""
    first = error.errors(include_url=False)[0]
    where = " ".join(
        str(step).replace("_", " ")
        for step in first["loc"]
        if not isinstance(step, int)
        and not str(step).startswith(("function-", "Keyframes", "CurveKeys"))
    )
    return f"{where or 'value'}: {reason(first)}".removesuffix(".")


def reason(wrong: Mapping[str, Any]) -> str:
    """Why a value is none, in words, of what Pydantic says of it.

    >>> reason({"type": "union_tag_not_found", "msg": "", "ctx": {"discriminator": "'kind'"}})
    "it does not say what it is: 'kind' is missing"
    >>> reason({"type": "less_than", "msg": "Input should be less than 5"})
    'it should be less than 5'
    """
    told = wrong.get("ctx") or {}
    if wrong["type"] == "union_tag_not_found":
        return f"it does not say what it is: {told['discriminator']} is missing"
    if wrong["type"] == "union_tag_invalid":
        return (
            f"its {told['discriminator']} is {str(told['tag'])[:60]!r}, and there is no such thing"
        )
    said = (
        str(wrong["msg"]).removeprefix("Value error, ").replace("Input should be", "it should be")
    )
    return said[:1].lower() + said[1:]


def upgrade(document: dict[str, Any]) -> dict[str, Any]:
    """A document of an older version brought to the current one, step by step.

    A newer version than this program knows is refused, because saving it would lose what the newer
    program wrote.
    """
    version = document.get("schema_version")
    if not isinstance(version, int) or isinstance(version, bool):
        raise Problem("This is not a shot: it does not say which version of the format it has.")
    if version > SCHEMA_VERSION:
        raise Problem(
            f"This shot was saved by a newer version of Velvet Seam (format {version}; "
            f"this one reads up to {SCHEMA_VERSION})."
        )
    if version < 1:
        raise Problem(f"There is no version {version} of the format of shots.")
    for change in UPGRADES[version - 1 :]:
        document = change(document)
    return document


def load(text: str | bytes) -> Shot:
    """A shot from its JSON text.

    Raises:
        Problem: with a sentence that says what is wrong with the document.
    """
    try:
        document = json.loads(text)
    except (ValueError, RecursionError):
        raise Problem("This is not a shot: the file is not JSON.") from None
    if not isinstance(document, dict):
        raise Problem("This is not a shot: the file holds something else.")
    try:
        return Shot.model_validate(upgrade(document))
    except ValidationError as error:
        raise Problem(f"The shot cannot be read: {sentence(error)}.") from None
