"""The take of a layer that is about to be measured in the background."""

from __future__ import annotations

from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.layer import Layer
from velvet_seam.store.footage import FootageItem
from velvet_seam.web.context import Context

MOST_FRAMES = 10_000


def take_of(
    context: Context, layer: Layer, why: str, so: str, longest: int | None = MOST_FRAMES
) -> FootageItem:
    """The clip that a layer shows; refused where there is none, or it is too long, or its file is gone.

    ``why`` says what a still lacks, and ``so`` what has come of it: "nothing shakes in it", "Nothing was changed."
    """
    shows = layer.source.shows
    item = context.library.footage.get(shows) if shows else None
    if item is not None and item.nested:
        raise Problem(f"{layer.name} is a shot with layers of its own: bake it first. {so}")
    if item is None or item.probe.kind != "clip":
        raise Problem(f"{layer.name} is no clip: {why}. {so}")
    if item.missing:
        raise Problem(f"{item.complaint} {so}")
    if longest is not None and layer.span.length > longest:
        raise Problem(f"That is longer than {longest:,} frames. Split it first. {so}")
    return item
