"""Colour decision lists: read, written, and refused where they are bad."""

from __future__ import annotations

import pytest

from velvet_seam.core.formats.cdl import read_cdl, write_cdl
from velvet_seam.core.problem import Problem

SOP = "<SOPNode><Slope>1.1 1.2 0.9</Slope><Offset>0 -0.01 0.02</Offset><Power>1 0.9 1.3</Power></SOPNode>"
SAT = "<SatNode><Saturation>0.8</Saturation></SatNode>"


@pytest.mark.parametrize("text", [
    f"<ColorCorrection id='a'>{SOP}{SAT}</ColorCorrection>",
    f"\ufeff<?xml version='1.0'?><ColorCorrectionCollection xmlns='urn:ASC:CDL:v1.2'><ColorCorrection>{SOP}{SAT}"
    "</ColorCorrection><ColorCorrection/></ColorCorrectionCollection>",
    f"\r\n<ColorDecisionList xmlns='urn:ASC:CDL:v1.01'><ColorDecision><!-- graded at night --><ColorCorrection>{SOP}{SAT}"
    "</ColorCorrection></ColorDecision></ColorDecisionList>",
])  # fmt: skip
def test_all_three_forms_are_read(text: str):
    found = read_cdl(text)
    assert found["slope_green"] == 1.2
    assert found["offset_green"] == -0.01
    assert found["power_blue"] == 1.3
    assert found["saturation"] == 0.8
    assert read_cdl(write_cdl(found, 'a "b" <c>')) == found


@pytest.mark.parametrize(("text", "says"), [
    ("not xml", "not XML"), ("<a/>", "no colour correction"), ("<ColorCorrection/>", "no slope"),
    ("<!DOCTYPE a><ColorCorrection/>", "refused"), ("<!doctype a [<!ENTITY b 'c'>]><ColorCorrection/>", "refused"),
    ("<ColorCorrection><Slope>1 2</Slope></ColorCorrection>", "3 numbers"),
    ("<ColorCorrection><Slope>1 nan 1</Slope></ColorCorrection>", "3 numbers"),
    ("<ColorCorrection><Power>1 0 1</Power></ColorCorrection>", "between 0.1 and 10"),
    ("<ColorCorrection><Saturation>-1</Saturation></ColorCorrection>", "between 0 and 4"),
    ("<a>" * 100_000, "not XML"), ("x" * (1 << 20) + "y", "longer than 1 MB"),
])  # fmt: skip
def test_a_bad_one_is_refused_with_a_sentence(text: str, says: str):
    with pytest.raises(Problem, match=says):
        read_cdl(text)
