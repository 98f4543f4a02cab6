"""Finding anything by its name: shots, footage, pages."""

from __future__ import annotations

import re
from typing import Annotated

from fastapi import APIRouter, Query

from velvet_seam.web.context import Ctx

router = APIRouter()

PAGES = (
    ("Shots", "/"),
    ("Footage", "/footage"),
    ("The shelf", "/footage?of=shelf"),
    ("Renders", "/renders"),
)
MOST = 30


@router.get("/find")
def find(
    context: Ctx, q: Annotated[str, Query(max_length=200)] = ""
) -> dict[str, list[dict[str, str]]]:
    """What all words of ``q`` occur in, shots first."""
    words = re.split(r"[\s,:;]+", q.lower().strip(" ,:;"))
    library = context.library
    named = [
        (standing.shot.name, "shot", f"/shots/{standing.id}") for standing in library.shots.all()
    ]
    named += [
        (item.name, f"footage, {item.probe.kind}", f"/footage#clip-{item.id}")
        for item in library.footage.all()
    ]
    named += [(name, "page", address) for name, address in PAGES]
    fitting = [
        {"title": name, "note": note, "address": address}
        for name, note, address in named
        if all(word in f"{name} {note}".lower() for word in words)
    ]
    return {"found": fitting[:MOST]}
