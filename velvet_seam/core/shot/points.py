"""Points of a drawn outline: put on the line, and lengths brought to another size."""

from __future__ import annotations

from velvet_seam.core.masks import OutlineKeys, Vertex

Points = tuple[Vertex, ...]
_LENGTHS = ("x", "y", "in_x", "in_y", "out_x", "out_y")


def with_point(points: Points, after: int, part: float) -> Points:
    """An outline with one more point, ``part`` of the way from a point to the next.

    The line stays exactly as it is: its curve is cut in two (P. de Casteljau).

    >>> square = [Vertex(x=x, y=y) for x, y in ((0, 0), (8, 0), (8, 8), (0, 8))]
    >>> [(v.x, v.y) for v in with_point(tuple(square), 0, 0.25)][:3]
    [(0.0, 0.0), (2.0, 0.0), (8.0, 0.0)]
    """
    one, other = points[after], points[(after + 1) % len(points)]
    straight = not any((one.out_x, one.out_y, other.in_x, other.in_y))

    def mix(a: tuple[float, float], b: tuple[float, float]) -> tuple[float, float]:
        return a[0] + (b[0] - a[0]) * part, a[1] + (b[1] - a[1]) * part

    p0, p3 = (one.x, one.y), (other.x, other.y)
    soft = one.feather + (other.feather - one.feather) * part
    if straight:
        x, y = mix(p0, p3)
        new = [one, Vertex(x=x, y=y, feather=soft), other]
    else:
        p1, p2 = (
            (one.x + one.out_x, one.y + one.out_y),
            (other.x + other.in_x, other.y + other.in_y),
        )
        a, b, c = mix(p0, p1), mix(p1, p2), mix(p2, p3)
        d, e = mix(a, b), mix(b, c)
        x, y = mix(d, e)
        middle = Vertex(
            x=x, y=y, in_x=d[0] - x, in_y=d[1] - y, out_x=e[0] - x, out_y=e[1] - y, feather=soft
        )
        new = [
            one.model_copy(update={"out_x": a[0] - one.x, "out_y": a[1] - one.y}),
            middle,
            other.model_copy(update={"in_x": c[0] - other.x, "in_y": c[1] - other.y}),
        ]
    rest = list(points)
    rest[after] = new[0]
    rest[(after + 1) % len(points)] = new[2]
    rest.insert(after + 1, new[1])
    return tuple(rest)


def resized(outline: Points | OutlineKeys, by: float) -> Points | OutlineKeys:
    """An outline, in all its keyframes, with all lengths but its feather times a factor."""
    if isinstance(outline, OutlineKeys):
        keys = (key.model_copy(update={"value": _times(key.value, by)}) for key in outline.keys)
        return OutlineKeys(keys=tuple(keys))
    return _times(outline, by)


def _times(points: Points, by: float) -> Points:
    return tuple(v.model_copy(update={n: getattr(v, n) * by for n in _LENGTHS}) for v in points)
