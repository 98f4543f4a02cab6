"""Regions kept on disk: had again, of this version only, and not too many of them."""

from __future__ import annotations

from pathlib import Path

import pytest

from velvet_seam.store import regions
from velvet_seam.store.regions import RegionRow, Regions


def test_what_is_kept_is_had_again_by_another_program(tmp_path: Path):
    path = tmp_path / "regions.sqlite"
    first = Regions(path)
    first.put("a", b"one")
    first.put("a", b"two")  # the same key is the same region: the first stays
    assert first.get("a") == b"one"
    assert first.get("b") is None
    assert Regions(path).known(["a", "b", *map(str, range(1200))]) == {"a": b"one"}


def test_another_version_of_the_method_finds_them_anew(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
):
    kept = Regions(tmp_path / "regions.sqlite")
    kept.put("a", b"one")
    monkeypatch.setattr(regions, "made_by", lambda: "another")
    assert kept.get("a") is None
    kept.put("a", b"two")
    kept.sweep()
    assert kept.get("a") == b"two"
    assert RegionRow.select().count() == 1


def test_the_oldest_go_when_there_are_too_many(tmp_path: Path, monkeypatch: pytest.MonkeyPatch):
    kept = Regions(tmp_path / "regions.sqlite")
    monkeypatch.setattr(regions, "MOST", 5)
    for n in range(9):
        kept.put(str(n), b"")
    kept.sweep()
    assert sorted(kept.known(map(str, range(9)))) == list("45678")


def test_a_damaged_file_is_begun_anew(tmp_path: Path):
    path = tmp_path / "regions.sqlite"
    path.write_bytes(b"nothing that could be opened" * 100)
    kept = Regions(path)
    kept.put("a", b"one")
    assert kept.get("a") == b"one"


def test_a_file_that_is_damaged_later_holds_nothing_up(tmp_path: Path):
    path = tmp_path / "regions.sqlite"
    kept = Regions(path)
    kept.put("a", b"one")
    regions.database.close()
    path.write_bytes(b"nothing that could be opened" * 400)
    for end in ("-wal", "-shm"):
        path.with_name(path.name + end).unlink(missing_ok=True)
    kept.put("b", b"two")
    assert kept.get("a") is None
    assert kept.known(["a", "b"]) == {}
    kept.sweep()
