"""Frame rates as exact fractions, and times spelled in seconds and frames."""

from __future__ import annotations

import re
from fractions import Fraction
from math import ceil, floor
from typing import Annotated, Any

from pydantic import BeforeValidator, PlainSerializer, WithJsonSchema

from velvet_seam.core.problem import Problem

SOUND_RATE = 48_000
"""Samples per second of every mix."""

_WRITTEN = re.compile(r"-?[0-9]{1,18}(/[0-9]{1,18})?", re.ASCII)

CHOICES: dict[str, str] = {
    "24000/1001": "23.976",
    "24": "24",
    "25": "25",
    "30000/1001": "29.97",
    "30": "30",
    "50": "50",
    "60000/1001": "59.94",
    "60": "60",
}
"""The rates offered for a new shot: the exact fraction, and what people call it."""


def parse_fraction(given: Any) -> Fraction:
    """An exact fraction from ``"30000/1001"``, ``"25"``, an integer or a Fraction.

    Floats are refused: a float rate or time drifts by a frame sooner or later.

    >>> parse_fraction("30000/1001")
    Fraction(30000, 1001)
    """
    if isinstance(given, Fraction):
        return given
    if isinstance(given, bool) or not isinstance(given, int | str):
        raise ValueError("write it as a whole number or as a fraction such as 30000/1001")
    if isinstance(given, str) and not _WRITTEN.fullmatch(given):
        raise ValueError("write it as a whole number or as a fraction such as 30000/1001")
    try:
        return Fraction(given)
    except ZeroDivisionError:
        raise ValueError("a fraction is not divided by zero") from None


def _frame_rate(given: Any) -> Fraction:
    rate = parse_fraction(given)
    if not 1 <= rate <= 240:
        raise ValueError("a frame rate lies between 1 and 240 frames a second")
    if rate.denominator > 1_000_000:
        raise ValueError("a frame rate is a simple fraction, such as 30000/1001")
    return rate


def _seconds(given: Any) -> Fraction:
    time = parse_fraction(given)
    if not -86_400 <= time <= 86_400:
        raise ValueError("a time in a source lies between -86400 and 86400 seconds")
    return time


_TEXT = PlainSerializer(str, return_type=str)
_SCHEMA = WithJsonSchema({"type": "string", "examples": ["25", "30000/1001"]})
FrameRate = Annotated[Fraction, BeforeValidator(_frame_rate), _TEXT, _SCHEMA]
Seconds = Annotated[Fraction, BeforeValidator(_seconds), _TEXT, _SCHEMA]


def frames_to_samples(frames: int, rate: Fraction) -> int:
    """The sample at which a frame begins, to the nearest sample.

    >>> frames_to_samples(1, Fraction(25)), frames_to_samples(30, Fraction(30000, 1001))
    (1920, 48048)
    """
    return round(Fraction(frames) * SOUND_RATE / rate)


def spell(frame: int, rate: Fraction) -> str:
    """A frame number as seconds and frames, counted from the second it lies in.

    >>> spell(87, Fraction(25)), spell(0, Fraction(25)), spell(30, Fraction(30000, 1001))
    ('3s 12f', '0s 00f', '1s 00f')
    """
    second = floor(frame / rate)
    return f"{second}s {frame - ceil(second * rate):02d}f"


def call(rate: Fraction) -> str:
    """What people call a rate: at most three decimals, none where it is whole.

    >>> call(Fraction(24000, 1001)), call(Fraction(25)), call(Fraction(60000, 1001))
    ('23.976', '25', '59.94')
    """
    return f"{float(rate):.3f}".rstrip("0").rstrip(".")


def rate_or_problem(text: str) -> Fraction:
    """The rate a person chose, or a :class:`Problem` with a sentence."""
    try:
        return _frame_rate(text)
    except ValueError as error:
        raise Problem(f"That frame rate does not work: {error}.") from None
