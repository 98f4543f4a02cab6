"""Pixels: colour, keys, masks, placement, blend. Pure functions on arrays."""

import cv2

# OpenCV's own threads wait in a busy loop after each call and take the cores from Numba's, which
# made a parallel kernel up to fifty times slower here. The parallel work is all in the kernels.
cv2.setNumThreads(1)
