"""Compiled kernels, kept by what they were compiled from.

Numba's own cache goes by a source file's place, and looks at no function that a kernel calls. Here the name
of what is kept is a digest of the kernel's code, of everything it calls and every constant it reads, of the
types it is called with, of the compiler and of the processors it is for. So a second clone, another commit and
an automatic test compile only what really changed, and nothing old is ever taken for new. What is kept lies in
the user's own cache folder; an entry that is damaged, or that another user could have written, is passed over.

Two processes do not compile one kernel at the same time: the second waits and takes what the first has made.
"""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
import os
import pickle
import sys
import time
import types
from collections.abc import Callable, Iterator
from functools import cache
from pathlib import Path
from typing import Any

import llvmlite
import numba as nb
import numpy as np
from numba.core import caching, compiler, serialize

FORM = 1
"""Of the files; another one is another folder."""

LONGEST = 120.0
"""Seconds to wait for another process that compiles the same; then one does it beside it."""

_DIGEST = 32


def kernel(*, parallel: bool = False) -> Callable[[Callable[..., Any]], Any]:
    """Compile a function on its first call with arrays of some types, or take what was kept of it.

    It runs without Python's lock, divides as NumPy does, and uses all threads where it is ``parallel``.

    >>> @kernel()
    ... def twice(values):
    ...     return 2 * values
    >>> twice(21.0)
    42.0
    """

    def made(function: Callable[..., Any]) -> Any:
        compiled: Any = nb.njit(nogil=True, error_model="numpy", parallel=parallel)(function)
        compiled._cache = Kept(compiled)
        return compiled

    return made


@cache
def folder() -> Path | None:
    """Where compiled kernels lie; None where the user has no such place."""
    home = os.environ.get("XDG_CACHE_HOME") or os.path.expanduser("~/.cache")
    versions = (
        f"{nb.__version__}-{llvmlite.__version__}-{sys.version_info.major}.{sys.version_info.minor}"
    )
    place = Path(home) / "velvet-seam" / f"kernels-{FORM}-{versions}"
    try:
        place.mkdir(parents=True, exist_ok=True, mode=0o700)
        mine = place.stat().st_uid == os.getuid() and os.access(place, os.W_OK)
    except OSError:
        return None
    return place if mine else None


class Kept(caching._Cache):  # type: ignore[misc]
    """What is kept of one kernel, an entry for each set of types; Numba asks it before it compiles."""

    def __init__(self, compiled: Any) -> None:
        self._compiled = compiled
        self._on = True
        self._locks: dict[Path, int] = {}

    @property
    def cache_path(self) -> str:
        return str(folder() or "")

    def load_overload(self, sig: Any, target_context: Any) -> Any:
        """A kernel compiled before for these types; None, and nobody else compiles it meanwhile."""
        place = folder()
        if not self._on or place is None:
            return None
        target_context.refresh()
        entry = place / self._name(sig, target_context.codegen())
        found = self._read(entry, target_context)
        if found is None and self._lock(entry):
            found = self._read(entry, target_context)  # somebody has made it while one waited
            if found is not None:
                self._unlock(entry)
        return found

    def save_overload(self, sig: Any, data: Any) -> None:
        place = folder()
        if not self._on or place is None:
            return
        entry = place / self._name(sig, data.codegen)
        if not data.library.has_dynamic_globals and all(one.can_cache for one in data.lifted):
            with contextlib.suppress(OSError):  # a full disk: it is compiled anew the next time
                _write(entry, serialize.dumps(data._reduce()))
        self._unlock(entry)

    def enable(self) -> None:
        self._on = True

    def disable(self) -> None:
        self._on = False

    def flush(self) -> None:
        """Nothing is dropped: what is stale has another name."""

    def _name(self, sig: Any, codegen: Any) -> str:
        whole = hashlib.sha256(content_of(self._compiled))
        whole.update(repr((str(sig), codegen.magic_tuple())).encode())
        return f"{self._compiled.py_func.__name__}-{whole.hexdigest()[:40]}"

    def _read(self, entry: Path, target_context: Any) -> Any:
        try:
            with entry.open("rb") as file:
                told = os.fstat(file.fileno())
                if told.st_uid != os.getuid() or told.st_mode & 0o022:
                    return None
                data = file.read()
            if hashlib.sha256(data[_DIGEST:]).digest() != data[:_DIGEST]:
                raise ValueError("not what was written")
            with contextlib.suppress(OSError):
                os.utime(entry)  # it is still asked for
            payload = pickle.loads(data[_DIGEST:])  # our own, unchanged: see above
            return compiler.CompileResult._rebuild(target_context, *payload)
        except FileNotFoundError:
            return None
        except Exception:  # whatever is wrong with it, it is compiled anew
            with contextlib.suppress(OSError):
                entry.unlink()
            return None

    def _lock(self, entry: Path) -> bool:
        if entry in self._locks:
            return False
        try:
            file = os.open(f"{entry}.lock", os.O_CREAT | os.O_RDWR | os.O_CLOEXEC, 0o600)
        except OSError:
            return False
        end = time.monotonic() + LONGEST
        while time.monotonic() < end:
            with contextlib.suppress(OSError):
                fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
                break
            time.sleep(0.02)
        self._locks[entry] = file
        return True

    def _unlock(self, entry: Path) -> None:
        file = self._locks.pop(entry, None)
        if file is not None:
            with contextlib.suppress(OSError):
                os.unlink(f"{entry}.lock")
            os.close(file)


def _write(path: Path, data: bytes) -> None:
    part = path.with_name(f".{path.name}.{os.getpid()}")
    try:
        file = os.open(part, os.O_CREAT | os.O_WRONLY | os.O_TRUNC, 0o600)
        with os.fdopen(file, "wb") as out:
            out.write(hashlib.sha256(data).digest())
            out.write(data)
        os.replace(part, path)
    except OSError:
        part.unlink(missing_ok=True)
        raise


def content_of(compiled: Any) -> bytes:
    """A digest of a compiled function's code, of all that it calls and of every constant that it reads.

    Comments, places in a file and names of variables do not matter.

    Raises:
        TypeError: where it reads something of which it cannot be told whether it has changed.
    """
    known: dict[int, int] = {}
    return hashlib.sha256("\n".join(_words(compiled, known)).encode()).digest()


def _words(thing: Any, known: dict[int, int]) -> Iterator[str]:
    """What a thing that a kernel refers to is made of, in a fixed order."""
    if id(thing) in known:  # also of functions that call each other
        yield f"again {known[id(thing)]}"
        return
    known[id(thing)] = len(known)
    if hasattr(thing, "py_func"):
        yield repr(sorted((key, repr(value)) for key, value in thing.targetoptions.items()))
        yield from _words(thing.py_func, known)
    elif isinstance(thing, types.FunctionType):
        yield thing.__name__
        yield from (word for one in (thing.__defaults__ or ()) for word in _words(one, known))
        cells = [cell.cell_contents for cell in thing.__closure__ or ()]
        yield from (word for cell in cells for word in _words(cell, known))
        yield from _code_words(thing.__code__, thing.__globals__, known)
    elif isinstance(thing, np.ndarray):
        yield f"{thing.dtype} {thing.shape} {hashlib.sha256(thing.tobytes()).hexdigest()}"
    elif isinstance(thing, tuple):
        yield f"tuple {len(thing)}"
        yield from (word for one in thing for word in _words(one, known))
    elif hasattr(thing, "_defn"):  # an intrinsic of ours
        yield from _words(thing._defn, known)
    elif isinstance(thing, type | types.BuiltinFunctionType | np.ufunc):
        yield f"{getattr(thing, '__module__', '')}.{thing.__name__}"
    elif thing is None or isinstance(thing, bool | int | float | str | np.generic | np.dtype):
        del known[id(thing)]  # small values are shared, and are what they say
        yield f"{type(thing).__name__} {thing!r}"
    elif isinstance(thing, types.ModuleType):
        yield f"module {thing.__name__}"
    elif isinstance(thing, nb.types.Type):
        yield f"numba {thing}"
    else:
        yield _named(thing)


def _named(thing: Any) -> str:
    """Something of a library, which is what its name says as long as the library's version is the same."""
    module, name = str(getattr(thing, "__module__", "")), getattr(thing, "__name__", "")
    if module.partition(".")[0] in ("numba", "numpy", "math", "builtins") and name:
        return f"{module}.{name}"
    raise TypeError(f"it cannot be told whether {thing!r} changes: a kernel refers to it")


def _code_words(
    code: types.CodeType, around: dict[str, Any], known: dict[int, int]
) -> Iterator[str]:
    yield code.co_code.hex()
    yield repr((code.co_argcount, code.co_nlocals, code.co_flags))
    for n, constant in enumerate(code.co_consts):
        if isinstance(constant, types.CodeType):
            yield from _code_words(constant, around, known)
        elif n > 0 or not isinstance(constant, str):  # else it is a docstring
            yield f"{type(constant).__name__} {constant!r}"
    for name in code.co_names:
        yield name
        if name not in around:
            continue
        held = around[name]
        yield from _words(held, known)
        if isinstance(held, types.ModuleType) and held.__name__.startswith("velvet_seam."):
            for other in code.co_names:  # what it may take from a module of ours
                if hasattr(held, other):
                    yield from _words(getattr(held, other), known)
