"""A layer or a sound moved in time to where another one shows or sounds the same."""

from __future__ import annotations

from fractions import Fraction

from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits import EditBase, MoveInTime, SetValues, Trim
from velvet_seam.core.shot.layer import Layer, SoundTrack


def exact(seconds: float) -> Fraction:
    """Seconds to a hundredth of a sample.

    >>> exact(0.5)
    Fraction(1, 2)
    """
    return Fraction(round(seconds * 4_800_000), 4_800_000)


def lag(
    layer: Layer | SoundTrack, other: Layer | SoundTrack, offset: Fraction, rate: Fraction
) -> Fraction:
    """How much later a layer is to be, in seconds, so that it shows what another one does; it is ``offset`` later in
    its footage.

    Raises:
        Problem: either does not run at its own speed.
    """
    for one in (layer, other):
        if one.time.speed != 100:
            raise Problem(
                f"{one.name} does not run at its own speed, so no one moment puts it in time. Nothing was changed."
            )
    here = Fraction(other.span.first) / rate - other.time.source_in
    there = Fraction(layer.span.first) / rate - layer.time.source_in
    return here - there - offset


def moved_by(layer: Layer | SoundTrack, by: Fraction, rate: Fraction) -> list[EditBase]:
    """The edits that make a layer later by so many seconds: by whole frames, and what is left by its clip's own time.
    What would lie before the shot is trimmed off.

    Raises:
        Problem: nothing of it would be left.
    """
    frames = round(by * rate)
    rest = by - Fraction(frames) / rate
    edits: list[EditBase] = []
    before = -(layer.span.first + frames)
    source_in = layer.time.source_in - rest
    if before >= layer.span.length:
        raise Problem(f"{layer.name} would lie wholly before the shot. Nothing was changed.")
    if before > 0:
        edits.append(Trim(target=layer.id, edge="first", to=layer.span.first + before))
        source_in += Fraction(before) / rate
    if frames:
        edits.append(MoveInTime(target=layer.id, by=frames))
    # to a thousandth of a sample: more digits say nothing, and a document is read by people
    source_in = source_in.limit_denominator(48_000_000)
    if source_in != layer.time.source_in or before > 0:
        edits.append(SetValues(target=layer.id, values={"time.source_in": str(source_in)}))
    return edits
