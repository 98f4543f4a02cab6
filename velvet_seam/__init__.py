"""Velvet Seam: a compositor for short social videos, in which nobody sees the seam."""
