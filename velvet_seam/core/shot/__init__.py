"""The document: a shot with its layers, seams and sounds, and the edits that change it."""
