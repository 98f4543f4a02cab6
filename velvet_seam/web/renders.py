"""Renders: what is being written, what is done."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import FileResponse, HTMLResponse, Response

from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.shot import load
from velvet_seam.store.tables import JobRow
from velvet_seam.web.context import Context, Ctx, templates
from velvet_seam.web.files import plain_name

router = APIRouter()


def _rows(context: Context) -> list[dict[str, Any]]:
    rows = []
    for job in context.library.jobs.all("render"):
        shot = load(job.document)
        left = (job.total - job.done) / job.rate if job.rate else None
        rows.append({"job": job, "shot": shot, "left": left,
                     "percent": 100 * job.done / job.total if job.total else 0})  # fmt: skip
    return rows


@router.get("/renders", response_class=HTMLResponse)
def page(request: Request, context: Ctx) -> Response:
    shown = {"page": "renders", "rows": _rows(context)}
    return templates.TemplateResponse(request, "renders.html", shown)


@router.get("/renders/list", response_class=HTMLResponse)
def listing(request: Request, context: Ctx) -> Response:
    shown = {"rows": _rows(context)}
    return templates.TemplateResponse(request, "parts/renders_list.html", shown)


@router.post("/shots/{identity}/renders")
def begin(identity: str, context: Ctx) -> dict[str, str]:
    """Render the shot as it stands now; later edits do not change this render."""
    shot = context.library.shots.get(identity).shot
    if not shot.layers:
        raise Problem("There is nothing to render yet: the shot has no layer.")
    job = context.library.jobs.add(
        "render", identity, shot.name, document=shot.model_dump_json(), total=shot.length
    )
    context.queue.wake()
    return {"id": job}


@router.post("/renders/{job}/cancel", response_class=HTMLResponse)
def cancel(job: str, request: Request, context: Ctx) -> Response:
    context.library.jobs.cancel(_render(context, job).id)
    return listing(request, context)


@router.post("/renders/{job}/again", response_class=HTMLResponse)
def again(job: str, request: Request, context: Ctx) -> Response:
    """Render the same state of the shot once more."""
    row = _render(context, job)
    context.library.jobs.add("render", row.target, row.name, document=row.document, total=row.total)
    context.queue.wake()
    return listing(request, context)


@router.delete("/renders/{job}", response_class=HTMLResponse)
def forget(job: str, request: Request, context: Ctx) -> Response:
    """Take a render out of the list and delete its file."""
    file = context.library.jobs.forget(_render(context, job).id)
    if file:
        context.library.folder.render(file).unlink(missing_ok=True)
    context.library.folder.work_picture(job).unlink(missing_ok=True)
    return listing(request, context)


@router.get("/renders/{job}/file")
def file(job: str, context: Ctx, download: bool = False) -> Response:
    row = _render(context, job)
    path = context.library.folder.render(row.file) if row.file else None
    if path is None or not path.exists():
        raise Problem("The file of this render is no longer here.")
    kind = "attachment" if download else "inline"
    return FileResponse(
        path,
        media_type="video/mp4",
        filename=f"{plain_name(row.name)}.mp4",
        content_disposition_type=kind,
    )


@router.get("/renders/{job}/work.jpg")
def work(job: str, context: Ctx) -> Response:
    """The frame in work, or the last one that was."""
    path = context.library.folder.work_picture(_render(context, job).id)
    if not path.exists():
        raise Problem("There is no picture yet.")
    return FileResponse(path, headers={"cache-control": "no-store"})


def _render(context: Context, job: str) -> JobRow:
    row = context.library.jobs.get(job)
    if row.kind != "render":
        raise Problem("That render is no longer in the list.")
    return row
