"""What the routes share: the library, the studio, the queue, the templates."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from datetime import datetime
from fractions import Fraction
from pathlib import Path
from typing import Annotated, Any

from fastapi import Depends
from fastapi.responses import Response
from fastapi.templating import Jinja2Templates
from starlette.requests import HTTPConnection

from velvet_seam.core.timing.rate import call, spell
from velvet_seam.store.library import Library
from velvet_seam.store.tables import now
from velvet_seam.web.shipped import Shipped
from velvet_seam.web.watchers import Watchers
from velvet_seam.web.writers import Writers
from velvet_seam.work.mixer import Mixing
from velvet_seam.work.queue import Queue
from velvet_seam.work.studio import Studio
from velvet_seam.work.warming import Warming

HERE = Path(__file__).parent

THREAD_NAMES = (
    "plum", "teal", "amber", "indigo", "rose", "moss", "copper", "violet", "slate", "olive",
)  # fmt: skip


@dataclass(frozen=True)
class Context:
    """One running application."""

    library: Library
    studio: Studio
    mixing: Mixing
    queue: Queue
    watchers: Watchers
    writers: Writers
    looks: ThreadPoolExecutor
    """Looks into new files wait here, and hold up nothing else."""
    warming: Warming


def get_context(connection: HTTPConnection) -> Context:
    context: Context = connection.app.state.context
    return context


Ctx = Annotated[Context, Depends(get_context)]


def gives(*kinds: str) -> dict[str, Any]:
    """For a route whose answer is a file of these media types."""
    found = {"content": {kind: {} for kind in kinds}, "description": "The file."}
    return {"response_class": Response, "responses": {200: found}}


def size_words(count: int) -> str:
    """Bytes in words.

    >>> size_words(830), size_words(2_340_000)
    ('830 B', '2.3 MB')
    """
    value = float(count)
    for unit in ("B", "kB", "MB", "GB"):
        if value < 1000 or unit == "GB":
            return f"{value:.0f} {unit}" if unit == "B" else f"{value:.1f} {unit}"
        value /= 1000
    raise AssertionError


def ago(then: datetime) -> str:
    """How long ago something was."""
    seconds = (now() - then).total_seconds()
    for size, word in ((86_400, "day"), (3600, "hour"), (60, "minute")):
        count = int(seconds // size)
        if count:
            return f"{count} {word}{'s' if count > 1 else ''} ago"
    return "just now"


def seconds_words(seconds: float) -> str:
    """A duration.

    >>> [seconds_words(one) for one in (0, 0.04, 4.21, 59.97, 72.5)]
    ['0.0 s', '0.04 s', '4.2 s', '1 min 00 s', '1 min 12 s']
    """
    if 0 < seconds < 0.1:
        return f"{seconds:.2f} s"
    if seconds < 59.95:
        return f"{seconds:.1f} s"
    seconds = max(seconds, 60)
    return f"{int(seconds // 60)} min {int(seconds % 60):02d} s"


def number(value: Any) -> str:
    """A number as short as it can be.

    >>> number(85.0), number(12.5)
    ('85', '12.5')
    """
    return f"{float(value):.2f}".rstrip("0").rstrip(".")


templates = Jinja2Templates(directory=HERE / "templates")
templates.env.filters |= {
    "size_words": size_words,
    "ago": ago,
    "seconds_words": seconds_words,
    "number": number,
    "rate": lambda rate: call(Fraction(rate)),
    "spell": lambda frame, rate: spell(frame, Fraction(rate)),
}
shipped = Shipped(HERE / "static", "/static")
templates.env.globals |= {
    "thread_names": THREAD_NAMES,
    "shipped": shipped.address,
    "modules": shipped.under,
}
templates.env.trim_blocks = templates.env.lstrip_blocks = True
