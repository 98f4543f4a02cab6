"""Tables of colours as ``.cube`` files: 1D and 3D, with a domain, as they are exchanged between programs. Read only.

A keyword a line, then as many rows of three numbers as it says; comments begin with ``#``, anywhere.
"""

from __future__ import annotations

import math

import numpy as np

from velvet_seam.core.picture.cube import Cube
from velvet_seam.core.problem import Problem

MOST_BYTES = 24 << 20
LARGEST = {"LUT_1D_SIZE": 65_536, "LUT_3D_SIZE": 65}
_DOMAINS = {"DOMAIN_MIN": 0, "DOMAIN_MAX": 1}


def read_cube(data: bytes) -> tuple[Cube, str]:
    """A table, and its title where it has one.

    Raises:
        Problem: with a sentence that says what is wrong, and in which line.

    >>> rows = "\\n".join(f"{r} {g} {b}" for b in (0, 1) for g in (0, 1) for r in (0, 1))
    >>> read_cube(f'TITLE "Dusk"\\nLUT_3D_SIZE 2\\n{rows}'.encode())[1]
    'Dusk'
    """
    if len(data) > MOST_BYTES:
        raise Problem("That table is longer than 24 MB.")
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = data.decode("latin-1")
    if "\0" in text:
        raise Problem("That is not a .cube file: it is not text.")
    title, size, kind, rows = "", 0, "", list[list[float]]()
    domain: list[list[float]] = [[0.0] * 3, [1.0] * 3]
    for number, line in enumerate(text.splitlines(), 1):
        words = line.split("#", 1)[0].split()
        if not words:
            continue
        word = words[0].upper()
        if word == "TITLE":
            title = line.split(maxsplit=1)[1].strip().strip('"') if len(words) > 1 else ""
        elif word in LARGEST:
            if kind:
                raise Problem(f"Line {number}: the size of the table is said twice.")
            kind, size = word, _size(word, words[1:], number)
        elif word in _DOMAINS:
            domain[_DOMAINS[word]] = _three(words[1:], number)
        elif word in ("LUT_1D_INPUT_RANGE", "LUT_3D_INPUT_RANGE"):
            ends = _numbers(words[1:], 2, number)
            domain = [[ends[0]] * 3, [ends[1]] * 3]
        elif word[0].isalpha() and word not in ("NAN", "INF", "INFINITY"):
            continue  # other programs write keywords of their own
        else:
            rows.append(_three(words, number))
            if len(rows) > LARGEST["LUT_3D_SIZE"] ** 3:
                raise Problem(f"Line {number}: that table has too many rows.")
    return _cube(kind, size, rows, domain), title[:120]


def _cube(kind: str, size: int, rows: list[list[float]], domain: list[list[float]]) -> Cube:
    if not kind:
        raise Problem("That is not a .cube file: it does not say how large its table is.")
    wanted = size if kind == "LUT_1D_SIZE" else size**3
    if len(rows) != wanted:
        raise Problem(f"That table says it has {wanted} rows; there are {len(rows)}.")
    if any(high - low < 1e-6 for low, high in zip(*domain, strict=True)):
        raise Problem("The domain of that table ends before it begins.")
    values = np.array(rows, np.float32)
    if kind == "LUT_3D_SIZE":
        values = values.reshape(size, size, size, 3)
    low, high = ((one[0], one[1], one[2]) for one in domain)
    return Cube(np.ascontiguousarray(values), low, high)


def _size(word: str, words: list[str], number: int) -> int:
    most = LARGEST[word]
    if len(words) != 1 or not words[0].isdigit() or not 2 <= int(words[0]) <= most:
        raise Problem(f"Line {number}: {word} is a whole number from 2 to {most}.")
    return int(words[0])


def _three(words: list[str], number: int) -> list[float]:
    return _numbers(words, 3, number)


def _numbers(words: list[str], count: int, number: int) -> list[float]:
    try:
        found = [float(word) for word in words]
    except ValueError:
        found = []
    if len(found) != count or not all(math.isfinite(one) and abs(one) < 1e6 for one in found):
        raise Problem(
            f"Line {number}: there are to be {count} numbers, not “{' '.join(words)[:40]}”."
        )
    return found
