"""Where people are, roughly: what a small trained model says, with two models that ship with the program."""

from __future__ import annotations

import threading
from pathlib import Path
from typing import Any, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.picture.channels import most_of, rgb_of
from velvet_seam.core.problem import Problem

F32 = NDArray[np.float32]

UPRIGHT, WIDE = ("upright.tflite", (256, 256)), ("wide.tflite", (256, 144))
"""A model's file, and the width and height of the picture it is shown."""

WIDE_FROM = 1.4
"""Width over height from which on a picture is shown to the wide model."""

UNSURE = 1e-3
"""More sure than all but so much a model never is."""

FOLDER = Path(__file__).parent

_held = threading.local()


class Guess(NamedTuple):
    """``likely``: (h, w) float32, 0 to 1, how likely a person is there; ``seen``: (h, w, 3) uint8, the small picture
    that was looked at."""

    likely: F32
    seen: NDArray[np.uint8]

    @property
    def nbytes(self) -> int:
        return self.likely.nbytes + self.seen.nbytes


def model_for(width: int, height: int) -> tuple[str, tuple[int, int]]:
    """The model that a picture of some size is shown to.

    >>> model_for(1080, 1920)[0], model_for(1920, 1080)[0]
    ('upright.tflite', 'wide.tflite')
    """
    return WIDE if width >= WIDE_FROM * height else UPRIGHT


def guess(picture: NDArray[np.uint8]) -> Guess:
    """Where people are in a picture (h, w, 4) uint8, at the size of the model.

    The model is shown it as it is and mirrored, and the mean of what it says is taken, of its odds as logarithms: what it
    overlooks on one side it often sees on the other.

    Raises:
        Problem: the model's file is missing or damaged.
    """
    name, size = model_for(picture.shape[1], picture.shape[0])
    seen = np.asarray(cv2.resize(rgb_of(picture), size, interpolation=cv2.INTER_AREA), np.uint8)
    net = _net(name)

    def odds(shown: NDArray[np.uint8]) -> F32:
        net.setInput(cv2.dnn.blobFromImage(shown, 1 / 255, size))
        said = np.asarray(net.forward(), np.float32).reshape(size[1], size[0])
        likely = np.clip(said, UNSURE, 1 - UNSURE)
        return np.asarray(np.log(likely / (1 - likely)), np.float32)

    both = odds(seen) + odds(np.ascontiguousarray(seen[:, ::-1]))[:, ::-1]
    return Guess(np.asarray(1 / (1 + np.exp(both * np.float32(-0.5))), np.float32), seen)


def _net(name: str) -> Any:
    """A model, read once by every thread that asks for it: two may not use one at the same time."""
    nets: dict[str, Any] = _held.__dict__.setdefault("nets", {})
    if name not in nets:
        try:
            nets[name] = cv2.dnn.readNetFromTFLite(str(FOLDER / name))
        except cv2.error as error:
            raise Problem(
                f"People cannot be found: the model {name}, which belongs to the program, is missing or damaged. "
                "Installed anew it is there again; nothing in the shot was changed."
            ) from error
    return nets[name]


ALIKE = 12.0
"""Levels by which a pixel may differ between two frames and still be taken for the same thing, on average."""


def steadied(own: Guess, *others: Guess) -> F32:
    """What is said of one frame, calmed by the frames beside it, wherever nothing has moved there: (h, w) float32.

    A model decides every frame for itself, so its edge trembles. Where a pixel looks as it did a frame before, it says
    the same as then.
    """
    total, weight = own.likely.copy(), np.ones_like(own.likely)
    for other in others:
        if other.likely.shape != own.likely.shape:
            continue
        apart = cv2.blur(most_of(cv2.absdiff(own.seen, other.seen)).astype(np.float32), (5, 5))
        share = np.exp(-((apart / np.float32(ALIKE)) ** 2))
        total += share * other.likely
        weight += share
    return np.asarray(total / weight, np.float32)
