"""Layers of a shot made a shot of their own, and back again."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping

from velvet_seam.core.mattes import LayerMatte
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.layer import Layer, Place, SoundTrack, Span, TimeMap
from velvet_seam.core.shot.leading import taken_over
from velvet_seam.core.shot.look import Look
from velvet_seam.core.shot.revise import fresh_parts, revised
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.sources import NestedSource


def only_placed(layer: Layer) -> bool:
    """Whether a layer shows a nested shot and does nothing to it but place it."""
    seam = layer.seam
    return (
        isinstance(layer.source, NestedSource)
        and not layer.source.apart
        and not any(part.on for part in seam.parts)
        and not (layer.look.on and any(part.on for part in layer.look.parts))
        and layer.crop.none
        and layer.around.none
        and seam.blend == "normal"
        and layer.shutter == 0
        and layer.echo.count == 0
        and layer.time.between == "nearest"
    )


def grouped(shot: Shot, chosen: Collection[str], name: str) -> Shot:
    """Some layers of a shot as a shot of their own: clear where they leave the canvas empty, from the first frame of
    the earliest to the last of the latest.

    Raises:
        Problem: a layer inside and one outside use each other as a matte, or one is locked.
    """
    inside = [layer for layer in shot.layers if layer.id in chosen]
    if not inside:
        raise Problem("Choose the layers first. Nothing was changed.")
    names = {one.id: one.name for one in shot.layers}
    for layer in shot.layers:
        if layer.locked and layer.id in chosen:
            raise Problem(f"{layer.name} is locked. Unlock it to change it.")
        for matte in layer.seam.matte:
            if isinstance(matte, LayerMatte) and (matte.layer in chosen) != (layer.id in chosen):
                other = next((one.name for one in shot.layers if one.id == matte.layer), None)
                if other is not None:
                    raise Problem(
                        f"{layer.name} takes its matte from {other}: choose both or neither. Nothing was changed."
                    )
        for lamp in shot.layers:
            if lamp.id in layer.look.others and (lamp.id in chosen) != (layer.id in chosen):
                raise Problem(
                    f"The look of {layer.name} acts through {lamp.name}: choose both or neither. Nothing was changed."
                )
        for leader in {one.layer for one in layer.follows if not one.none}:
            if leader in names and (leader in chosen) != (layer.id in chosen):
                raise Problem(
                    f"{layer.name} follows a track of {names[leader]}: choose both or neither. Nothing was changed."
                )
    first, last = span_of(inside).first, span_of(inside).last
    moved = [
        taken_over(revised(layer, span=layer.span.moved(-first)), {}, -first) for layer in inside
    ]
    return Shot(
        name=name, canvas=revised(shot.canvas, background="none"), rate=shot.rate,
        length=last - first + 1, light=shot.light, layers=tuple(moved),
    )  # fmt: skip


def _through_others(look: Look, ids: Mapping[str, str]) -> Look:
    """A look whose parts act through the layers that stand for others, by their old ids."""
    parts = [
        revised(part, through=revised(one, layer=ids.get(one.layer, one.layer)))
        if (one := part.through) is not None and one.layer is not None
        else part
        for part in look.parts
    ]
    made: Look = revised(look, parts=parts)
    return made


def span_of(layers: Collection[Layer]) -> Span:
    """From the first frame of the earliest to the last of the latest."""
    spans = [layer.span for layer in layers]
    return Span(first=min(one.first for one in spans), last=max(one.last for one in spans))


def taken_apart(
    shot: Shot, layer: Layer, inner: Shot, new_id: Callable[[str], str]
) -> tuple[tuple[Layer, ...], tuple[SoundTrack, ...]]:
    """The layers and sounds of a nested shot as those of the outer one, as they are seen in it.

    Raises:
        Problem: the layer does more than show it.
    """
    canvas = shot.canvas
    alike = (canvas.width, canvas.height) == (inner.canvas.width, inner.canvas.height)
    middle = Place(x=canvas.width / 2, y=canvas.height / 2)
    plain = only_placed(layer) and layer.place == middle and layer.seam.opacity == 100
    still = layer.stir.still and layer.arrive.way == layer.leave.way == "cut"
    if not (plain and still and alike):
        raise Problem(
            f"{layer.name} is changed as one picture: placed, masked, graded or faded. Only what does nothing but show "
            "its shot can be taken apart. Nothing was changed."
        )
    whole = (
        layer.time == revised(TimeMap(), sound=layer.time.sound) and inner.rate == shot.rate
    ) and layer.span.length == inner.length
    if not whole:
        raise Problem(
            f"{layer.name} shows its shot trimmed, or at another speed, and cannot be taken apart. Nothing was changed."
        )
    if inner.canvas.background != "none":
        raise Problem(
            f"The canvas of {inner.name} has a colour. Make it clear first. Nothing was changed."
        )
    ids = {one.id: new_id("l") for one in inner.layers}
    layers = []
    for one in inner.layers:
        seam_and_look = fresh_parts(one, ids[one.id])
        seam = seam_and_look["seam"]
        mattes = [
            revised(matte, layer=ids.get(matte.layer, matte.layer))
            if isinstance(matte, LayerMatte)
            else matte
            for matte in seam.matte
        ]
        span = one.span.moved(layer.span.first)
        look = _through_others(seam_and_look["look"], ids)
        changed = {
            **seam_and_look, "seam": revised(seam, matte=mattes), "look": look, "span": span,
            "piece_of": ids.get(one.piece_of or ""),
        }  # fmt: skip
        moved = revised(one, id=ids[one.id], **changed)
        layers.append(taken_over(moved, ids, layer.span.first))
    sounds = [
        revised(one, id=new_id("t"), span=one.span.moved(layer.span.first)) for one in inner.sounds
    ]
    return tuple(layers), tuple(sounds)
