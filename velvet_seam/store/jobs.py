"""Background work in the store: a queue that outlives the program."""

from __future__ import annotations

from collections.abc import Iterable

from velvet_seam.core.problem import Problem
from velvet_seam.store.folder import new_id
from velvet_seam.store.tables import JobRow, database, now

OPEN = ("waiting", "working")


class Jobs:
    """Rows of the queue; whoever works on one writes its progress here."""

    def add(self, kind: str, target: str, name: str, *, document: str = "", total: int = 0) -> str:
        """Put work into the queue; returns its id."""
        identity = new_id("j")
        JobRow.create(
            id=identity, kind=kind, target=target, name=name, document=document, total=total
        )
        return identity

    def get(self, identity: str) -> JobRow:
        row = JobRow.get_or_none(JobRow.id == identity)
        if row is None:
            raise Problem("That render is no longer in the list.")
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

    def take(self, kind: str) -> JobRow | None:
        """The oldest waiting work of a kind, marked as being worked on."""
        with database.atomic("IMMEDIATE"):
            row: JobRow | None = (
                JobRow.select()
                .where(JobRow.kind == kind, JobRow.state == "waiting")
                .order_by(JobRow.added)
                .first()
            )
            if row is not None:
                self._set(row.id, state="working", started=now(), done=0, sentence="")
        return row

    def progress(self, identity: str, done: int, total: int, rate: float = 0.0) -> bool:
        """Say how far the work is; False when it has been cancelled meanwhile."""
        changed = (
            JobRow.update(done=done, total=total, rate=rate)
            .where(JobRow.id == identity, JobRow.state == "working")
            .execute()
        )
        return bool(changed)

    def finish(self, identity: str, *, file: str = "", bytes: int = 0) -> None:
        self._set(identity, state="done", file=file, bytes=bytes, ended=now())

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
        JobRow.update(state="waiting", done=0).where(JobRow.state == "working").execute()

    def _set(self, identity: str, **fields: object) -> None:
        JobRow.update(**fields).where(JobRow.id == identity).execute()
