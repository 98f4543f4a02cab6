"""Older versions of the document, each brought to the next by one small function."""

from __future__ import annotations

import copy
from typing import Any


def _half(value: Any) -> Any:
    """Half of a number that may carry keyframes."""
    if isinstance(value, dict):
        return {**value, "keys": [{**key, "value": key["value"] / 2} for key in value["keys"]]}
    return value / 2


def from_version_1(document: dict[str, Any]) -> dict[str, Any]:
    """Version 2 has masks of all shapes, for three uses, with a feather for each side of the line.

    In version 1 all masks were boxes that removed what lay outside or inside of them, one after the
    other; a feather lay half on each side of the line. Keys took the spill away without putting
    anything in its place.

    >>> mask = {"kind": "box", "id": "m", "x": 0, "y": 0, "width": 4, "height": 4, "feather": 6}
    >>> old = {"schema_version": 1, "layers": [{"seam": {"masks": [mask]}}]}
    >>> new = from_version_1(old)["layers"][0]["seam"]["masks"][0]
    >>> new["use"], new["combine"], new["feather_in"], new["feather_out"]
    ('limit', 'intersect', 3.0, 3.0)
    """
    new = copy.deepcopy(document) | {"schema_version": 2}
    for layer in new.get("layers", []):
        seam = layer.get("seam", {})
        for key in seam.get("matte", []):
            key.setdefault("tolerance", 6.0)
            key.setdefault("softness", 86.0)
            key.setdefault("spill_to", "dark")
        for mask in seam.get("masks", []):
            inside = mask.pop("removes", "outside") == "inside"
            mask["use"] = "garbage" if inside else "limit"
            mask["combine"] = "add" if inside else "intersect"
            feather = mask.pop("feather", 0.0)
            mask["feather_in"] = mask["feather_out"] = _half(feather)
    return new


def from_version_2(document: dict[str, Any]) -> dict[str, Any]:
    """Version 3 has corner pins, which a layer of version 2 does without.

    >>> from_version_2({"schema_version": 2, "layers": []})["schema_version"]
    3
    """
    return document | {"schema_version": 3}


def from_version_3(document: dict[str, Any]) -> dict[str, Any]:
    """Version 4 has looks, crops and what lies around a layer, which one of version 3 does without.

    >>> from_version_3({"schema_version": 3, "layers": []})["schema_version"]
    4
    """
    return document | {"schema_version": 4}


UPGRADES = (from_version_1, from_version_2, from_version_3)
"""From each version to the next, the first first."""
