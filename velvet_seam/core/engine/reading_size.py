"""How large footage is read for a render: what is nowhere shown at more than half its size is read at half of it.

A clip of 4K in a canvas of half its width is then keyed and cut at the size at which it is seen, in half the time. For all of a
shot at once: no frame of a clip differs in sharpness from the next.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable

import numpy as np

from velvet_seam.core.engine.lying import Lying
from velvet_seam.core.engine.nested import Nested
from velvet_seam.core.engine.sheet import Sheet
from velvet_seam.core.media.material import Material
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.shot import Shot, references
from velvet_seam.core.steps import Footage

HALF = 0.5 + 1e-6

_STEP = 1e-3
"""Of a pixel: how far apart the places are by which it is asked how much a matrix stretches there."""


def as_seen(
    shot: Shot, sheet: Sheet, footage: Callable[[str], Footage]
) -> Callable[[str], Footage]:
    """Footage by id as it is read for a render on a sheet; what shots within the shot show is read whole."""
    elsewhere = _inside(shot, footage)
    uses = Counter(one for one, use in references(shot) if use == "picture")
    lying, halved = Lying(shot, footage), dict[str, Footage]()
    for identity, count in uses.items():
        found = footage(identity) if identity not in elsewhere else None
        if not isinstance(found, Material) or not found.halves:
            continue
        layers = [one for one in shot.layers if one.source.kind == "footage" and one.source.shows == identity]  # fmt: skip
        # what is asked of it besides, as a plate is, wants it as it is
        if count == len(layers) and all(_largest(lying, sheet, one) <= HALF for one in layers):
            halved[identity] = found.halved
    return lambda identity: halved.get(identity) or footage(identity)


def _inside(shot: Shot, footage: Callable[[str], Footage]) -> set[str]:
    """What the shots refer to that lie in a shot, at any depth."""
    found: set[str] = set()
    for one in map(footage, shot.footage_ids()):
        if isinstance(one, Nested):
            found |= one.shot.footage_ids() | _inside(one.shot, footage)
    return found


def _largest(lying: Lying, sheet: Sheet, layer: Layer) -> float:
    """Pixels of the sheet to one of a layer's source, where it is seen largest."""
    width, height = lying.size(layer)
    places = np.array([[x, y] for x in (0, width / 2, width) for y in (0, height / 2, height)])
    most = 0.0
    for frame in range(layer.span.first, layer.span.last + 1):
        matrix, moved = lying.seen(layer, frame), lying.moved(layer, frame)
        whole = sheet.matrix() @ (matrix if moved is None else moved @ matrix)
        most = max(most, stretch(whole, places))
        if most > HALF:
            break
    return most


def stretch(matrix: np.ndarray, places: np.ndarray) -> float:
    """How much longer a matrix (3, 3) makes a line at some places (n, 2), at the most.

    >>> round(stretch(np.diag([2.0, 3.0, 1.0]), np.zeros((1, 2))), 3)
    3.0
    """
    if not matrix.any():
        return 0.0

    def to(places: np.ndarray) -> np.ndarray:
        made = np.column_stack([places, np.ones(len(places))]) @ matrix.T
        return np.asarray(made[:, :2] / made[:, 2:])

    here = to(places)
    slopes = np.stack([(to(places + step) - here) / _STEP for step in np.diag([_STEP, _STEP])], -1)
    return float(np.linalg.norm(slopes, 2, (-2, -1)).max())
