"""The rules of the work and its computation. No interface, no database, no web."""

import os
import sys

from llvmlite import binding

# Where a processor has AVX-512, LLVM still prefers half of its width, for the sake of code in which few
# instructions are vectors. In the kernels nearly all are: they take a tenth less time at the full width.
_features = binding.get_host_cpu_features()
if _features.get("avx512f"):
    os.environ.setdefault("NUMBA_CPU_FEATURES", _features.flatten() + ",-prefer-256-bit")
    if "numba" in sys.modules:
        sys.modules["numba"].config.reload_config()
