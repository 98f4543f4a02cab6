"""Files through PyAV and Pillow: what is in them, exact frames out of them, new ones written."""
