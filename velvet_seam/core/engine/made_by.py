"""What pictures are made by: a digest of this program's own rules and kernels, and of the libraries below.

Two halves of one file must not come from two versions of the program. What is kept to be gone on with
later, such as the finished ranges of a render, is kept under this digest.
"""

from __future__ import annotations

import hashlib
from functools import cache
from importlib.metadata import version
from pathlib import Path

_CORE = Path(__file__).parents[1]
_RULES = (".py", ".npz", ".tflite")
"""Source, and numbers that were learnt."""

_LIBRARIES = ("av", "numba", "numpy", "opencv-python-headless", "pillow", "pydantic")


@cache
def made_by() -> str:
    """The digest, 32 hexadecimal digits; the same as long as nothing has changed.

    >>> len(made_by()), made_by() == made_by()
    (32, True)
    """
    return digest_of(_CORE, [f"{name} {version(name)}" for name in _LIBRARIES])


def digest_of(folder: Path, also: list[str]) -> str:
    """A digest of all rules below a folder, by name and content, and of some further words."""
    whole = hashlib.blake2b("\n".join(also).encode(), digest_size=16)
    for path in sorted(one for one in folder.rglob("*") if one.suffix in _RULES):
        whole.update(f"\n{path.relative_to(folder)}\n".encode())
        whole.update(path.read_bytes())
    return whole.hexdigest()
