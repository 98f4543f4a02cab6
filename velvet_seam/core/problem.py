"""The errors that are meant for a person's eyes."""


class Problem(ValueError):  # noqa: N818 -- it is shown as a sentence, not as an error name
    """Something a person asked for cannot be done; ``str(problem)`` is the sentence to show.

    The sentence says what happened, in trade words, without a trace or an internal name.
    Whoever raises it has changed nothing.
    """


class Gone(Problem):
    """What was asked about is not there, or not there any more."""


class Full(Problem):
    """There is no room for it, on the disk or in memory."""


class Cancelled(Exception):  # noqa: N818 -- not an error
    """Raised by a callback that is told how far some work is, to end it; what is finished stays."""
