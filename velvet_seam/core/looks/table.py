"""A run of tone parts made into one table: curves where each channel follows from itself, else a lattice."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np

from velvet_seam.core.looks.base import Planes, Stage
from velvet_seam.core.picture.grade import CURVE, LATTICES, Table, nodes_of, packed

PIECE = 8192
"""Colours that go through all stages together."""

_POOL = ThreadPoolExecutor(2, "table")


@dataclass(frozen=True)
class Mixed:
    """What a part does, and how much of it is mixed in: 0 to 1."""

    stages: tuple[Stage, ...]
    strength: float

    @property
    def channelwise(self) -> bool:
        return all(one.channelwise for one in self.stages)

    @property
    def stepped(self) -> bool:
        return any(one.stepped for one in self.stages)

    @property
    def digest(self) -> str:
        named = [
            (one.function.__module__, one.function.__name__, one.numbers) for one in self.stages
        ]
        return repr((named, self.strength))


def runs(mixed: list[Mixed]) -> list[tuple[Mixed, ...]]:
    """What one table can hold together. What has jumps stands with others like it, as curves; all others stand
    with their neighbours."""
    found: list[list[Mixed]] = []
    for one in mixed:
        if found and found[-1][-1].stepped == one.stepped:
            found[-1].append(one)
        else:
            found.append([one])
    return [tuple(run) for run in found]


def table_of(run: tuple[Mixed, ...], total: float, moves: bool) -> Table:
    """The table of a run.

    Args:
        total: how much of all of it is mixed in, 0 to 1.
        moves: it holds for one frame only, and is made of fewer nodes.
    """
    if all(one.channelwise for one in run):
        grey = np.linspace(0, 1, CURVE, dtype=np.float32)
        return Table(curves=_mixed(np.stack([grey] * 3), run, total))
    side = LATTICES[0] if moves else LATTICES[1]
    # as long as channels follow from themselves alone, those along one side say all of it
    begun, left = _begun(run) if total >= 1 else ((), run)
    nodes = _mixed(np.stack([nodes_of(side)] * 3), begun, 1.0)
    colours = np.empty((3, side, side, side), np.float32)
    colours[0], colours[1], colours[2] = nodes[0], nodes[1][:, None], nodes[2][:, None, None]
    return Table(lattice=packed(_mixed(colours.reshape(3, -1), left, total)), side=side)


def _begun(run: tuple[Mixed, ...]) -> tuple[tuple[Mixed, ...], tuple[Mixed, ...]]:
    """What acts on channels at the beginning of a run, and all after it."""
    begun: list[Mixed] = []
    for number, one in enumerate(run):
        first = len(one.stages)
        if one.strength >= 1:
            first = next((n for n, stage in enumerate(one.stages) if not stage.channelwise), first)
        elif not one.channelwise:
            first = 0
        begun.append(Mixed(one.stages[:first], one.strength))
        if first < len(one.stages):
            rest = Mixed(one.stages[first:], one.strength)
            return tuple(begun), (rest, *run[number + 1 :])
    return tuple(begun), ()


def _mixed(planes: Planes, run: tuple[Mixed, ...], total: float) -> Planes:
    """Colours through all of a run, in pieces that stay in the nearest cache, on two threads."""
    if not run:
        return planes
    pieces = range(0, planes.shape[1], PIECE)
    made = _POOL.map(lambda at: _piece(planes[:, at : at + PIECE], run, total), pieces)
    return np.concatenate(list(made), axis=1)


def _piece(planes: Planes, run: tuple[Mixed, ...], total: float) -> Planes:
    first = np.ascontiguousarray(planes)
    made = first.copy()
    for one in run:
        before = made.copy() if one.strength < 1 else made
        for stage in one.stages:
            stage.function(made, *stage.numbers)
        if one.strength < 1:
            made = before + np.float32(one.strength) * (made - before)
    return made if total >= 1 else first + np.float32(total) * (made - first)
