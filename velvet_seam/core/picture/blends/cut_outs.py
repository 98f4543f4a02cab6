"""Operators without a formula: they cut what lies below by a factor k, so that the empty canvas shows.

With opacity o, the layer's coverage αs and its luma Y (BT.709): inside ``k = 1 − o + o·αs``, outside
``k = 1 − o·αs``, bright ``k = 1 − o + o·αs·Y``, dark ``k = 1 − o·αs·Y``.
"""

from __future__ import annotations

from velvet_seam.core.picture.blends.base import Blend

KEEP_INSIDE = Blend(
    "keep-inside", "Keep inside", "Cut-outs",
    "Keeps what lies below only where this layer is; the layer itself is not seen.", cuts="inside",
)  # fmt: skip

KEEP_OUTSIDE = Blend(
    "keep-outside", "Keep outside", "Cut-outs", "Cuts this layer's shape out of all that lies below.",
    cuts="outside",
)  # fmt: skip

KEEP_BRIGHT = Blend(
    "keep-bright", "Keep bright", "Cut-outs",
    "Keeps what lies below as far as this layer is bright.", cuts="bright",
)  # fmt: skip

KEEP_DARK = Blend(
    "keep-dark", "Keep dark", "Cut-outs",
    "Keeps what lies below as far as this layer is dark or absent.", cuts="dark",
)  # fmt: skip
