"""Measurements of pictures and sounds."""
