"""Background work on a shot: how far it is, and stopping it."""

from __future__ import annotations

from typing import Any, Literal, get_args

from fastapi import APIRouter
from fastapi.responses import Response

from velvet_seam.core.problem import Problem
from velvet_seam.store.jobs import OPEN
from velvet_seam.web.context import Context, Ctx

router = APIRouter(prefix="/shots/{identity}/working")

Kind = Literal["bake", "hold", "plate", "drift", "track", "passes", "carry", "in-time", "roto"]


def one_at_a_time(context: Context, identity: str, kind: Kind, refused: str) -> None:
    """Refuse a second one of a kind on one shot, with a sentence."""
    if any(job.target == identity and job.state in OPEN for job in context.library.jobs.all(kind)):
        raise Problem(refused)


@router.get("")
def going_on(identity: str, context: Ctx) -> list[str]:
    """The kinds of which something waits or is being done."""
    open_kinds = context.library.jobs.going_on(identity)
    return [kind for kind in get_args(Kind) if kind in open_kinds]


@router.get("/{kind}")
def working(identity: str, kind: Kind, context: Ctx) -> dict[str, Any]:
    """How far the newest work of a kind is; once it is done, the shot's stamp."""
    jobs = [job for job in context.library.jobs.all(kind) if job.target == identity]
    if not jobs:
        return {"state": "none"}
    job, stamp = jobs[0], context.library.shots.get(identity).stamp
    return {
        "state": job.state, "part": job.done / job.total if job.total else 0.0,
        "sentence": job.sentence, "stamp": stamp,
    }  # fmt: skip


@router.delete("/{kind}", status_code=204)
def stopped(identity: str, kind: Kind, context: Ctx) -> Response:
    """Stop it; nothing was changed by then."""
    for job in context.library.jobs.open_for(kind).values():
        if job.target == identity:
            context.library.jobs.cancel(job.id)
    return Response(status_code=204)
