"""Blends that cover what lies below; atop and either are Porter and Duff's."""

from __future__ import annotations

from velvet_seam.core.picture.blends.base import Blend, formula


@formula
def _source(b, s):
    return s


NORMAL = Blend("normal", "Normal", "Cover", "Covers what lies below.", channel=_source)

ATOP = Blend("atop", "Atop", "Cover", "Covers only where something lies below.")
"""``co = αs·αb·Cs + (1 − αs)·αb·Cb``; coverage stays."""

XOR = Blend(
    "xor", "Either, not both", "Cover",
    "Shows the layer where nothing lies below, and cuts what does.", cuts="either",
)  # fmt: skip
"""``co = αs·(1 − αb)·Cs + αb·(1 − αs)·Cb``."""
