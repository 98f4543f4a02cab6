"""A shot saved as files: the document and its sources in one archive."""

from __future__ import annotations

import re
import zipfile

from fastapi import APIRouter
from fastapi.responses import FileResponse, Response
from starlette.background import BackgroundTask

from velvet_seam.core.formats.shot_file import shot_file_text
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.shot import table_ids
from velvet_seam.web.context import Ctx, gives

router = APIRouter()


def plain_name(name: str) -> str:
    """A name that is safe as a file's on any system.

    >>> plain_name("My “best” take / 2.mp4"), plain_name("../..")
    ('My best take 2.mp4', 'shot')
    """
    kept = re.sub(r"[^\w\- .]+", "", name).strip(". ")
    return re.sub(r" +", " ", kept)[:80] or "shot"


@router.get("/shots/{identity}/files.zip", **gives("application/zip"))
def save(identity: str, context: Ctx) -> Response:
    """``shot.json`` and its footage, as ``velvet-seam render`` reads it. Stored, not compressed:
    media does not become smaller."""
    shot = context.library.shots.get(identity).shot
    shots = {one: context.library.shots.get(one).shot for one in context.library.inside(identity)}
    every = (shot, *shots.values())
    ids = set().union(*(one.footage_ids() for one in every)) - set(shots)
    items = {i: context.library.footage.get(i) for i in sorted(ids)}
    files = {}
    for identity_, item in items.items():
        stem = plain_name(item.stem)
        files[identity_] = (item.name, f"footage/{stem}-{identity_[-4:]}{item.path.suffix}")
    for item in items.values():
        if item.missing:
            raise Problem(
                f"{item.complaint} Find it again on the footage page, or take it out of the shot."
            )
    kept = context.library.tables
    tables = {
        one: (f"{one}.cube", f"tables/{one}.cube")
        for one in sorted(set().union(*map(table_ids, every)))
        if kept.path(one).exists()
    }
    path = context.library.folder.incoming().with_suffix(".zip")
    try:
        with zipfile.ZipFile(path, "w", zipfile.ZIP_STORED) as archive:
            archive.writestr("shot.json", shot_file_text(shot, files, tables, shots))
            for identity_, item in items.items():
                archive.write(item.path, files[identity_][1])
            for one, (_, name) in tables.items():
                archive.write(kept.path(one), name)
    except OSError:
        path.unlink(missing_ok=True)
        raise
    return FileResponse(
        path, media_type="application/zip", filename=f"{plain_name(shot.name)}.zip",
        background=BackgroundTask(path.unlink, missing_ok=True),
    )  # fmt: skip
