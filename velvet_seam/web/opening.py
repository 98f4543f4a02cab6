"""Opening what was saved as files: a shot, the shots in it, their footage and tables, all under ids of their own."""

from __future__ import annotations

import asyncio
import shutil
from pathlib import Path

from fastapi import APIRouter

from velvet_seam.core.engine.nested import nested_ids
from velvet_seam.core.formats.archive import brought_over, unpacked
from velvet_seam.core.formats.shot_file import ShotFile
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.revise import revised
from velvet_seam.core.words import copy_free
from velvet_seam.store.folder import new_id
from velvet_seam.store.footage import shown_name
from velvet_seam.web.context import Context, Ctx
from velvet_seam.web.footage import Arrived, take_in

router = APIRouter()


@router.post("/footage/arrivals/{identity}/open")
async def open_saved(identity: str, context: Ctx, body: Arrived | None = None) -> dict[str, str]:
    """All of an archive is here: its shot is put on the wall. Where anything of it cannot be used, nothing is."""
    arrivals = context.library.arrivals
    async with context.writers.begin(identity):
        await asyncio.to_thread(arrivals.checked, identity, body.crc if body else None)
        folder = context.library.folder.incoming()
        try:
            folder.mkdir()
            file = await asyncio.to_thread(unpacked, arrivals.path(identity), folder)
            return {"id": await _taken_in(context, file)}
        finally:
            shutil.rmtree(folder, ignore_errors=True)
            arrivals.forget(identity)


async def _taken_in(context: Context, file: ShotFile) -> str:
    ids: dict[str, str] = {}
    brought: list[str] = []
    try:
        for old, path in file.tables.items():
            ids[old] = context.library.tables.keep(path.read_bytes())[0]
        for old, path in file.files.items():
            item = await take_in(context, _flat(path), shown_name(file.names[old]))
            ids[old] = item["id"]
            brought.append(item["id"])
        return await asyncio.to_thread(_put, context, file, ids)
    except BaseException:
        for one in brought:
            context.library.footage.remove(one, context.library.shots)
        raise


def _flat(path: Path) -> Path:
    """A file by a name that says nothing: its poster is written beside it."""
    plain = path.with_name(new_id("u"))
    path.rename(plain)
    return plain


def _put(context: Context, file: ShotFile, ids: dict[str, str]) -> str:
    """The shots, the deepest first: each finds those that lie in it."""
    shots = context.library.shots
    taken = {standing.shot.name for standing in shots.all()}
    waiting = dict(file.shots)
    made: list[str] = []
    try:
        while waiting:
            ready = [one for one, shot in waiting.items() if not nested_ids(shot) & set(waiting)]
            if not ready:
                raise Problem("A shot in this archive would lie in itself.")
            for one in ready:
                shot = brought_over(waiting.pop(one), ids)
                made.append(shots.add(revised(shot, name=copy_free(shot.name, taken))))
                ids[one] = made[-1]
        outer = brought_over(file.shot, ids)
        return shots.add(revised(outer, name=copy_free(outer.name, taken)))
    except BaseException:
        for one in reversed(made):
            shots.remove(one)
        raise
