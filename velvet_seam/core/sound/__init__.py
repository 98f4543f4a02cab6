"""Sound: decoded to one rate, mixed to the sample."""
