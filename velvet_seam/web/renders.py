"""Renders: what is being written, what is done."""

from __future__ import annotations

import asyncio
import shutil
from collections.abc import Callable
from typing import Annotated, Any

from fastapi import APIRouter, Query, Request
from fastapi.responses import FileResponse, HTMLResponse, Response

from velvet_seam.core.deliveries import FORMS, FormName, Quality
from velvet_seam.core.engine.delivery import Delivery
from velvet_seam.core.engine.delivery import Loudness as Wanted
from velvet_seam.core.engine.render import has_sound
from velvet_seam.core.problem import Gone, Problem
from velvet_seam.core.shot.shot import Shot, load
from velvet_seam.core.shot.written import written
from velvet_seam.core.timing.rate import CHOICES, rate_or_problem
from velvet_seam.store.tables import JobRow
from velvet_seam.web.context import Context, Ctx, gives, templates
from velvet_seam.web.files import plain_name
from velvet_seam.work.mixer import Loudness

router = APIRouter()

_MEDIA = {form.suffix: form.media_type for form in FORMS}


def _rows(context: Context) -> list[dict[str, Any]]:
    rows = []
    for job in context.library.jobs.all("render"):
        shot = load(job.document)
        left = (job.total - job.done) / job.rate if job.rate else None
        delivery = Delivery.model_validate_json(job.delivery)
        rows.append({"job": job, "shot": shot, "left": left, "delivery": delivery,
                     "size": delivery.size(shot), "rate": delivery.rate_of(shot),
                     "picture": context.library.folder.work_picture(job.id).exists(),
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


@router.get("/shots/{identity}/deliver", response_class=HTMLResponse)
async def deliver(
    identity: str, request: Request, context: Ctx, kind: FormName = "post",
    quality: Quality = "good", rate: str = "", loudness: Wanted = "as-mixed",
    scale: Annotated[int, Query(ge=10, le=100)] = 100,
) -> Response:  # fmt: skip
    """What can be written of a shot, and about how large it will be."""
    shot = (await asyncio.to_thread(context.library.shots.get, identity)).shot
    delivery = Delivery(kind=kind, scale=scale, quality=quality, loudness=loudness,
                        rate=rate_or_problem(rate) if rate else None)  # fmt: skip
    sound = has_sound(shot, _sounding(context))
    shown = {
        "identity": identity, "shot": shot, "delivery": delivery, "kinds": _kinds(shot),
        "scales": [(s, Delivery(scale=s).size(shot)) for s in (100, 75, 50, 25)],
        "rates": [(value, label) for value, label in CHOICES.items() if value != str(shot.rate)],
        "rate": delivery.rate_of(shot), "count": len(delivery.frames(shot)),
        "expected": _expected(context, identity, shot, delivery),
        "sound": sound, "lufs": await _loudness(context, shot) if sound and delivery.form.graded else None,
    }  # fmt: skip
    return templates.TemplateResponse(request, "parts/deliver.html", shown)


LONGEST_HEARD = 180
"""Seconds of a shot whose loudness is measured while its choices are shown."""


async def _loudness(context: Context, shot: Shot) -> str | None:
    """Loudness of the mix in LUFS; None where it is silent, or long."""
    if shot.length / shot.rate > LONGEST_HEARD:
        return None
    found = await context.mixing.ask(Loudness(written(shot).text))
    return None if found is None else f"{found:.1f}".replace("-", "−")


def _kinds(shot: Shot) -> list[tuple[str, str, str]]:
    across, down = shot.canvas.width, shot.canvas.height
    shape = "Portrait" if across < down else "Wide" if across > down else "Square"
    return [(form.name, form.label.format(shape=shape), form.says) for form in FORMS]


def _expected(context: Context, identity: str, shot: Shot, delivery: Delivery) -> int:
    """A guess; where the shot was rendered so before, from what that took."""
    guess = delivery.expected_bytes(shot)
    for job in context.library.jobs.all("render"):
        if job.target != identity or job.state != "done":
            continue
        then = Delivery.model_validate_json(job.delivery)
        if (then.kind, then.quality) == (delivery.kind, delivery.quality):
            return round(guess * job.bytes / max(1, then.expected_bytes(load(job.document))))
    return guess


def _sounding(context: Context) -> Callable[[str], object | None]:
    """Whether footage can be heard, without decoding it."""
    return lambda footage: context.library.footage.get(footage).probe.has_sound or None


@router.post("/shots/{identity}/renders")
def begin(identity: str, context: Ctx, delivery: Delivery | None = None) -> dict[str, str]:
    """Render the shot as it stands now; later edits do not change this render."""
    shot = context.library.shots.get(identity).shot
    if not shot.layers:
        raise Problem("There is nothing to render yet: the shot has no layer.")
    delivery = delivery or Delivery()
    job = context.library.jobs.add(
        "render", identity, shot.name, document=shot.model_dump_json(),
        total=len(delivery.frames(shot)), delivery=delivery.model_dump_json(),
    )  # fmt: skip
    context.queue.wake()
    return {"id": job}


@router.get("/renders/{job}/progress")
def progress(job: str, context: Ctx) -> dict[str, Any]:
    """How far a render is."""
    row = _render(context, job)
    return {"id": row.id, "name": row.name, "state": row.state, "done": row.done, "total": row.total,
            "sentence": row.sentence}  # fmt: skip


@router.post("/renders/{job}/cancel", response_class=HTMLResponse)
def cancel(job: str, request: Request, context: Ctx) -> Response:
    """Give a render up; what was finished of it is thrown away."""
    row = _render(context, job)
    context.library.jobs.cancel(row.id)
    if row.state in ("waiting", "paused"):  # at work, the worker does it; of a failure it is kept
        shutil.rmtree(context.library.folder.ranges(row.id), ignore_errors=True)
    return listing(request, context)


@router.post("/renders/{job}/pause", response_class=HTMLResponse)
def pause(job: str, request: Request, context: Ctx) -> Response:
    context.library.jobs.pause(_render(context, job).id)
    return listing(request, context)


@router.post("/renders/{job}/go-on", response_class=HTMLResponse)
def go_on(job: str, request: Request, context: Ctx) -> Response:
    """Take up what was paused, cancelled or failed; finished ranges are not done again."""
    context.library.jobs.go_on(_render(context, job).id)
    context.queue.wake()
    return listing(request, context)


@router.post("/renders/{job}/first", response_class=HTMLResponse)
def first(job: str, request: Request, context: Ctx) -> Response:
    """Before all others that wait."""
    context.library.jobs.put_first(_render(context, job).id)
    return listing(request, context)


@router.delete("/renders/{job}", response_class=HTMLResponse)
def forget(job: str, request: Request, context: Ctx) -> Response:
    """Take a render out of the list and delete its file."""
    file = context.library.jobs.forget(_render(context, job).id)
    if file:
        context.library.folder.render(file).unlink(missing_ok=True)
    context.library.folder.work_picture(job).unlink(missing_ok=True)
    shutil.rmtree(context.library.folder.ranges(job), ignore_errors=True)
    return listing(request, context)


@router.get("/renders/{job}/file", **gives(*_MEDIA.values()))
def file(job: str, context: Ctx, download: bool = False) -> Response:
    row = _render(context, job)
    path = context.library.folder.render(row.file) if row.file else None
    if path is None or not path.exists():
        raise Gone("The file of this render is no longer here.")
    kind = "attachment" if download else "inline"
    return FileResponse(
        path,
        media_type=_MEDIA[path.suffix],
        filename=f"{plain_name(row.name)}{path.suffix}",
        content_disposition_type=kind,
    )


_WORK = gives("image/jpeg")
_WORK["responses"][204] = {"description": "There is no picture, not yet or no longer."}


@router.get("/renders/{job}/work.jpg", **_WORK)
def work(job: str, context: Ctx) -> Response:
    """The frame in work, or the last one that was; nothing where there is none, for a list may be older
    than the end of its render."""
    path = context.library.folder.work_picture(_render(context, job).id)
    try:  # read at once: it is replaced all the time, and a response must not change its length
        picture = path.read_bytes()
    except FileNotFoundError:
        return Response(status_code=204)
    return Response(picture, media_type="image/jpeg", headers={"cache-control": "no-store"})


def _render(context: Context, job: str) -> JobRow:
    row = context.library.jobs.get(job)
    if row.kind != "render":
        raise Gone("That render is no longer in the list.")
    return row
