"""Marks: named frames of a shot that things are put on."""

from __future__ import annotations

from pydantic import Field

from velvet_seam.core.shot.layer import MAX_FRAME, THREADS
from velvet_seam.core.words import Id, Name, Part


class Mark(Part):
    """A frame with a name, in one of the thread colours."""

    id: Id
    frame: int = Field(ge=0, le=MAX_FRAME)
    name: Name = "Mark"
    thread: int = Field(7, ge=0, lt=THREADS)
