"""What each blend does to the picture, in a sentence, and the groups of the blend wall."""

GROUPS: tuple[tuple[str, tuple[str, ...]], ...] = (
    ("Cover", ("normal", "atop", "xor")),
    ("Darken", ("multiply", "darken", "darker-colour", "color-burn", "linear-burn", "subtract")),
    ("Lighten", ("screen", "lighten", "lighter-colour", "color-dodge", "plus-lighter", "add", "divide")),
    ("Contrast", ("overlay", "soft-light", "hard-light", "vivid-light", "linear-light", "pin-light",
                  "hard-mix")),
    ("Difference", ("difference", "exclusion")),
    ("Colour", ("hue", "saturation", "color", "luminosity")),
    ("Cut-outs", ("keep-inside", "keep-outside", "keep-bright", "keep-dark")),
)  # fmt: skip

WORDS: dict[str, str] = {
    "normal": "Covers what lies below.",
    "atop": "Covers only where something lies below.",
    "xor": "Shows the layer where nothing lies below, and cuts what does.",
    "multiply": "White vanishes, black stays: ink, shadows, textures on paper.",
    "darken": "In each of red, green and blue the darker of the two.",
    "darker-colour": "The darker of the two, pixel by pixel, its colour whole.",
    "color-burn": "Darkens and deepens colour where the layer is dark.",
    "linear-burn": "Darkens evenly; mid grey takes away half.",
    "subtract": "Takes the layer's light away.",
    "screen": "Black vanishes, light stays: embers, flares, rain on black.",
    "lighten": "In each of red, green and blue the lighter of the two.",
    "lighter-colour": "The lighter of the two, pixel by pixel, its colour whole.",
    "color-dodge": "Lightens to a glow where the layer is light.",
    "plus-lighter": "Adds light and coverage, as two projectors would; good for cross-fades.",
    "add": "Adds the layer's light: brighter than screen, clips sooner.",
    "divide": "Lightens where the layer is dark; white changes nothing.",
    "overlay": "Darkens the dark and lightens the light of what lies below; grey changes nothing.",
    "soft-light": "The same, gently: a lamp of the layer's colour.",
    "hard-light": "Darkens where the layer is dark, lightens where it is light.",
    "vivid-light": "Burns where the layer is dark and dodges where it is light: strong contrast.",
    "linear-light": "Takes light away where the layer is dark, adds it where it is light.",
    "pin-light": "Replaces only what is lighter or darker than the layer.",
    "hard-mix": "Reduces to eight pure colours.",
    "difference": "How far the two are apart; where they agree, black. For lining up.",
    "exclusion": "The same with less contrast.",
    "hue": "The layer's hue, with the light and strength of what lies below.",
    "saturation": "The layer's strength of colour only.",
    "color": "The layer's colour with the light of what lies below.",
    "luminosity": "The layer's light with the colour of what lies below.",
    "keep-inside": "Keeps what lies below only where this layer is; the layer itself is not seen.",
    "keep-outside": "Cuts this layer's shape out of all that lies below.",
    "keep-bright": "Keeps what lies below as far as this layer is bright.",
    "keep-dark": "Keeps what lies below as far as this layer is dark or absent.",
}
"""A test holds that every blend has one."""

TITLES = {
    "color": "Colour",
    "color-burn": "Colour burn",
    "color-dodge": "Colour dodge",
    "xor": "Either, not both",
}


def title(name: str) -> str:
    """What a blend is called on screen.

    >>> title("soft-light"), title("color-dodge")
    ('Soft light', 'Colour dodge')
    """
    return TITLES.get(name, name.replace("-", " ").capitalize())
