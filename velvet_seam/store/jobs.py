"""Background work in the store: a queue that outlives the program."""

from __future__ import annotations

import time
from collections.abc import Iterable

import peewee as pw

from velvet_seam.core.problem import Gone, Problem
from velvet_seam.store.folder import new_id
from velvet_seam.store.tables import JobRow, database, now

OPEN = ("waiting", "working", "paused")
MOST_TRIES = 3
_AGES = 1e9
"""Seconds that work nobody waits for lets other work go before it."""


class Jobs:
    """Rows of the queue; whoever works on one writes its progress here."""

    def add(self, kind: str, target: str, name: str, *, document: str = "", total: int = 0,
            delivery: str = "{}", whenever: bool = False, cost: float = 0.0) -> str:  # fmt: skip
        """Put work at the end of the queue, or behind all that anybody waits for; returns its id.

        Args:
            cost: about the seconds it takes. Work that comes while it waits and takes less goes before it,
                so that one long clip does not hold up many short ones; but it waits for no more than that.
        """
        identity = new_id("j")
        JobRow.create(
            id=identity, kind=kind, target=target, name=name, document=document, total=total,
            delivery=delivery, place=time.time() + cost + (_AGES if whenever else 0),
        )  # fmt: skip
        return identity

    def get(self, identity: str) -> JobRow:
        row = JobRow.get_or_none(JobRow.id == identity)
        if row is None:
            raise Gone("That render is no longer in the list.")
        return row

    def all(self, kind: str) -> list[JobRow]:
        """All work of a kind, the newest first."""
        rows: Iterable[JobRow] = (
            JobRow.select().where(JobRow.kind == kind).order_by(JobRow.added.desc())
        )
        return list(rows)

    def open_for(self, kind: str) -> dict[str, JobRow]:
        """Unfinished or failed work of a kind, by its target."""
        rows: Iterable[JobRow] = (
            JobRow.select()
            .where(JobRow.kind == kind, JobRow.state.in_((*OPEN, "failed")))
            .order_by(JobRow.added)
        )
        return {row.target: row for row in rows}

    def going_on(self, target: str) -> set[str]:
        """The kinds of work on a target that waits or is being done."""
        rows: Iterable[JobRow] = JobRow.select(JobRow.kind).where(
            JobRow.target == target, JobRow.state.in_(("waiting", "working"))
        )
        return {row.kind for row in rows}

    def waiting(self) -> set[str]:
        """The kinds of which some work waits."""
        rows: Iterable[JobRow] = (
            JobRow.select(JobRow.kind).where(JobRow.state == "waiting").distinct()
        )
        return {row.kind for row in rows}

    def take(self, kind: str) -> JobRow | None:
        """The first waiting work of a kind, marked as being worked on."""
        with database.atomic("IMMEDIATE"):
            row: JobRow | None = (
                JobRow.select()
                .where(JobRow.kind == kind, JobRow.state == "waiting")
                .order_by(JobRow.place)
                .first()
            )
            if row is not None:
                self._set(row.id, state="working", started=now(), sentence="")
        return row

    def stumble(self, identity: str) -> None:
        """Work whose process fell over waits again, at most so many times; what it has finished by
        then is not done again."""
        row = self.get(identity)
        if row.state != "working":
            return
        if row.tries + 1 >= MOST_TRIES:
            self.fail(identity, "The work stopped unexpectedly, three times. What is finished is "
                                "kept: Try again goes on from there.")  # fmt: skip
        else:
            self._set(identity, state="waiting", tries=row.tries + 1)

    def wait_again(self, identity: str) -> None:
        """Work that could not go on, through no fault of its own, waits again."""
        JobRow.update(state="waiting").where(
            JobRow.id == identity, JobRow.state == "working"
        ).execute()

    def pause(self, identity: str) -> None:
        """Let work rest; the worker sees it at its next frame, finished ranges stay."""
        JobRow.update(state="paused").where(
            JobRow.id == identity, JobRow.state.in_(("waiting", "working"))
        ).execute()

    def go_on(self, identity: str) -> None:
        """Take up what was paused, cancelled or failed where it stands."""
        JobRow.update(state="waiting", sentence="", tries=0, ended=None).where(
            JobRow.id == identity, JobRow.state.in_(("paused", "failed", "cancelled"))
        ).execute()

    def put_first(self, identity: str) -> None:
        """Before all that waits."""
        first = JobRow.select(pw.fn.MIN(JobRow.place)).scalar() or 0.0
        self._set(identity, place=first - 1)

    def progress(self, identity: str, done: int, total: int, rate: float = 0.0) -> bool:
        """Say how far the work is; False when it has been cancelled meanwhile."""
        changed = (
            JobRow.update(done=done, total=total, rate=rate)
            .where(JobRow.id == identity, JobRow.state == "working")
            .execute()
        )
        return bool(changed)

    def finish(self, identity: str, *, file: str = "", bytes: int = 0, sentence: str = "") -> None:
        """End it well; ``sentence``: what a person is to know of what was made."""
        self._set(identity, state="done", file=file, bytes=bytes, sentence=sentence, ended=now())

    def note(self, identity: str, delivery: str) -> None:
        """Keep what was found beside what was asked for."""
        self._set(identity, delivery=delivery)

    def fail(self, identity: str, sentence: str) -> None:
        """End work that is still open with a sentence; ended work stays as it is."""
        JobRow.update(state="failed", sentence=sentence, ended=now()).where(
            JobRow.id == identity, JobRow.state.in_(OPEN)
        ).execute()

    def cancel(self, identity: str) -> None:
        """Cancel what waits or is being worked on; the worker sees it at its next frame."""
        JobRow.update(state="cancelled", ended=now()).where(
            JobRow.id == identity, JobRow.state.in_(OPEN)
        ).execute()

    def forget(self, identity: str) -> str:
        """Take ended work out of the list; returns the name of the file it made, if any."""
        row = self.get(identity)
        if row.state in OPEN:
            raise Problem("This render is not finished. Cancel it first.")
        JobRow.delete().where(JobRow.id == identity).execute()
        return str(row.file)

    def restart_interrupted(self) -> None:
        """What was being worked on when the program ended waits again."""
        JobRow.update(state="waiting").where(JobRow.state == "working").execute()

    def _set(self, identity: str, **fields: object) -> None:
        JobRow.update(**fields).where(JobRow.id == identity).execute()
