"""A shot written in pieces: each layer by itself, and the rest.

An edit changes one layer; the text of the others stays what it was. So a revision is kept, and a picture is
asked for, by the digests of its pieces, and only a piece that is new is written, sent or read.
"""

from __future__ import annotations

import hashlib
import weakref
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.shot import Shot


@dataclass(frozen=True)
class Piece:
    """One layer as JSON, and the digest of it."""

    digest: str
    text: str


@dataclass(frozen=True)
class Written:
    """A shot as JSON: ``head`` is all but its layers; these come as pieces, bottom to top."""

    head: str
    pieces: tuple[Piece, ...]

    @cached_property
    def digest(self) -> str:
        whole = "\n".join([self.head, *(piece.digest for piece in self.pieces)])
        return hashlib.blake2b(whole.encode(), digest_size=16).hexdigest()

    @cached_property
    def text(self) -> str:
        """The whole document."""
        layers = ",".join(piece.text for piece in self.pieces)
        return f'{self.head[:-1]},"layers":[{layers}]}}'


_PIECES: dict[int, tuple[weakref.ref[Layer], Piece]] = {}


def piece_of(layer: Layer) -> Piece:
    """A layer's piece. It is made once for as long as the layer is there, for a layer does not change."""
    held = _PIECES.get(id(layer))
    if held is not None and held[0]() is layer:
        return held[1]
    text = layer.model_dump_json()
    piece = Piece(hashlib.blake2b(text.encode(), digest_size=12).hexdigest(), text)
    key = id(layer)
    _PIECES[key] = (weakref.ref(layer, lambda _: _PIECES.pop(key, None)), piece)
    return piece


def written(shot: Shot) -> Written:
    """A shot in pieces.

    >>> from velvet_seam.core.shot.shot import Canvas, load
    >>> shot = Shot(name="Test", canvas=Canvas(width=64, height=64), rate="25", length=50)
    >>> load(written(shot).text) == shot
    True
    """
    head = shot.model_dump_json(exclude={"layers"})
    return Written(head, tuple(piece_of(layer) for layer in shot.layers))


def put_together(head: Mapping[str, Any], layers: Sequence[Layer]) -> Shot:
    """A shot from its head and its layers, which are not checked again."""
    return Shot.model_validate({**head, "layers": tuple(layers)})
