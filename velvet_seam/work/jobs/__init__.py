"""Kinds of background work. Each is a file of its own, which only the process that does it loads."""

from __future__ import annotations

from dataclasses import dataclass
from importlib import import_module
from typing import Protocol, cast

from velvet_seam.store.library import Library
from velvet_seam.store.tables import JobRow


class Doing(Protocol):
    """What the file of a kind has in it."""

    def do(self, library: Library, job: JobRow) -> None:
        """Do the work of a row of the queue, and write its progress and its end there. Begun again after it was
        interrupted, it goes on from what is finished.

        Raises:
            Cancelled: when it is to end before.
            Problem: with a sentence for a person.
        """

    def given_up(self, library: Library, job: JobRow) -> None:
        """Throw away what is finished of work that was cancelled."""


@dataclass(frozen=True)
class JobKind:
    """A kind of work. One at a time of each kind is done, beside those of other kinds.

    Args:
        memory: bytes of addresses that its process may take; for what reads files from outside.
    """

    name: str
    module: str
    memory: int | None = None

    def load(self) -> Doing:
        return cast(Doing, import_module(f"velvet_seam.work.jobs.{self.module}"))


JOBS: tuple[JobKind, ...] = (
    JobKind("prepare", "prepare", memory=8 << 30),
    JobKind("render", "render"),
    JobKind("bake", "bake"),
    JobKind("hold", "hold"),
    JobKind("plate", "plate"),
    JobKind("drift", "drift"),
    JobKind("track", "track"),
    JobKind("passes", "passes"),
    JobKind("carry", "carry"),
    JobKind("in-time", "in_time"),
    JobKind("roto", "roto"),
)
"""All kinds; a new one is named here."""


def job_of(name: str) -> JobKind:
    """The kind of a name that a row of the queue says."""
    return next(kind for kind in JOBS if kind.name == name)
