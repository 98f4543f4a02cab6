"""Text as coverage: lines broken and set in the families that are shipped, shaped by HarfBuzz.

A family is cut into parts by script; a run of signs is set in the first part that has them. A sign that no part has is
drawn as the font draws what it lacks. Places of letters are lengths of what stands before them, so that kerning and
ligatures count.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

FOLDER = Path(__file__).parents[1] / "letters"
FAMILIES: dict[str, tuple[str, tuple[str, ...]]] = {
    "sans": ("figtree", ("latin", "latin-ext")), "serif": ("fraunces", ("latin", "latin-ext")),
    "hand": ("caveat", ("latin", "latin-ext", "cyrillic")), "condensed": ("oswald", ("latin", "latin-ext", "cyrillic")),
    "mono": ("jetbrains-mono", ("latin", "latin-ext", "cyrillic", "greek")),
}  # fmt: skip
"""By what they are like: the file's name and its parts. All under the SIL Open Font License."""

LARGEST = 1600.0
"""Size in pixels at which letters are drawn at most; larger ones are enlarged."""

MEASURED = 256.0
"""Size at which letters are measured, so that lines break alike however large the picture is made."""

FINER, MOST_FINER = 6, 16
"""Letters are drawn so many times as large and shrunk, for each is drawn on whole pixels only: in a text that grows or is
spread they would go from one to the next at different times, and dance. Small ones more often, as many as it takes to be
drawn at :data:`SMALLEST`."""

SMALLEST = 72.0
"""Size in pixels at which letters are drawn at least: smaller ones lie where they do in a large picture."""

ROOM = 1_600_000
"""Pixels of lines of letters, length times size, drawn larger: what takes more is drawn less large, but twice as large
where it takes no more than that as it is."""

WORDS = re.compile(r" *[^ ]+ *| +")

_LACKING = "\U0010fffe"


@dataclass(frozen=True)
class Setting:
    """How text is set. Lengths in pixels: ``tracking`` between letters, ``box`` the width at which lines break, or 0;
    ``leading`` from line to line, in sizes; ``align`` −1 left, 0 centred, 1 right."""

    family: str
    size: float
    weight: float
    tracking: float
    leading: float
    align: int
    box: float


@dataclass(frozen=True)
class Line:
    """A line: its text, where each sign begins and the last one ends, and the words by the number of each sign."""

    text: str
    places: tuple[float, ...]

    @property
    def width(self) -> float:
        return self.places[-1]


@lru_cache(maxsize=256)
def _font(file: str, part: str, size: float, weight: float) -> ImageFont.FreeTypeFont:
    font = ImageFont.truetype(
        str(FOLDER / f"{file}-{part}.woff2"), size, layout_engine=ImageFont.Layout.RAQM
    )
    at = []
    for axis in font.get_variation_axes():
        least, most = float(axis["minimum"] or 0), float(axis["maximum"] or 0)
        own = weight if axis["name"] == b"Weight" else float(axis["default"] or 0)
        at.append(min(max(own, least), most))
    font.set_variation_by_axes(at)
    return font


@lru_cache(maxsize=8192)
def _has(file: str, part: str, sign: str) -> bool:
    """Whether a part of a family has a sign: it is drawn otherwise than one that no font has."""
    font = _font(file, part, 32.0, 400.0)
    if not sign.strip():
        return True
    own, none = font.getmask(sign), font.getmask(_LACKING)
    return bool(own.size != none.size or bytes(own) != bytes(none))


def lacking(text: str, family: str) -> list[str]:
    """The signs of a text that a family has no glyph for, each once.

    >>> lacking("Tonight — héllo", "sans"), lacking("moth 🦋", "sans")
    ([], ['🦋'])
    """
    file, parts = FAMILIES[family]
    return [
        s
        for s in dict.fromkeys(text)
        if s.isprintable() and not any(_has(file, p, s) for p in parts)
    ]


def _runs(text: str, family: str) -> list[tuple[str, str]]:
    """A text in runs, each with the part that has its signs."""
    file, parts = FAMILIES[family]
    found: list[tuple[str, str]] = []
    for sign in text:
        last = found[-1][0] if found else parts[0]
        # spaces and marks stay with what they follow
        part = (
            last
            if not sign.isalnum() and _has(file, last, sign)
            else next((p for p in parts if _has(file, p, sign)), last)
        )
        if found and found[-1][0] == part:
            found[-1] = part, found[-1][1] + sign
        else:
            found.append((part, sign))
    return found


def _places(text: str, setting: Setting) -> tuple[float, ...]:
    """Where each sign of a line begins, and where the last one ends."""
    per = setting.size / MEASURED
    measured = _measured(text, setting.family, setting.weight)
    return tuple(per * place + setting.tracking * n for n, place in enumerate(measured))


@lru_cache(maxsize=512)
def _measured(text: str, family: str, weight: float) -> tuple[float, ...]:
    """The same at the size at which letters are measured, with nothing between them. Two signs are brought together by a
    font through the length of the first: where the second begins is what both take, less its own length."""
    file, _ = FAMILIES[family]
    places: list[float] = []
    x = 0.0
    for part, run in _runs(text, family):
        font = _font(file, part, MEASURED, weight)
        places += [
            x + font.getlength(run[: n + 1]) - font.getlength(run[n]) for n in range(len(run))
        ]
        x += font.getlength(run)
    return (*places, x)


def lines_of(text: str, setting: Setting) -> list[Line]:
    """A text in lines: broken where it says so, and at spaces where the box ends."""
    found: list[Line] = []
    for paragraph in text.split("\n"):
        words, line = paragraph.split(" "), ""
        for word in words:
            longer = f"{line} {word}" if line else word
            if setting.box > 0 and line and _places(longer, setting)[-1] > setting.box:
                found.append(Line(line, _places(line, setting)))
                line = word
            else:
                line = longer
        found.append(Line(line, _places(line, setting)))
    return found


@lru_cache(maxsize=32)
def lettered(
    text: str, setting: Setting, size: tuple[int, int], outline: float = 0.0
) -> NDArray[np.uint8]:
    """The coverage of a text in the middle of a picture of some width and height, grown by an ``outline``: (h, w)."""
    made = np.zeros((size[1], size[0]), np.uint8)
    lines = laid(text, setting, size)
    more = _finer(setting.size, sum(max(line.places) for _, _, line in lines) * setting.size)
    for x, y, line in lines:
        for place, signs, part in _drawn_at_once(line, setting):
            font = _font(FAMILIES[setting.family][0], part, setting.size * more, setting.weight)
            box = font.getbbox(signs, stroke_width=outline * more, anchor="ls")
            (begin, above), (end, below) = (
                np.floor(box[:2]).astype(int),
                np.ceil(box[2:]).astype(int),
            )
            if end > begin and below > above:
                plane = Image.new("L", (end - begin, below - above))
                ImageDraw.Draw(plane).text(
                    (-begin, -above), signs, 255, font, "ls", stroke_width=outline * more
                )
                left, top = round((x + place) * more) + begin, round(y * more) + above
                _lay(made, np.asarray(plane), (left, top), more)
    made.flags.writeable = False
    return made


def _finer(size: float, pixels: float) -> int:
    """How many times as large letters of a size are drawn, that take so many pixels.

    >>> _finer(120.0, 100_000), _finer(12.0, 40_000), _finer(120.0, 500_000), _finer(1200.0, 900_000)
    (4, 6, 2, 1)
    >>> _finer(120.0, 70_000_000)
    1
    """
    wanted = max(FINER, min(int(np.ceil(SMALLEST / size)), MOST_FINER))
    least = 2 if pixels <= ROOM else 1
    return max(1, min(wanted, max(least, int(np.sqrt(ROOM / max(pixels, 1)))), int(LARGEST / size)))


def _drawn_at_once(line: Line, setting: Setting) -> Iterator[tuple[float, str, str]]:
    """What of a line is drawn in one go: from where on, the signs, and the part of the family that has them. That is a
    word, for a font counts in whole pixels from one sign to the next; where there is tracking, a sign."""
    number = 0
    for part, run in _runs(line.text, setting.family):
        for signs in run if setting.tracking else WORDS.findall(run):
            yield line.places[number], signs, part
            number += len(signs)


def _lay(made: NDArray[np.uint8], drawn: NDArray[np.uint8], at: tuple[int, int], more: int) -> None:
    """Lay coverage that was drawn ``more`` times as large over what is there, from a left and top in its own pixels on."""
    (left, right), (top, bottom) = (
        (begin // more, -(-(begin + long) // more))
        for begin, long in zip(at, drawn.shape[::-1], strict=True)
    )
    wide = np.zeros(((bottom - top) * more, (right - left) * more), np.uint8)
    beside, above = at[0] - left * more, at[1] - top * more
    wide[above : above + drawn.shape[0], beside : beside + drawn.shape[1]] = drawn
    small = cv2.resize(wide, (right - left, bottom - top), interpolation=cv2.INTER_AREA)
    rows = slice(max(0, top), min(bottom, made.shape[0]))
    columns = slice(max(0, left), min(right, made.shape[1]))
    if rows.start < rows.stop and columns.start < columns.stop:
        seen = small[rows.start - top : rows.stop - top, columns.start - left : columns.stop - left]
        below = made[rows, columns]
        cv2.add(below, np.asarray(cv2.multiply(seen, 255 - below, scale=1 / 255)), dst=below)


@lru_cache(maxsize=32)
def laid(
    text: str, setting: Setting, size: tuple[int, int]
) -> tuple[tuple[float, float, Line], ...]:
    """Every line with the left end of its base line."""
    lines = lines_of(text, setting)
    file, parts = FAMILIES[setting.family]
    measured = _font(file, parts[0], MEASURED, setting.weight).getmetrics()
    up, down = (one * setting.size / MEASURED for one in measured)
    step = setting.leading * setting.size
    box = setting.box or max((line.width for line in lines), default=0.0)
    top = size[1] / 2 - (step * (len(lines) - 1) + up + down) / 2 + up
    left = size[0] / 2 - box / 2
    return tuple(
        (left + (box - line.width) * (setting.align + 1) / 2, top + step * n, line)
        for n, line in enumerate(lines)
    )


def shown(
    text: str, setting: Setting, size: tuple[int, int], reveal: tuple[str, float, float],
    box: tuple[int, int, int, int],
) -> NDArray[np.float32]:  # fmt: skip
    """How much of each pixel's sign is revealed, 0 to 1, over a part of the picture: (height, width) float32.

    Args:
        reveal: by ``letters``, ``words`` or ``lines``; how much of the text is revealed, 0 to 1; over how many of them
            the reveal is spread.
        box: left, top, width, height of the part, pixels.
    """
    by, part, soft = reveal
    left, above, width, height = box
    out = np.zeros((height, width), np.float32)
    lines = laid(text, setting, size)
    numbers, count = _numbers([line.text for _, _, line in lines], by)
    reach = part * (count + soft)
    step = setting.leading * setting.size
    for (x, y, line), own in zip(lines, numbers, strict=True):
        top, bottom = int(y - 0.95 * step) - above, int(np.ceil(y + 0.42 * step)) - above
        for n in range(len(line.text)):
            level = min(max((reach - own[n]) / max(soft, 1e-3), 0.0), 1.0)
            # the first and the last sign reach beyond their own width
            before = setting.size if n == 0 else 0
            after = setting.size if n + 1 == len(line.text) else 0
            first = int(np.floor(x + line.places[n] - before)) - left
            last = int(np.ceil(x + line.places[n + 1] + after)) - left
            piece = out[max(0, top) : max(0, bottom), max(0, first) : max(0, last)]
            np.maximum(piece, np.float32(level), out=piece)
    return out


def _numbers(lines: list[str], by: str) -> tuple[list[list[int]], int]:
    """The number of each sign's letter, word or line, and how many there are."""
    found: list[list[int]] = []
    at = 0
    for line in lines:
        own: list[int] = []
        for n, sign in enumerate(line):
            if (by == "letters" and sign != " ") or (
                by == "words" and sign != " " and (n == 0 or line[n - 1] == " ")
            ):
                at += 1
            own.append(at if by == "lines" else max(0, at - 1))
        found.append(own)
        if by == "lines":
            at += 1
    return found, max(at, 1)
