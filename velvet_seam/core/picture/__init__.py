"""Pixels: colour, keys, masks, placement, blend. Pure functions on arrays."""

import os

import cv2

# OpenCV's own threads wait in a busy loop after each call and take the cores from Numba's, which
# made a parallel kernel up to fifty times slower here. The parallel work is all in the kernels.
cv2.setNumThreads(1)

# Numba's threads, too, must sleep while they wait: decoders, encoder and browser need the cores.
# Read when the first kernel runs, by the library that is loaded then.
os.environ.setdefault("OMP_WAIT_POLICY", "passive")
