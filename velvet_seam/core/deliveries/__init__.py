"""Forms of file that a shot is written as. Each is a file of its own."""

from __future__ import annotations

from typing import Annotated

from velvet_seam.core.deliveries.base import Form, PartWriter, Quality
from velvet_seam.core.deliveries.master import Master
from velvet_seam.core.deliveries.post import Post
from velvet_seam.core.deliveries.stills import Stills
from velvet_seam.core.words import OneOf

__all__ = ["FORMS", "Form", "FormName", "PartWriter", "Quality", "form_of"]

FORMS: tuple[Form, ...] = (Post(), Master(), Stills())
"""All of them, in the order in which they are offered; a new one is named here."""

_BY_NAME = {form.name: form for form in FORMS}


def form_of(name: str) -> Form:
    """The form of a name.

    >>> form_of("master").suffix
    '.mov'
    """
    return _BY_NAME[name]


FormName = Annotated[str, OneOf(_BY_NAME, "a shot cannot be written as “{}”")]
"""The name of one of them."""
