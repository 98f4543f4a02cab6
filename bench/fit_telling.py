"""Find the numbers anew by which a carried region is told from what is around it: ``velvet_seam/core/roto/telling.npz``.

On films of :mod:`bench.roto_films` a true first region is carried from frame to frame, and what is told of the pixels near
its edge is kept with the truth. In the first round it is carried by a plain rule, in the second by what the first found, so
that the mistakes which are made in use are among what is learnt from. No film of :mod:`bench.roto` is among them, and no
cut-out that is kept for the end.

    python -m bench.fit_telling --cutouts FOLDER --photos FOLDER --room FOLDER

It takes about half an hour on two cores; what is in ``room`` already is not made again.
"""

from __future__ import annotations

import argparse
from collections.abc import Callable
from functools import partial
from pathlib import Path

import numpy as np

from bench.roto_films import Sources, film_to_fit
from bench.small_network import Samples, fit, gathered
from bench.subjects import F32, rng_of, smooth_noise
from velvet_seam.core.roto import telling
from velvet_seam.core.roto.carry import kept_to_edges, moved, whole_frame
from velvet_seam.core.roto.first import MARGIN, around, inside_of
from velvet_seam.core.roto.network import likely
from velvet_seam.core.roto.seen import seen
from velvet_seam.core.roto.telling import NAMES, REACH, facts, painted_sample, sample

FILMS, LENGTH = 450, 13
"""Films of a round, and frames of each."""

EPOCHS, LEAST = 24, 60
"""Rounds of the fit, and pixels of a subject below which a film is none."""

SAMPLES = 700
"""Pixels of each frame."""

Telling = Callable[[F32], F32]


def by_rule(told: F32) -> F32:
    """What was carried, and colour: what there was before anything was learnt."""
    depth, colour = (told[:, NAMES.index(name)] for name in ("depth", "colour"))
    return np.asarray(1.8 * colour + np.clip(depth * np.float32(REACH / 1.5), -4, 4), np.float32)


def sampled(of: Sources, by: Telling, number: int) -> Samples | None:
    """Pixels of a film, carried from its first frame on; None where hardly anything is seen of its subject."""
    rng = rng_of(5, number)
    film = film_to_fit(of, number, LENGTH, int(rng.choice([1, 2, 2, 2, 3])))
    looks, truths = [seen(one) for one in film.frames], [film.truth(n) for n in range(LENGTH)]
    if truths[0].sum() < LEAST:
        return None
    inside = inside_of(truths[0])
    if rng.random() < 0.3:  # painted a little wrong
        inside = inside_of(
            inside + 2.5 * smooth_noise(inside.shape[0], inside.shape[1], 8, number) > 0
        )
    painted, made = painted_sample(inside, looks[0]), []
    for n in range(1, LENGTH):
        if not (inside > 0).any():
            break
        box = around(inside > 0, MARGIN)
        there, here = looks[n - 1].within(box), looks[n].within(box)
        before = sample(np.ascontiguousarray(inside[box]), there)
        shape, way = moved(before.inside, there, here)
        near, told = facts(shape, way, before, painted, here.f)
        part, size = kept_to_edges(shape, near, by(told), here.f), inside.shape
        inside, truth = whole_frame(part, shape, box, size), truths[n][box][near]
        made.append(Samples.some(told, truth, int(truths[n].sum()), SAMPLES, rng))
    return Samples.together(made)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--cutouts", type=Path, required=True)
    parser.add_argument("--photos", type=Path, required=True)
    parser.add_argument("--room", type=Path, required=True)
    parser.add_argument("--films", type=int, default=FILMS)
    asked = parser.parse_args()
    of, by, made = Sources.of(asked.cutouts, asked.photos), by_rule, []
    for turn in range(2):
        numbers = range(turn * asked.films, (turn + 1) * asked.films)
        made.append(gathered(partial(sampled, of, by), numbers, asked.room / str(turn)))
        layers = fit(Samples.together(made), EPOCHS)
        by = partial(likely, layers)
    to = Path(telling.__file__).with_name("telling.npz")
    np.savez(to, *layers)


if __name__ == "__main__":
    main()
