"""Shots in the store: every revision is kept, undo and redo move along them."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache

from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.apply import apply
from velvet_seam.core.shot.describe import describe
from velvet_seam.core.shot.edit import Edit
from velvet_seam.core.shot.shot import Shot, load
from velvet_seam.store.folder import new_id
from velvet_seam.store.tables import RevisionRow, ShotRow, database, now

_read = lru_cache(64)(load)
"""Documents are read again with every request and every edit; one that was read does not change."""


@dataclass(frozen=True)
class Standing:
    """A shot at the revision it stands at, and what undo and redo would do."""

    id: str
    shot: Shot
    document: str
    """The shot as it is kept, in JSON."""
    revision: int
    stamp: int
    """Never the same for two states of a shot, as numbers of revisions are after an undo."""
    undo: str | None
    redo: str | None
    changed: datetime


class Shots:
    """The shots and their revisions."""

    def add(self, shot: Shot) -> str:
        """Keep a new shot; returns its id."""
        identity = new_id("s")
        with database.atomic():
            ShotRow.create(id=identity, name=shot.name, head=0)
            RevisionRow.create(
                shot=identity, number=0, label="start", document=shot.model_dump_json()
            )
        return identity

    def get(self, identity: str) -> Standing:
        """A shot as it stands; a :class:`Problem` where there is none."""
        row = ShotRow.get_or_none(ShotRow.id == identity)
        if row is None:
            raise Problem("That shot is no longer here.")
        around = {
            revision.number: revision
            for revision in RevisionRow.select().where(
                RevisionRow.shot == identity, RevisionRow.number.between(row.head, row.head + 1)
            )
        }
        here, after = around[row.head], around.get(row.head + 1)
        return Standing(
            id=identity,
            shot=_read(here.document),
            document=here.document,
            revision=row.head,
            stamp=round(row.changed.timestamp() * 1_000_000),
            undo=here.label if row.head > 0 else None,
            redo=after.label if after else None,
            changed=row.changed,
        )

    def all(self) -> list[Standing]:
        """All shots that can be read, the one changed last first."""
        return self.told()[0]

    def told(self) -> tuple[list[Standing], list[str]]:
        """All shots, and of those that cannot be read what is wrong: one of them hides no other."""
        rows: Iterable[ShotRow] = ShotRow.select(ShotRow.id).order_by(ShotRow.changed.desc())
        shots, wrong = [], []
        for row in rows:
            try:
                shots.append(self.get(row.id))
            except Problem as problem:
                wrong.append(str(problem))
        return shots, wrong

    def edit(self, identity: str, edit: Edit) -> Standing:
        """Apply an edit and keep the new revision. What could be redone is dropped.

        An edit names what it changes, so it is applied to the shot as it stands even when another
        tab has changed something else meanwhile.
        """
        with database.atomic("IMMEDIATE"):
            standing = self.get(identity)
            after = apply(standing.shot, edit)
            if after == standing.shot:
                return standing
            label = describe(standing.shot, edit)
            number = standing.revision + 1
            RevisionRow.delete().where(
                RevisionRow.shot == identity, RevisionRow.number >= number
            ).execute()
            RevisionRow.create(
                shot=identity, number=number, label=label, document=after.model_dump_json()
            )
            self._stand(identity, number, after.name)
        return self.get(identity)

    def undo(self, identity: str) -> Standing:
        """Step back by one edit; at the start it stays where it is."""
        return self._step(identity, -1)

    def redo(self, identity: str) -> Standing:
        """Step forward by one edit that was undone."""
        return self._step(identity, 1)

    def remove(self, identity: str) -> None:
        """Remove a shot with all its revisions."""
        self.get(identity)
        with database.atomic():
            RevisionRow.delete().where(RevisionRow.shot == identity).execute()
            ShotRow.delete().where(ShotRow.id == identity).execute()

    def using(self, footage: str) -> list[str]:
        """Names of the shots that use a piece of footage as they stand."""
        return [s.shot.name for s in self.all() if footage in s.shot.footage_ids()]

    def _step(self, identity: str, by: int) -> Standing:
        with database.atomic("IMMEDIATE"):
            standing = self.get(identity)
            number = standing.revision + by
            revision = RevisionRow.get_or_none(
                RevisionRow.shot == identity, RevisionRow.number == number
            )
            if revision is not None:
                self._stand(identity, number, _read(revision.document).name)
        return self.get(identity)

    def _stand(self, identity: str, number: int, name: str) -> None:
        ShotRow.update(head=number, name=name, changed=now()).where(
            ShotRow.id == identity
        ).execute()
