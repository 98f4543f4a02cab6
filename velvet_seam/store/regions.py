"""Regions that roto has found: kept by what they were made of, in a file of their own that may be thrown away.

Two processes may find the same one: it is the same to the bit, whoever writes it.
"""

from __future__ import annotations

import contextlib
from collections.abc import Iterable
from pathlib import Path

import peewee as pw

from velvet_seam.core.engine.made_by import made_by

MOST = 200_000
"""Regions that are kept at most, some hundred bytes each: those found last."""

AT_ONCE = 500
"""Keys that are looked up in one go."""

database = pw.DatabaseProxy()


class RegionRow(pw.Model):
    """A region by the key of the step that found it, and what it was made by."""

    id = pw.AutoField()
    key = pw.CharField(unique=True)
    version = pw.CharField()
    held = pw.BlobField()

    class Meta:
        database = database
        table_name = "region"


class Regions:
    """All that are kept in a file (``steps.Shelf``)."""

    def __init__(self, path: Path) -> None:
        self._database = pw.SqliteDatabase(
            str(path),
            pragmas={"journal_mode": "wal", "synchronous": "off", "busy_timeout": 5_000},
            check_same_thread=False,
        )
        database.initialize(self._database)
        try:
            self._database.create_tables([RegionRow])
        except pw.DatabaseError:  # damaged: there is nothing in it that could not be found again
            self._database.close()
            path.unlink(missing_ok=True)
            self._database.create_tables([RegionRow])

    def get(self, key: str) -> bytes | None:
        with contextlib.suppress(pw.DatabaseError):
            row = RegionRow.get_or_none(RegionRow.key == self._named(key))
            return None if row is None else bytes(row.held)
        return None

    def put(self, key: str, held: bytes) -> None:
        # a full disk, or a damaged file: it is found again when it is asked for
        with contextlib.suppress(pw.DatabaseError):
            RegionRow.insert(
                key=self._named(key), version=made_by(), held=held
            ).on_conflict_ignore().execute()

    def known(self, keys: Iterable[str]) -> dict[str, bytes]:
        """Those of some keys that are there."""
        wanted = {self._named(key): key for key in keys}
        names, found = list(wanted), {}
        with contextlib.suppress(pw.DatabaseError):
            for n in range(0, len(names), AT_ONCE):
                for row in RegionRow.select().where(RegionRow.key << names[n : n + AT_ONCE]):
                    found[wanted[row.key]] = bytes(row.held)
        return found

    def sweep(self) -> None:
        """Throw away what was found by another version, and what is too many."""
        with contextlib.suppress(pw.DatabaseError):
            RegionRow.delete().where(RegionRow.version != made_by()).execute()
            last = RegionRow.select(pw.fn.MAX(RegionRow.id)).scalar()
            if last and last > MOST:
                RegionRow.delete().where(RegionRow.id <= last - MOST).execute()

    @staticmethod
    def _named(key: str) -> str:
        return f"{made_by()}.{key}"
