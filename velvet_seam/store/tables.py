"""The tables, in SQLite through peewee."""

from __future__ import annotations

import time
from datetime import UTC, datetime
from pathlib import Path

import peewee as pw
from playhouse.migrate import SqliteMigrator, migrate

database = pw.DatabaseProxy()

Unwritable = pw.OperationalError
"""Raised where the disk, or another program, does not let the store be written."""


def is_full(error: BaseException | None) -> bool:
    """Whether a full disk is behind an error. SQLite takes a transaction back by itself then, and
    the attempt to do so again raises the error that is seen first."""
    while error is not None and "full" not in str(error):
        error = error.__context__
    return error is not None


def now() -> datetime:
    return datetime.now(UTC).replace(tzinfo=None)


class Table(pw.Model):
    class Meta:
        database = database


class FootageRow(Table):
    """An imported clip, still or sound. ``file`` is a generated name, never one from outside.

    A ``removed`` one keeps its row without files: undo may bring back a layer that names it.
    """

    id = pw.CharField(primary_key=True)
    name = pw.CharField()
    file = pw.CharField()
    bytes = pw.BigIntegerField()
    probe = pw.TextField()
    added = pw.DateTimeField(default=now)
    ready = pw.BooleanField(default=False)
    shelf = pw.BooleanField(default=False)
    licence = pw.CharField(default="")
    removed = pw.BooleanField(default=False)

    class Meta:
        table_name = "footage"


class ShotRow(Table):
    """A shot; ``head`` is the sequence number of the revision it stands at."""

    id = pw.CharField(primary_key=True)
    name = pw.CharField()
    head = pw.IntegerField()
    added = pw.DateTimeField(default=now)
    changed = pw.DateTimeField(default=now)

    class Meta:
        table_name = "shot"


class LookRow(Table):
    """A look that was kept by a name."""

    id = pw.CharField(primary_key=True)
    name = pw.CharField(unique=True)
    look = pw.TextField()
    added = pw.DateTimeField(default=now)

    class Meta:
        table_name = "look"


class PieceRow(Table):
    """The text of a layer, compressed, as some revisions of a shot have it."""

    shot = pw.CharField()
    digest = pw.CharField()
    text = pw.BlobField()

    class Meta:
        table_name = "piece"
        primary_key = pw.CompositeKey("shot", "digest")


class RevisionRow(Table):
    """A shot after one edit. ``label`` says what the edit did; ``document`` holds its head and the digests
    of its layers, or, made by an earlier version of the program, the whole shot."""

    shot = pw.ForeignKeyField(ShotRow, backref="revisions", on_delete="CASCADE")
    shot_id: str  # that the field gives it
    number = pw.IntegerField()
    label = pw.CharField()
    document = pw.TextField()
    at = pw.DateTimeField(default=now)

    class Meta:
        table_name = "revision"
        indexes = ((("shot", "number"), True),)


class JobRow(Table):
    """Background work: ``kind`` is ``prepare`` (footage) or ``render`` (shot).

    Work is taken in the order of ``place``. ``tries`` counts how often it was begun and fell over.
    """

    id = pw.CharField(primary_key=True)
    kind = pw.CharField()
    target = pw.CharField(index=True)
    name = pw.CharField()
    state = pw.CharField(default="waiting")  # or working, paused, done, failed, cancelled
    place = pw.FloatField(default=time.time)
    tries = pw.IntegerField(default=0)
    document = pw.TextField(default="")
    delivery = pw.TextField(default="{}")
    done = pw.IntegerField(default=0)
    total = pw.IntegerField(default=0)
    rate = pw.FloatField(default=0.0)
    sentence = pw.TextField(default="")
    file = pw.CharField(default="")
    bytes = pw.BigIntegerField(default=0)
    added = pw.DateTimeField(default=now)
    started = pw.DateTimeField(null=True)
    ended = pw.DateTimeField(null=True)

    class Meta:
        table_name = "job"


TABLES = [FootageRow, ShotRow, PieceRow, LookRow, RevisionRow, JobRow]


def connect(path: Path) -> pw.SqliteDatabase:
    """Open the database, making it where there is none. Several processes may have it open."""
    opened = pw.SqliteDatabase(
        str(path),
        pragmas={
            "journal_mode": "wal",
            "synchronous": "normal",
            "foreign_keys": 1,
            "busy_timeout": 10_000,
        },
        check_same_thread=False,
    )
    database.initialize(opened)
    opened.create_tables(TABLES)
    _add_missing_columns(opened)
    return opened


def _add_missing_columns(opened: pw.SqliteDatabase) -> None:
    """A folder made by an earlier version lacks what was added since."""
    migrator = SqliteMigrator(opened)
    with opened.atomic("IMMEDIATE"):
        for table in TABLES:
            name = table._meta.table_name
            held = {column.name for column in opened.get_columns(name)}
            for field in table._meta.sorted_fields:
                if field.column_name not in held:
                    migrate(migrator.add_column(name, field.column_name, field))
