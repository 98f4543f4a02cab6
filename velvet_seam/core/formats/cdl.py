"""Colour decision lists of the ASC, v1.2, as XML: .cdl, .cc and .ccc. Read and written.

Of a file with several corrections the first is taken. Nothing outside the file is ever followed: a document with a
type declaration or entities is refused before it is parsed.
"""

from __future__ import annotations

import re
from math import isfinite
from xml.etree import ElementTree
from xml.sax.saxutils import escape

from velvet_seam.core.problem import Problem

_NAMES = ("red", "green", "blue")
_RANGES = {"Slope": (0.0, 10.0), "Offset": (-1.0, 1.0), "Power": (0.1, 10.0)}
MOST = 1 << 20


def read_cdl(text: str) -> dict[str, float]:
    """The ten numbers, by the names that a part of a look has for them.

    Raises:
        Problem: with a sentence that says what is wrong with the file.

    >>> sop = "<Slope>1.1 1 0.9</Slope><Offset>0 0 0.02</Offset><Power>1 1 1</Power>"
    >>> cc = f"<ColorCorrection><SOPNode>{sop}</SOPNode></ColorCorrection>"
    >>> read_cdl(cc)["slope_red"], read_cdl(cc)["offset_blue"], read_cdl(cc)["saturation"]
    (1.1, 0.02, 1.0)
    """
    if len(text) > MOST:
        raise Problem("That file is longer than 1 MB. Nothing was changed.")
    if re.search(r"<!(DOCTYPE|ENTITY)", text, re.IGNORECASE):
        raise Problem(
            "That file declares entities of its own, which is refused. Nothing was changed."
        )
    try:
        root = ElementTree.fromstring(text.lstrip("\ufeff \r\n\t"))
    except (ElementTree.ParseError, ValueError, RecursionError):
        raise Problem(
            "That is not a colour decision list: it is not XML. Nothing was changed."
        ) from None
    correction = next((one for one in root.iter() if _named(one) == "ColorCorrection"), None)
    if correction is None:
        raise Problem("That file holds no colour correction. Nothing was changed.")
    found: dict[str, float] = {}
    for node in correction.iter():
        name = _named(node)
        if name in _RANGES:
            numbers = _numbers(node.text, 3, name)
            found |= {f"{name.lower()}_{c}": v for c, v in zip(_NAMES, numbers, strict=True)}
        elif name == "Saturation":
            (found["saturation"],) = _numbers(node.text, 1, name)
    if not found:
        raise Problem("That file holds no slope, offset, power or saturation. Nothing was changed.")
    neutral = {
        f"{n}_{c}": v for n, v in (("slope", 1.0), ("offset", 0.0), ("power", 1.0)) for c in _NAMES
    }
    return {**neutral, "saturation": 1.0, **found}


def _named(node: ElementTree.Element) -> str:
    """A node's name without its namespace."""
    return str(node.tag).rpartition("}")[2]


def _numbers(text: str | None, count: int, name: str) -> list[float]:
    words = (text or "").split()
    low, high = _RANGES.get(name, (0.0, 4.0))
    try:
        numbers = [float(word) for word in words]
    except ValueError:
        numbers = []
    if len(numbers) != count or not all(isfinite(number) for number in numbers):
        raise Problem(
            f"{name} has {count} number{'s' if count > 1 else ''} in such a file, not “{' '.join(words)[:40]}”. Nothing was changed."
        )
    if not all(low <= number <= high for number in numbers):
        raise Problem(f"{name} lies between {low:g} and {high:g} here. Nothing was changed.")
    return numbers


def write_cdl(numbers: dict[str, float], name: str) -> str:
    """The ten numbers as a ``.cdl``.

    >>> round(read_cdl(write_cdl(read_cdl(write_cdl({}, "a & b")), "x"))["power_red"], 3)
    1.0
    """

    def three(word: str, default: float) -> str:
        return " ".join(f"{numbers.get(f'{word}_{c}', default):.6f}" for c in _NAMES)

    return f"""<?xml version="1.0" encoding="UTF-8"?>
<ColorDecisionList xmlns="urn:ASC:CDL:v1.2">
  <ColorDecision>
    <ColorCorrection id="{escape(name, {'"': "&quot;"})}">
      <SOPNode>
        <Slope>{three("slope", 1.0)}</Slope>
        <Offset>{three("offset", 0.0)}</Offset>
        <Power>{three("power", 1.0)}</Power>
      </SOPNode>
      <SatNode>
        <Saturation>{numbers.get("saturation", 1.0):.6f}</Saturation>
      </SatNode>
    </ColorCorrection>
  </ColorDecision>
</ColorDecisionList>
"""
