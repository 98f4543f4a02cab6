"""A shot as a file: the document, and its sources by paths relative to the file.

``docs/shot-format.md`` describes every field.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path, PurePosixPath

from pydantic import Field, ValidationError, field_validator

from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.shot import Shot, load, sentence
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
    sources: dict[str, Source] = {}
    for identity, given in dict(document.get("footage") or {}).items():
        try:
            sources[str(identity)] = Source.model_validate(given)
        except ValidationError as error:
            raise Problem(f"The source {identity} cannot be used: {sentence(error)}.") from None
    folder = path.resolve().parent
    files: dict[str, Path] = {}
    for identity in sorted(shot.footage_ids()):
        if identity not in sources:
            raise Problem(f"The shot uses the footage {identity}, which the file does not name.")
        file = (folder / sources[identity].file).resolve()
        if not file.is_relative_to(folder):
            raise Problem(f"The source {sources[identity].file} leads out of the shot's folder.")
        if not file.is_file():
            raise Problem(f"The source {sources[identity].file} is missing.")
        files[identity] = file
    return ShotFile(shot, files, {identity: source.name for identity, source in sources.items()})


def shot_file_text(shot: Shot, files: dict[Id, tuple[Name, str]]) -> str:
    """The text of a shot file; ``files`` gives the name and the relative path of each footage."""
    footage = {
        identity: Source(name=name, file=file).model_dump()
        for identity, (name, file) in sorted(files.items())
    }
    document = {
        "format": "velvet-seam-shot",
        "shot": shot.model_dump(mode="json"),
        "footage": footage,
    }
    return json.dumps(document, indent=2, ensure_ascii=False) + "\n"
