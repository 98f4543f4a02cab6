"""Values set: any number, word or switch of a layer, a sound or the shot."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Literal

from pydantic import Field

from velvet_seam.core.shot.edits.base import EditBase, called, value_words
from velvet_seam.core.shot.edits.paths import changed
from velvet_seam.core.shot.keyframes import is_keyed, keyed, raised
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.timing.animated import Keyframes, value_at
from velvet_seam.core.words import Id


class SetValues(EditBase):
    """Set values of a layer, a sound, or (without a target) of the shot itself.

    ``values`` maps dotted paths to new values: ``place.x``, ``seam.matte.KEY_ID.tolerance``. A number
    or an outline that has keyframes gets one ``at`` a frame of the target with the new value; with
    ``along`` its whole movement is shifted by the difference; with neither it stands still from then on.
    """

    do: Literal["set-values"] = "set-values"
    target: Id | None = None
    values: dict[str, Any] = Field(min_length=1, max_length=200)
    at: int | None = Field(None, ge=-1_000_000, le=1_000_000)
    along: bool = False

    @property
    def changes(self) -> str | None:
        return None if set(self.values) == {"locked"} else self.target

    def applied(self, shot: Shot) -> Shot:
        values = self.values
        if self.target is None and "length" in values:  # from now on it is the one that was set
            values = {"grows": False, **values}
        return changed(shot, self.target, {path: self._to(new) for path, new in values.items()})

    def words(self, shot: Shot) -> str:
        return f"{value_words(next(iter(self.values)))} of {called(shot, self.target)}"

    def _to(self, new: Any) -> Callable[[Any], Any]:
        def change(old: Any) -> Any:
            plain = not isinstance(new, dict)  # else keyframes are given
            if self.at is None or not is_keyed(old) or not plain:
                return new
            if self.along and isinstance(old, Keyframes) and isinstance(new, int | float):
                return raised(old, new - value_at(old, self.at))
            return keyed(old, self.at, new)

        return change
