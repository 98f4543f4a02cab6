"""Values as a panel shows them: what the document says of each, and what it is now."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal, get_args, get_origin

from pydantic import BaseModel

from velvet_seam.core.shot.shot import Canvas
from velvet_seam.core.timing.animated import Keyframes
from velvet_seam.core.timing.bounds import Bounds, bounds_of


@dataclass(frozen=True)
class Told:
    """One number of a layer or a sound, for the macro ``tape``."""

    path: str
    bounds: Bounds
    shown: float
    """What it is; at its first keyframe, where it moves."""
    moves: bool
    default: float
    reach: tuple[float, float]


class Values:
    """The numbers of one thing, named by dotted paths as edits name them."""

    def __init__(self, thing: BaseModel | None, canvas: Canvas) -> None:
        self._thing, self._canvas = thing, canvas

    def __call__(self, path: str) -> Told:
        way, _, name = path.rpartition(".")
        told = self._told(self._part(way), way, name)
        assert told is not None, f"there is no number {path}"
        return told

    def of(self, way: str = "") -> list[Told]:
        """All numbers of a part: where it lies, then what only its kind has, then what all kinds have."""
        part = self._part(way)
        shared = [one for one in type(part).__mro__[1:] if issubclass(one, BaseModel)]
        common = set(shared[0].model_fields) if shared else set()
        names = list(type(part).model_fields)
        first = [name for name in names if name in common and name in ("x", "y")]
        own = [name for name in names if name not in common]
        rest = [name for name in names if name in common and name not in first]
        every = (self._told(part, way, name) for name in (*first, *own, *rest))
        return [one for one in every if one is not None]

    def _part(self, way: str) -> BaseModel:
        part: Any = self._thing
        for step in way.split(".") if way else ():
            part = _named(part, step) if isinstance(part, tuple) else getattr(part, step)
        assert isinstance(part, BaseModel)
        return part

    def _told(self, part: BaseModel, way: str, name: str) -> Told | None:
        bounds = bounds_of(type(part), name)
        if bounds is None:
            return None
        value, field = getattr(part, name), type(part).model_fields[name]
        reach = bounds.reach(self._canvas.width, self._canvas.height)
        moves = isinstance(value, Keyframes)
        shown = value.keys[0].value if isinstance(value, Keyframes) else value
        default = sum(reach) / 2 if field.is_required() else field.default
        return Told(f"{way}.{name}".lstrip("."), bounds, shown, moves, default, reach)


@dataclass(frozen=True)
class Choice:
    """A word, a colour, some colours or a text of a part: what is no number."""

    path: str
    label: str
    form: str
    """``word``, ``colour``, ``colours`` or ``text``."""
    value: Any
    options: tuple[str, ...] = ()
    most: int = 0


_CALLED = {"by": "Revealed by", "what": "What"}


def choices(part: BaseModel, way: str) -> list[Choice]:
    """All that is no number in a part of the document, but for its name and kind.

    >>> from velvet_seam.core.sources import GradientSource
    >>> [(one.label, one.form) for one in choices(GradientSource(), "source")]
    [('Shape', 'word'), ('Colours', 'colours'), ('Mix', 'word')]
    """
    found = []
    for name, field in type(part).model_fields.items():
        value, path = getattr(part, name), f"{way}.{name}"
        label = _CALLED.get(name, name.replace("_", " ").capitalize())
        if (
            name in ("kind", "id", "strokes")
            or bounds_of(type(part), name)
            or isinstance(value, bool)
        ):
            continue
        if get_origin(field.annotation) is Literal:
            found.append(Choice(path, label, "word", value, get_args(field.annotation)))
        elif isinstance(value, tuple):
            found.append(Choice(path, label, "colours", value))
        elif isinstance(value, str):
            most = next((m.max_length for m in field.metadata if hasattr(m, "max_length")), 0)
            found.append(Choice(path, label, "text" if most else "colour", value, most=most))
    return found


def _named(parts: tuple[Any, ...], identity: str) -> Any:
    return next(one for one in parts if one.id == identity)
