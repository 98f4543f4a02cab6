"""From a measured colour to a matte: a new one, or a change of one that is there."""

from __future__ import annotations

from velvet_seam.core.picture.colour import LUMA_709
from velvet_seam.core.picture.screen import ScreenReading
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits import AddMatte, Edit, SetValues
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.matte import ColourKey, LumaKey, Matte, ScreenKey
from velvet_seam.core.shot.words import colour_to_rgb, rgb_to_colour
from velvet_seam.store.folder import new_id

MOST_SAMPLES, MOST_AREAS = 24, 8
_REACH = 14.0
"""Per cent of luma on each side of a sample that a luma key takes in."""


def screen_words(reading: ScreenReading) -> str:
    """What was found along the border, for a person."""
    part = f"{reading.share:.0%} of the border"
    if not reading.share:
        return (
            "No screen was found: the border of this layer is grey, black or white. Drag over an area of the "
            "screen in the picture, or take the key away."
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


def luma_range(colour: tuple[float, float, float]) -> tuple[float, float]:
    """Levels, in %, that keep a sampled brightness; at the ends of the scale the side is open.

    >>> luma_range((250, 250, 250)), luma_range((5, 5, 5))
    ((84.0, 100.0), (0.0, 16.0))
    """
    luma = sum(w * c for w, c in zip(LUMA_709, colour, strict=True)) / 2.55
    low, high = luma - _REACH, luma + _REACH
    return (0.0 if luma < 30 else float(round(low)), 100.0 if luma > 70 else float(round(high)))


def mean_colour(colours: tuple[str, ...]) -> str:
    """The mean of some colours, channel by channel.

    >>> mean_colour(("#102030", "#304050"))
    '#203040'
    """
    channels = zip(*(colour_to_rgb(one) for one in colours), strict=True)
    red, green, blue = (sum(one) / len(colours) for one in channels)
    return rgb_to_colour(red, green, blue)


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
    measured, origin = rgb_to_colour(*colour), "border" if border else "area"
    if held is None:
        # pressing the button again measures the screen again rather than keying twice
        held = (
            next((m for m in layer.seam.matte if isinstance(m, ScreenKey)), None)
            if kind == "screen-key"
            else None
        )
    at = f"seam.matte.{held.id}" if held else ""
    match held:
        case ScreenKey():
            samples: tuple[str, ...] = ()
            if more:
                samples = (*(held.samples or (held.colour,)), measured)
                if len(samples) > MOST_AREAS:
                    raise Problem(
                        f"A screen colour is the mean of {MOST_AREAS} areas at most. Nothing was changed."
                    )
                measured = mean_colour(samples)
            return SetValues(
                target=layer.id,
                values={
                    f"{at}.colour": measured,
                    f"{at}.colour_from": origin,
                    f"{at}.samples": samples,
                },
            )
        case ColourKey():
            if len(held.colours) >= MOST_SAMPLES:
                raise Problem(
                    f"A colour key holds {MOST_SAMPLES} samples at most. Nothing was changed."
                )
            return SetValues(target=layer.id, values={f"{at}.colours": (*held.colours, measured)})
        case LumaKey():
            low, high = luma_range(colour)
            return SetValues(target=layer.id, values={f"{at}.low": low, f"{at}.high": high})
    new: Matte
    if kind == "colour-key":
        new = ColourKey(id=new_id("k"), colours=(measured,))
    elif kind == "luma-key":
        low, high = luma_range(colour)
        new = LumaKey(id=new_id("k"), low=low, high=high)
    else:
        new = ScreenKey(id=new_id("k"), colour=measured, colour_from="border" if border else "area")
    return AddMatte(layer=layer.id, matte=new)
