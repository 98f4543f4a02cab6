"""From a measured colour to a matte: a new one, or a change of one that is there."""

from __future__ import annotations

from velvet_seam.core.mattes import MATTES, Matte
from velvet_seam.core.picture.screen import ScreenReading
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits import AddMatte, Edit, SetValues
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.words import kind_of, rgb_to_colour
from velvet_seam.store.folder import new_id


def screen_words(reading: ScreenReading) -> str:
    """What was found along the border, for a person."""
    part = f"{reading.share:.0%} of the border"
    if not reading.share:
        return (
            "No coloured screen was found: the border of this layer is grey, black or white. Take this key away and key "
            "it by Ground, or drag over an area of a screen in the picture."
        )
    if not reading.found:
        return (
            f"No screen was found: the most common strong colour, on {part}, is not even enough to be "
            "one. Drag over an area of the screen in the picture, or take the key away."
        )
    said = f"Screen found on {part}, uneven by {reading.uneven:.1f} stops."
    if reading.second:
        other = rgb_to_colour(*reading.second)
        said += (
            f" There is a second one, {other}: key it by itself, and join both mattes by “both”."
        )
    return said


LIGHT_WORDS = "What is as bright as the border of this layer is dropped. Set both levels to taste, or drag over what to keep."


def keyed_by(
    layer: Layer, kind: str, held: Matte | None, colour: tuple[float, float, float], border: bool,
    more: bool = False,
) -> Edit:  # fmt: skip
    """The edit that keys a layer by a measured colour.

    Args:
        held: the matte to change; none adds one of ``kind``.
        border: the colour was measured along the border, not over an area.
        more: the area counts beside those that a screen's colour was measured over before.
    """
    if held is None and kind == "screen-key":
        # pressing the button again measures the screen again rather than keying twice
        held = next((one for one in layer.seam.matte if one.kind == kind), None)
    if held is not None and held.sampled:
        values = held.with_sample(colour, border, more)
        at = f"seam.matte.{held.id}"
        return SetValues(target=layer.id, values={f"{at}.{n}": new for n, new in values.items()})
    made = next((one for one in MATTES if one.sampled and kind_of(one) == kind), None)
    if made is None:
        raise Problem("There is no such key by a colour. Nothing was changed.")
    return AddMatte(layer=layer.id, matte=made.of_sample(new_id("k"), colour, border))
