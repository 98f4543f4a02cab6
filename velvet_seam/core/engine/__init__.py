"""The engine: a pure function from shot, frame and footage to a picture; plan, cache, evaluate."""
