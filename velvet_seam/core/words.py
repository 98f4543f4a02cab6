"""The small types every part of the document is made of."""

from __future__ import annotations

import itertools
import re
import unicodedata
from collections.abc import Collection
from typing import Annotated, Any, Literal

from pydantic import (
    AfterValidator,
    BaseModel,
    BeforeValidator,
    ConfigDict,
    Field,
    GetCoreSchemaHandler,
    GetJsonSchemaHandler,
)
from pydantic_core import CoreSchema, core_schema

Combine = Literal["add", "subtract", "intersect"]
"""How a matte or a mask joins those before it: what either covers, what the earlier ones cover and
this does not, what both cover."""

NAME_LENGTH = 120
_JOINERS = "\u200c\u200d"


class Part(BaseModel):
    """A frozen piece of the document; unknown fields are refused, so nothing is lost silently."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)


def kind_of(part: type[BaseModel]) -> str:
    """The word in ``kind`` that a kind of source, matte or mask goes by in the document."""
    return str(part.model_fields["kind"].default)


class OneOf:
    """Of a text in a document: one of some names, those of a family of kinds.

    >>> from pydantic import TypeAdapter
    >>> side = TypeAdapter(Annotated[str, OneOf(("left", "right"), "there is no side “{}”")])
    >>> side.validate_python("left"), side.json_schema()["enum"]
    ('left', ['left', 'right'])
    """

    def __init__(self, names: Collection[str], refused: str) -> None:
        self._names, self._refused = list(names), refused

    def _known(self, name: str) -> str:
        if name not in self._names:
            raise ValueError(self._refused.format(name[:40]))
        return name

    def __get_pydantic_core_schema__(
        self, source: Any, handler: GetCoreSchemaHandler
    ) -> CoreSchema:
        return core_schema.no_info_after_validator_function(self._known, handler(source))

    def __get_pydantic_json_schema__(
        self, schema: CoreSchema, handler: GetJsonSchemaHandler
    ) -> dict[str, Any]:
        return {**handler(schema), "enum": self._names}


def clean_name(given: str) -> str:
    """A name as it may be shown: no control signs, none that cannot be seen or that turn the direction of
    what follows, single spaces, no space at the ends.

    >>> clean_name("  moth \\n on\\tcard "), clean_name("fox\\u202egpj.\\u200b exe")
    ('moth on card', 'foxgpj. exe')
    """
    visible = "".join(
        " " if unicodedata.category(sign) in ("Cc", "Zl", "Zp", "Zs") else sign
        for sign in given
        if unicodedata.category(sign) not in ("Cs", "Cn", "Cf", "Co") or sign in _JOINERS
    )
    # joiners are part of some scripts and signs, but only between what they join
    joined = re.sub(
        r"(?<!\w)\u200c|\u200c(?!\w)|^\u200d+|\u200d+$|(?<=\s)\u200d|\u200d(?=\s)", "", visible
    )
    return " ".join(joined.split())


def copy_name(name: str, taken: Collection[str]) -> str:
    """A name for a copy that nothing else has.

    >>> copy_name("Fox", {"Fox"}), copy_name("Fox copy", {"Fox", "Fox copy"})
    ('Fox copy', 'Fox copy 2')
    """
    stem = re.sub(r" copy( \d+)?$", "", name)[: NAME_LENGTH - 12]
    names = itertools.chain([f"{stem} copy"], (f"{stem} copy {n}" for n in itertools.count(2)))
    return next(one for one in names if one not in taken)


def copy_free(name: str, taken: Collection[str]) -> str:
    """A name, with a number behind it where it is taken.

    >>> copy_free("Fog", {"Fog"}), copy_free("Fog", set())
    ('Fog 2', 'Fog')
    """
    names = itertools.chain([name], (f"{name} {n}" for n in itertools.count(2)))
    return next(one for one in names if one not in taken)


def _name(given: Any) -> Any:
    if not isinstance(given, str):
        raise ValueError("a name is text")
    name = clean_name(given)
    if not name:
        raise ValueError("a name has at least one letter")
    if len(name) > NAME_LENGTH:
        raise ValueError(f"a name has at most {NAME_LENGTH} characters, this one has {len(name)}")
    return name


def _lower(given: str) -> str:
    return given.lower()


Name = Annotated[str, BeforeValidator(_name)]
Id = Annotated[str, Field(pattern=r"^[a-z][a-z0-9-]{0,39}$")]
Colour = Annotated[str, Field(pattern=r"^#[0-9a-fA-F]{6}$"), AfterValidator(_lower)]
"""A display-referred sRGB colour, ``#rrggbb``."""


def colour_to_rgb(colour: str) -> tuple[int, int, int]:
    """Red, green and blue, 0 to 255.

    >>> colour_to_rgb("#6d1d40")
    (109, 29, 64)
    """
    return int(colour[1:3], 16), int(colour[3:5], 16), int(colour[5:7], 16)


def rgb_to_colour(red: float, green: float, blue: float) -> str:
    """The nearest ``#rrggbb`` of red, green and blue in 0 to 255.

    >>> rgb_to_colour(109.2, 28.7, 64)
    '#6d1d40'
    """
    return "#" + "".join(f"{min(255, max(0, round(c))):02x}" for c in (red, green, blue))
