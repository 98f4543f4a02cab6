"""The one error that is meant for a person's eyes."""


class Problem(ValueError):  # noqa: N818 -- it is shown as a sentence, not as an error name
    """Something a person asked for cannot be done; ``str(problem)`` is the sentence to show.

    The sentence says what happened, in trade words, without a trace or an internal name.
    Whoever raises it has changed nothing.
    """
