"""How large the preview of a piece of footage is."""

from __future__ import annotations

MAX_PIXELS = 8192 * 8192
"""The largest picture that is worked with."""

SHORT_SIDE = 540
"""Short side of a proxy, in pixels."""


def proxy_size(width: int, height: int) -> tuple[int, int]:
    """Width and height of the proxy of a clip, both even, never larger than the clip.

    >>> proxy_size(1080, 1920), proxy_size(1921, 1079), proxy_size(320, 240)
    ((540, 960), (962, 540), (320, 240))
    """
    factor = min(1.0, SHORT_SIDE / min(width, height))
    return (
        max(2, round(width * factor / 2) * 2),
        max(2, round(height * factor / 2) * 2),
    )
