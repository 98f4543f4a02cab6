"""Every frame as a lossless PNG, in one ZIP."""

from __future__ import annotations

import zipfile
from collections.abc import Callable, Sequence
from fractions import Fraction
from pathlib import Path
from types import TracebackType

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.deliveries.base import Form, PartWriter, Quality
from velvet_seam.core.media.still import png_bytes


class Stills(Form):
    """PNGs, named by the numbers of their frames."""

    name, label, suffix, media_type = "stills", "Stills", ".zip", "application/zip"
    says = "every frame as a lossless PNG, in one ZIP"
    short = "PNG stills"
    sounding = False

    def bits(self, quality: Quality) -> float:
        return 13.0

    def part(
        self, path: Path, first: int, size: tuple[int, int], rate: Fraction, quality: Quality
    ) -> PartWriter:
        return _Stills(path, first)

    def join(
        self, parts: Sequence[Path], path: Path, rate: Fraction, quality: Quality,
        sound: NDArray[np.float32] | None, check: Callable[[], None],
    ) -> None:  # fmt: skip
        unfinished = path.with_name(path.name + ".part")
        try:
            with zipfile.ZipFile(unfinished, "w") as whole:
                for file in parts:
                    with zipfile.ZipFile(file) as part:
                        for entry in part.infolist():
                            whole.writestr(entry, part.read(entry))
                    check()
            unfinished.replace(path)
        finally:
            unfinished.unlink(missing_ok=True)


class _Stills:
    """A ZIP of stills that has its name only when it is complete."""

    def __init__(self, path: Path, first: int) -> None:
        self._path, self._number = path, first
        self._part = path.with_name(path.name + ".part")
        self._zip = zipfile.ZipFile(self._part, "w")

    def add(self, picture: NDArray[np.uint8]) -> None:
        self._zip.writestr(zipfile.ZipInfo(f"{self._number:06}.png"), png_bytes(picture))
        self._number += 1

    def finish(self) -> None:
        self._zip.close()
        self._part.replace(self._path)

    def __enter__(self) -> _Stills:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:  # fmt: skip
        self._zip.close()
        self._part.unlink(missing_ok=True)
