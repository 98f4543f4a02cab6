"""Several takes put in time with one: by what is heard or moves in them, in one edit."""

from __future__ import annotations

import json
from fractions import Fraction

from velvet_seam.core.problem import Problem
from velvet_seam.core.register.several import Tied, tied
from velvet_seam.core.shot.edits import EditBase, Several
from velvet_seam.core.shot.in_time import exact, lag, moved_by
from velvet_seam.core.shot.layer import Layer, SoundTrack
from velvet_seam.core.shot.shot import Shot
from velvet_seam.store.library import Library
from velvet_seam.store.tables import JobRow
from velvet_seam.work.progress import Progress
from velvet_seam.work.together import By, Takes

LEFT = {
    "silent": "silent", "short": "too short", "common": "nothing in common can be told",
    "still": "too little moves in it", "unsure": "not sure", "locked": "locked",
    "speed": "not at its own speed", "before": "would lie wholly before the shot",
}  # fmt: skip
"""Why a take was left where it is."""

IN_TIME = Fraction(1, 50)
"""Of a frame: what lies nearer is in time, and stays."""

MOST_NAMED = 4


def do(library: Library, job: JobRow) -> None:
    told = json.loads(job.delivery)
    shot, by = library.shots.get(job.target).shot, told["by"]
    first = shot.layer(told["layer"])
    own = first.source.shows or ""
    others = takes_beside(library, shot, own, by)
    shown = [own, *dict.fromkeys(shows(one) or "" for one in others)]
    takes = Takes(library, by, float(library.footage.get(own).probe.rate or shot.rate))
    progress = Progress(library, job, len(shown) + 1)
    for done, identity in enumerate(shown, 1):
        takes.read(identity)
        progress(done)
    found = tied(len(shown), lambda a, b: takes.compared(shown[a], shown[b]))
    edits: list[EditBase] = []
    moved: list[str] = []
    left: dict[str, str] = {}
    for one in others:
        why, made = _moved(first, one, found, shown.index(shows(one) or ""), shot.rate)
        if why:
            left[one.name] = why
        else:
            edits += made
            moved.append(one.name)
    if edits:
        label = f"{len(moved)} takes in time with {first.name[:60]}"
        library.shots.edit(job.target, Several(label=label, edits=tuple(edits)))
    library.jobs.finish(job.id, sentence=_words(first.name, moved, left, bool(edits)))


def shows(thing: Layer | SoundTrack) -> str | None:
    """The footage of a layer or a sound."""
    return thing.source.shows if isinstance(thing, Layer) else thing.footage


def takes_beside(library: Library, shot: Shot, own: str, by: By) -> tuple[Layer | SoundTrack, ...]:
    """The layers and sounds that could be put in time with one that shows ``own``: other recordings, which have what is
    compared. Further layers of the same recording stay: clones are apart on purpose."""

    def fit(thing: Layer | SoundTrack) -> bool:
        identity = shows(thing)
        if identity is None or identity == own:
            return False
        item = library.footage.get(identity)
        if by == "sound":
            return item.probe.has_sound
        return item.probe.kind == "clip" and not item.nested

    return tuple(one for one in shot.things if fit(one))


def _moved(
    first: Layer, one: Layer | SoundTrack, found: dict[int, Tied], at: int, rate: Fraction
) -> tuple[str, list[EditBase]]:
    """Why a take is left where it is, or the edits that move it."""
    if one.locked:
        return "locked", []
    if one.time.speed != 100:
        return "speed", []
    offset = Fraction(0)
    while at:
        link = found[at]
        if not link.found.found:
            return link.found.why, []
        if not link.found.sure:
            return "unsure", []
        offset += exact(link.found.offset)
        at = link.through
    try:
        by = lag(one, first, offset, rate)
        return "", moved_by(one, by, rate) if abs(by * rate) > IN_TIME else []
    except Problem:
        return "before", []


def _words(first: str, moved: list[str], left: dict[str, str], changed: bool) -> str:
    named = ", ".join(moved[:MOST_NAMED])
    more = f" and {len(moved) - MOST_NAMED} more" if len(moved) > MOST_NAMED else ""
    if not moved:
        said = f"None could be put in time with {first}."
    elif changed:
        said = f"In time with {first}: {named}{more}."
    else:
        said = f"In time with {first} already: {named}{more}."
    if not left:
        return said
    rest = [f"{name} ({LEFT[why]})" for name, why in left.items()]
    more = f" and {len(rest) - MOST_NAMED} more" if len(rest) > MOST_NAMED else ""
    return f"{said} Left where they are: {', '.join(rest[:MOST_NAMED])}{more}."


def given_up(library: Library, job: JobRow) -> None:
    """Nothing is left of it: all are moved in one edit, at the end."""
