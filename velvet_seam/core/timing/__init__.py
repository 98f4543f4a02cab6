"""Frame rates, spelling of times, and values that move over time."""
