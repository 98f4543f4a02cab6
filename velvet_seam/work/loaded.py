"""What processes for work have loaded when they begin: imported in the one that they are forked from."""

import gc

from velvet_seam.work import look, mixer, painter, run  # noqa: F401
from velvet_seam.work.jobs import JOBS

for _kind in JOBS:
    _kind.load()

# what is there by now stays: looking through it for garbage would make each process copy its pages
gc.collect()
gc.freeze()
