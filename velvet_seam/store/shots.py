"""Shots in the store: every revision is kept, undo and redo move along them.

A revision is a head and the digests of its layers; the text of a layer is kept once, however many revisions
have it. An edit of one layer therefore writes that layer and a few digests, and going back to a revision reads
only what is not at hand.
"""

from __future__ import annotations

import json
import zlib
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from functools import cached_property
from threading import Lock, get_ident

import peewee as pw
from pydantic import ValidationError

from velvet_seam.core.engine.nested import nested_ids
from velvet_seam.core.problem import Gone, Problem
from velvet_seam.core.shot.edits import Edit, apply
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.shot import SCHEMA_VERSION, Shot, load, sentence
from velvet_seam.core.shot.written import Written, piece_of, put_together, written
from velvet_seam.store.folder import new_id
from velvet_seam.store.tables import PieceRow, RevisionRow, ShotRow, database, now

Check = Callable[[Shot, Shot], None]
"""Looks at a shot before and after an edit, and raises a Problem where the edit must not be kept."""

HELD_BYTES = 12 << 20
"""So much text of shots is held as objects, which take five to ten times as much memory. The shot asked for
last is held whatever its size."""


@dataclass(frozen=True)
class Standing:
    """A shot at the revision it stands at, and what undo and redo would do."""

    id: str
    shot: Shot
    revision: int
    stamp: int
    """Never the same for two states of a shot, as numbers of revisions are after an undo."""
    undo: str | None
    redo: str | None
    changed: datetime

    @cached_property
    def written(self) -> Written:
        """The shot in pieces, as it is kept."""
        return written(self.shot)

    @property
    def document(self) -> str:
        """The whole shot in JSON."""
        return self.written.text


class _Held:
    """Shots that were read or made, the last ones used, so that they need not be read again."""

    def __init__(self, most: int) -> None:
        self._most, self._size, self._lock = most, 0, Lock()
        self._shots: OrderedDict[str, tuple[Shot, int]] = OrderedDict()

    def get(self, document: str) -> Shot | None:
        with self._lock:
            held = self._shots.get(document)
            if held is None:
                return None
            self._shots.move_to_end(document)
            return held[0]

    def put(self, document: str, shot: Shot) -> None:
        size = len(document) + sum(len(piece_of(layer).text) for layer in shot.layers)
        with self._lock:
            if document in self._shots:
                return
            self._shots[document] = (shot, size)
            self._size += size
            while self._size > self._most and len(self._shots) > 1:
                self._size -= self._shots.popitem(last=False)[1][1]

    def layers(self) -> dict[str, Layer]:
        """By digest: another revision of a shot has most of its layers."""
        with self._lock:
            shots = [shot for shot, _ in self._shots.values()]
        return {piece_of(layer).digest: layer for shot in shots for layer in shot.layers}


class Shots:
    """The shots and their revisions."""

    def __init__(self) -> None:
        self._held = _Held(HELD_BYTES)
        self._writes = 0

    def version(self) -> tuple[int, ...]:
        """Numbers that differ after anything in the store has been written, by this process or by another."""
        told = database.execute_sql("PRAGMA data_version").fetchone()
        return get_ident(), told[0], self._writes

    def add(self, shot: Shot) -> str:
        """Keep a new shot; returns its id."""
        identity = new_id("s")
        with database.atomic("IMMEDIATE"):
            ShotRow.create(id=identity, name=shot.name, head=0)
            self._write(identity, 0, "start", shot)
        return identity

    def get(self, identity: str) -> Standing:
        """A shot as it stands; a :class:`Problem` where there is none."""
        # one transaction sees one state: between two reads of their own the shot may be removed
        with database.atomic():
            row = ShotRow.get_or_none(ShotRow.id == identity)
            if row is None:
                raise Gone("That shot is no longer here.")
            near = self._around().where(
                RevisionRow.shot == identity, RevisionRow.number.between(row.head, row.head + 1)
            )
            return self._standing(row, {revision.number: revision for revision in near})

    @staticmethod
    def _around() -> pw.ModelSelect[RevisionRow]:
        return RevisionRow.select(
            RevisionRow.shot, RevisionRow.number, RevisionRow.label, RevisionRow.document
        )

    def _standing(self, row: ShotRow, around: dict[int, RevisionRow]) -> Standing:
        """A shot of its row, of its revision there and of the one that redo would bring back."""
        here, redo = around[row.head], around.get(row.head + 1)
        return Standing(
            id=row.id, shot=self._shown(row.id, here.document), revision=row.head,
            stamp=round(row.changed.timestamp() * 1_000_000), undo=here.label if row.head > 0 else None,
            redo=redo.label if redo else None, changed=row.changed,
        )  # fmt: skip

    def all(self) -> list[Standing]:
        """All shots that can be read, the one changed last first."""
        return self.told()[0]

    def told(self) -> tuple[list[Standing], list[str]]:
        """All shots, and of those that cannot be read what is wrong: one of them hides no other."""
        around: dict[str, dict[int, RevisionRow]] = {}
        with database.atomic():
            rows: list[ShotRow] = list(ShotRow.select().order_by(ShotRow.changed.desc()))
            near = RevisionRow.number.between(ShotRow.head, ShotRow.head + 1)
            each = self._around().join(ShotRow, on=(RevisionRow.shot == ShotRow.id) & near)
            for one in each:
                around.setdefault(one.shot_id, {})[one.number] = one
            shots, wrong = [], []
            for row in rows:
                try:
                    shots.append(self._standing(row, around[row.id]))
                except Problem as problem:
                    wrong.append(str(problem))
        return shots, wrong

    def edit(self, identity: str, edit: Edit, check: Check | None = None) -> Standing:
        """Apply an edit and keep the new revision. What could be redone is dropped.

        An edit names what it changes, so it is applied to the shot as it stands even when another
        tab has changed something else meanwhile.
        """
        with database.atomic("IMMEDIATE"):
            standing = self.get(identity)
            after = apply(standing.shot, edit)
            if after == standing.shot:
                return standing
            if check is not None:
                check(standing.shot, after)
            label = edit.words(standing.shot)
            number = standing.revision + 1
            if standing.redo is not None:
                RevisionRow.delete().where(
                    RevisionRow.shot == identity, RevisionRow.number >= number
                ).execute()
            self._write(identity, number, label, after)
            self._stand(identity, number, after.name)
        self._writes += 1  # who read meanwhile read what was before
        return self.get(identity)

    def undo(self, identity: str) -> Standing:
        """Step back by one edit; at the start it stays where it is."""
        return self._step(identity, -1)

    def redo(self, identity: str) -> Standing:
        """Step forward by one edit that was undone."""
        return self._step(identity, 1)

    def touch(self, identity: str) -> int:
        """Something that lies in a shot has changed: it has another stamp from now on, which is returned."""
        ShotRow.update(changed=now()).where(ShotRow.id == identity).execute()
        return self.get(identity).stamp

    def remove(self, identity: str) -> None:
        """Remove a shot with all its revisions."""
        with database.atomic("IMMEDIATE"):
            row = ShotRow.get_or_none(ShotRow.id == identity)
            if row is None:
                raise Gone("That shot is no longer here.")
            self._writes += 1
            users = [name for _, name in self.using(identity)]
            if users:
                where = ", ".join(users[:3]) + (" and others" if len(users) > 3 else "")
                raise Problem(f"{row.name} is shown in {where}. Take it out there first.")
            RevisionRow.delete().where(RevisionRow.shot == identity).execute()
            PieceRow.delete().where(PieceRow.shot == identity).execute()
            ShotRow.delete().where(ShotRow.id == identity).execute()

    def using(self, footage: str) -> list[tuple[str, str]]:
        """Ids and names of the shots that use a piece of footage, or show a shot, as they stand."""
        return [
            (s.id, s.shot.name)
            for s in self.all()
            if footage in s.shot.footage_ids() | nested_ids(s.shot)
        ]

    def _step(self, identity: str, by: int) -> Standing:
        with database.atomic("IMMEDIATE"):
            standing = self.get(identity)
            number = standing.revision + by
            if RevisionRow.select().where(
                RevisionRow.shot == identity, RevisionRow.number == number
            ).exists():  # fmt: skip
                self._stand(identity, number, self._read(identity, number).name)
        self._writes += 1
        return self.get(identity)

    def _stand(self, identity: str, number: int, name: str) -> None:
        self._writes += 1
        ShotRow.update(head=number, name=name, changed=now()).where(
            ShotRow.id == identity
        ).execute()

    def _write(self, identity: str, number: int, label: str, shot: Shot) -> None:
        """Keep a revision, and the layers that no revision had before."""
        self._writes += 1
        whole = written(shot)
        pieces = {piece.digest: piece.text for piece in whole.pieces}
        known = PieceRow.select(PieceRow.digest).where(PieceRow.shot == identity)
        held = {row.digest for row in known.where(PieceRow.digest.in_(list(pieces)))}
        for digest, text in pieces.items():
            if digest not in held:
                packed = zlib.compress(text.encode(), 1)
                PieceRow.create(shot=identity, digest=digest, text=packed)
        layers = [piece.digest for piece in whole.pieces]
        document = json.dumps({"head": json.loads(whole.head), "layers": layers})
        RevisionRow.create(shot=identity, number=number, label=label, document=document)
        self._held.put(document, shot)

    def _read(self, identity: str, number: int) -> Shot:
        of = RevisionRow.select(RevisionRow.document).where(
            RevisionRow.shot == identity, RevisionRow.number == number
        )
        return self._shown(identity, of.scalar())

    def _shown(self, identity: str, document: str) -> Shot:
        known = self._held.get(document)
        if known is not None:
            return known
        shot = self._put_together(identity, document)
        self._held.put(document, shot)
        return shot

    def _put_together(self, identity: str, document: str) -> Shot:
        parts = json.loads(document)
        if "head" not in parts:  # from before shots were kept in pieces
            return load(document)
        head, digests = parts["head"], parts["layers"]
        held = self._held.layers()
        if head.get("schema_version") == SCHEMA_VERSION and all(one in held for one in digests):
            return put_together(head, [held[one] for one in digests])
        texts = self._texts(identity, digests)
        try:
            if head.get("schema_version") != SCHEMA_VERSION:
                layers = [json.loads(texts[digest]) for digest in digests]
                return load(json.dumps({**head, "layers": layers}))
            made = [held.get(d) or Layer.model_validate_json(texts[d]) for d in digests]
            return put_together(head, made)
        except KeyError:
            raise Problem(
                "The shot cannot be read: a layer of it is missing in the store."
            ) from None
        except ValidationError as error:
            raise Problem(f"The shot cannot be read: {sentence(error)}.") from None

    def _texts(self, identity: str, digests: list[str]) -> dict[str, bytes]:
        rows = PieceRow.select(PieceRow.digest, PieceRow.text).where(
            PieceRow.shot == identity, PieceRow.digest.in_(digests)
        )
        return {row.digest: zlib.decompress(row.text) for row in rows}
