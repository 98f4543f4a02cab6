"""Pages, fragments, live pictures. It draws and sends; the rules are in core."""
