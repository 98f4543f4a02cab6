"""The rules of the work and its computation. No interface, no database, no web."""
