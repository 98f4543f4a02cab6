"""Roto: what no key can tell, from rough strokes that say what to keep and what to drop."""
