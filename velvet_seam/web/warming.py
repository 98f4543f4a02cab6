"""How far the kernels are, on every page, the first time the application runs on a machine."""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, Response

from velvet_seam.web.context import Ctx, templates

router = APIRouter()


@router.get("/warming", response_class=HTMLResponse)
def warming(request: Request, context: Ctx) -> Response:
    """A line that asks for itself again; nothing, when all is ready."""
    return templates.TemplateResponse(request, "parts/warming.html", {"far": context.warming.far})
