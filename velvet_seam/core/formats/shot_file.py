"""A shot as a file: the document, and its sources by paths relative to the file.

``docs/shot-format.md`` describes every field.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path, PurePosixPath

from pydantic import Field, ValidationError, field_validator

from velvet_seam.core.engine.nested import levels, nested_ids
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.shot import Shot, load, sentence, table_ids
from velvet_seam.core.words import Id, Name, Part

MAX_BYTES = 64 << 20


class Source(Part):
    """Where a piece of footage lies, from the folder of the shot file."""

    name: Name
    file: str = Field(min_length=1, max_length=1000)

    @field_validator("file")
    @classmethod
    def _stays_inside(cls, file: str) -> str:
        path = PurePosixPath(file)
        if path.is_absolute() or ".." in path.parts or "\\" in file or "\0" in file:
            raise ValueError("a source lies in or below the folder of the shot file")
        return file


@dataclass(frozen=True)
class ShotFile:
    """A shot with the files its footage ids stand for, as absolute paths."""

    shot: Shot
    files: dict[str, Path]
    names: dict[str, str]
    tables: dict[str, Path]
    """Tables of colours that its looks refer to."""
    shots: dict[str, Shot]
    """Shots that lie in it, however deep, by the ids that layers have of them."""


def read_shot_file(path: Path) -> ShotFile:
    """Read a shot file.

    Raises:
        Problem: no such file, not a shot, a source that is missing or lies outside its folder.
    """
    try:
        if path.stat().st_size > MAX_BYTES:
            raise Problem(f"{path.name} is too large to be a shot file.")
        document = json.loads(path.read_bytes())
    except OSError as error:
        raise Problem(f"{path.name} cannot be opened: {error.strerror}.") from None
    except (ValueError, RecursionError):
        raise Problem(f"{path.name} is not a shot file: it is not JSON.") from None
    if not isinstance(document, dict) or document.get("format") != "velvet-seam-shot":
        raise Problem(f"{path.name} is not a shot file.")
    shot = load(json.dumps(document.get("shot")))
    folder = path.resolve().parent
    sources, tables = sources_of(document.get("footage")), sources_of(document.get("tables"))
    shots = _shots(document.get("shots"))
    every = (shot, *shots.values())
    missing = sorted(set().union(*map(nested_ids, every)) - set(shots))
    if missing:
        raise Problem(f"The shot uses the shot {missing[0]}, which the file does not hold.")
    for identity in shots:
        levels(identity, shots.__getitem__)
    wanted = set().union(*(one.footage_ids() for one in every)) - set(shots)
    coloured = set().union(*map(table_ids, every))
    return ShotFile(
        shot, _files(folder, sources, wanted, "footage"),
        {identity: source.name for identity, source in sources.items()},
        _files(folder, tables, coloured, "table"), shots,
    )  # fmt: skip


def _shots(given: object) -> dict[str, Shot]:
    """The shots that lie in a shot file's, by their ids."""
    return {
        str(identity): load(json.dumps(one))
        for identity, one in (given if isinstance(given, dict) else {}).items()
    }


def sources_of(given: object) -> dict[str, Source]:
    """Files that a shot file names, by their ids."""
    found: dict[str, Source] = {}
    for identity, one in (given if isinstance(given, dict) else {}).items():
        try:
            found[str(identity)] = Source.model_validate(one)
        except ValidationError as error:
            raise Problem(f"The source {identity} cannot be used: {sentence(error)}.") from None
    return found


def _files(
    folder: Path, sources: dict[str, Source], wanted: set[str], what: str
) -> dict[str, Path]:
    """The files of all that is referred to, inside a folder."""
    files: dict[str, Path] = {}
    for identity in sorted(wanted):
        if identity not in sources:
            raise Problem(f"The shot uses the {what} {identity}, which the file does not name.")
        file = (folder / sources[identity].file).resolve()
        if not file.is_relative_to(folder):
            raise Problem(f"The source {sources[identity].file} leads out of the shot's folder.")
        if not file.is_file():
            raise Problem(f"The source {sources[identity].file} is missing.")
        files[identity] = file
    return files


def shot_file_text(
    shot: Shot, files: dict[Id, tuple[Name, str]], tables: dict[str, tuple[Name, str]] | None = None,
    shots: Mapping[str, Shot] | None = None,
) -> str:  # fmt: skip
    """The text of a shot file; ``files`` and ``tables`` give the name and the relative path of each footage and table,
    ``shots`` are those that lie in it."""

    def named(given: dict[str, tuple[str, str]]) -> dict[str, object]:
        return {
            identity: Source(name=name, file=file).model_dump()
            for identity, (name, file) in sorted(given.items())
        }

    document = {
        "format": "velvet-seam-shot",
        "shot": shot.model_dump(mode="json"),
        "footage": named(files),
        **({"tables": named(tables)} if tables else {}),
        **(
            {"shots": {one: held.model_dump(mode="json") for one, held in sorted(shots.items())}}
            if shots
            else {}
        ),
    }
    return json.dumps(document, indent=2, ensure_ascii=False) + "\n"
