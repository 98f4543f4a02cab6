"""The small networks that weigh what is told of a pixel: layers of sums, of which what is below 0 counts little."""

from __future__ import annotations

from functools import cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

F32 = NDArray[np.float32]
Layers = list[F32]

LEAK = 0.1
"""What is left of what is below 0 after every layer but the last."""


@cache
def layers(name: str) -> Layers:
    """Weights (from, to) and shifts of the layers in turn, as they lie beside this file."""
    with np.load(Path(__file__).with_name(f"{name}.npz")) as held:
        return [np.asarray(held[one], np.float32) for one in held.files]


def passed(network: Layers, told: F32) -> list[F32]:
    """What is given to every layer, and what the last one gives: (n, values) each."""
    held = [told]
    for n in range(0, len(network), 2):
        z = held[-1] @ network[n] + network[n + 1]
        held.append(z if n == len(network) - 2 else np.maximum(z, np.float32(LEAK) * z))
    return held


def likely(network: Layers, told: F32) -> F32:
    """How much likelier it is that each pixel is the subject's, as a logarithm: (n,), of (n, facts).

    >>> likely([np.array([[2.0], [1.0]], np.float32), np.array([-1.0], np.float32)], np.ones((3, 2), np.float32)).tolist()
    [2.0, 2.0, 2.0]
    """
    return np.asarray(passed(network, told)[-1][:, 0])
