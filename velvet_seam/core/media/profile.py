"""Colour profiles of stills: a phone's photo counts in Display P3, a camera's perhaps in Adobe RGB, a press's in inks.
Without its profile it looks pale beside a clip of the same thing."""

from __future__ import annotations

from io import BytesIO

import numpy as np
from PIL import Image, ImageCms

from velvet_seam.core.damage import STILL_DAMAGE

NO_DIFFERENCE = 2
"""Of 255: a profile that changes no colour by more says what is taken for granted anyway."""

_MODES = {
    "RGB": ("RGB", "RGBA", "RGBX", "P", "PA"),
    "GRAY": ("L", "LA", "1"),
    "CMYK": ("CMYK",),
}
"""The modes of a picture that a profile of some colour space can speak of."""

_COUNTED_IN = {"RGB": "RGB", "GRAY": "L", "CMYK": "CMYK"}


def in_srgb(image: Image.Image) -> Image.Image:
    """A picture with its colours as sRGB counts them; itself where it has no profile, none that can be read, or one that
    says the same. Colours outside are brought to the nearest that can be shown (relative colorimetric, with the black
    point kept; ICC.1:2022)."""
    data = image.info.get("icc_profile")
    if not data:
        return image
    try:
        return _converted(image, ImageCms.ImageCmsProfile(BytesIO(data)))
    except (ImageCms.PyCMSError, *STILL_DAMAGE):
        return image


def _converted(image: Image.Image, profile: ImageCms.ImageCmsProfile) -> Image.Image:
    space = profile.profile.xcolor_space.strip()
    if image.mode not in _MODES.get(space, ()):
        return image
    mode = _COUNTED_IN[space]
    transform = ImageCms.buildTransform(
        profile,
        ImageCms.createProfile("sRGB"),
        mode,
        "RGB",
        ImageCms.Intent.RELATIVE_COLORIMETRIC,
        ImageCms.Flags.BLACKPOINTCOMPENSATION,
    )
    if mode != "CMYK" and _changes_nothing(transform, mode):
        return image
    seen = image.convert("RGBA") if image.has_transparency_data else image
    colour = ImageCms.applyTransform(seen.convert(mode), transform)
    assert colour is not None  # only in place there is nothing to give back
    if "A" in seen.getbands():
        colour.putalpha(seen.getchannel("A"))
    return colour


def _changes_nothing(transform: ImageCms.ImageCmsTransform, mode: str) -> bool:
    """Whether colours all over the cube stay as they are."""
    steps = np.arange(0, 256, 17 if mode == "L" else 51, dtype=np.uint8)
    colours = steps[None]
    if mode == "RGB":
        colours = np.stack(np.meshgrid(steps, steps, steps), -1).reshape(1, -1, 3)
    became = ImageCms.applyTransform(Image.fromarray(colours, mode), transform)
    was = np.asarray(Image.fromarray(colours, mode).convert("RGB"), np.int16)
    return bool(np.abs(np.asarray(became, np.int16) - was).max() <= NO_DIFFERENCE)
