"""The blend wall: all blends, group by group."""

from __future__ import annotations

from itertools import groupby

from velvet_seam.core.picture.blends import BLENDS, Blend

GROUPS: tuple[tuple[str, tuple[Blend, ...]], ...] = tuple(
    (group, tuple(blends)) for group, blends in groupby(BLENDS, key=lambda blend: blend.group)
)
