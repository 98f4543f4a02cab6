"""The rules of the work and its computation. No interface, no database, no web."""

import os
import sys

from llvmlite import binding

# Kernels are compiled for a level of processors rather than for the one at hand: what is kept serves another
# machine as well, and both compute the same bits. The levels are those of the x86-64 psABI.
LEVELS = {
    "x86-64-v4": ("avx512f", "avx512bw", "avx512cd", "avx512dq", "avx512vl"),
    "x86-64-v3": ("avx2", "bmi", "bmi2", "f16c", "fma", "lzcnt", "movbe"),
}

# Where a processor has AVX-512, LLVM still prefers half of its width, for the sake of code in which few
# instructions are vectors. In the kernels nearly all are: they take a tenth less time at the full width.
_WIDE = "-prefer-256-bit"


def _level() -> str | None:
    features = binding.get_host_cpu_features()
    has = [name for name, needed in LEVELS.items() if all(features.get(one) for one in needed)]
    return "x86-64-v4" if len(has) == len(LEVELS) else "x86-64-v3" if "x86-64-v3" in has else None


if _found := _level():  # on other processors Numba goes by the one at hand
    os.environ.setdefault("NUMBA_CPU_NAME", _found)
    os.environ.setdefault("NUMBA_CPU_FEATURES", _WIDE if _found == "x86-64-v4" else "")
    if "numba" in sys.modules:
        sys.modules["numba"].config.reload_config()
