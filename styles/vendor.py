"""Copies the fonts, scripts and icons that ship with the application out of node_modules."""

import re
import shutil
from pathlib import Path

HERE = Path(__file__).parent
MODULES = HERE / "node_modules"
STATIC = HERE.parent / "velvet_seam" / "web" / "static"

ICONS = [
    "undo-2",
    "redo-2",
    "plus",
    "eye",
    "eye-off",
    "copy",
    "trash-2",
    "play",
    "pause",
    "repeat",
    "volume-2",
    "volume-x",
    "image",
    "film",
    "audio-lines",
    "download",
    "x",
    "check",
    "triangle-alert",
    "circle-check",
    "circle-x",
    "rotate-cw",
    "maximize",
    "scan",
    "flip-horizontal-2",
    "flip-vertical-2",
    "pipette",
    "square-dashed",
    "headphones",
    "upload",
    "skip-back",
    "palette",
    "clapperboard",
    "pencil",
    "dot",
    "lock",
    "lock-open",
    "split",
    "crosshair",
    "chevron-down",
    "arrow-up",
    "arrow-down",
    "layout-grid",
    "arrow-up-down",
    "smartphone",
    "contrast",
    "search",
    "replace",
    "film",
    "folder-open",
    "group",
    "ungroup",
    "log-in",
    "corner-left-up",
    "move",
    "rewind",
    "snowflake",
    "sun",
]

OWN = {
    "knot": '<path d="M1 12h5M18 12h5"/><circle cx="12" cy="12" r="6"/>',
    "knot-plus": '<path d="M1 15h4M15 15h4M19 3v8M15 7h8"/><circle cx="10" cy="15" r="5"/>',
}
"""Drawn for this application: a knot on a thread."""

FILES = {
    "htmx.org/dist/htmx.min.js": "vendor/htmx.min.js",
    "@alpinejs/csp/dist/cdn.min.js": "vendor/alpine-csp.min.js",
    "@fontsource-variable/figtree/files/figtree-latin-wght-normal.woff2": "fonts/figtree.woff2",
    "@fontsource-variable/fraunces/files/fraunces-latin-wght-normal.woff2": "fonts/fraunces.woff2",
    "@fontsource-variable/figtree/LICENSE": "fonts/figtree-LICENSE.txt",
    "@fontsource-variable/fraunces/LICENSE": "fonts/fraunces-LICENSE.txt",
    "lucide-static/LICENSE": "icons-LICENSE.txt",
    "htmx.org/LICENSE": "vendor/htmx-LICENSE.txt",
}


def sprite() -> str:
    symbols = []
    for name in ICONS:
        svg = (MODULES / "lucide-static" / "icons" / f"{name}.svg").read_text()
        inner = re.search(r"<svg[^>]*>(.*)</svg>", svg, re.S)
        assert inner, name
        body = " ".join(inner[1].split())
        symbols.append(f'<symbol id="{name}" viewBox="0 0 24 24">{body}</symbol>')
    symbols += [
        f'<symbol id="{name}" viewBox="0 0 24 24">{body}</symbol>' for name, body in OWN.items()
    ]
    return '<svg xmlns="http://www.w3.org/2000/svg">' + "\n".join(symbols) + "</svg>\n"


for source, target in FILES.items():
    path = STATIC / target
    path.parent.mkdir(parents=True, exist_ok=True)
    shutil.copyfile(MODULES / source, path)
LETTERS = HERE.parent / "velvet_seam" / "core" / "letters"
FAMILIES = {
    "figtree": ("latin", "latin-ext"), "fraunces": ("latin", "latin-ext"),
    "caveat": ("latin", "latin-ext", "cyrillic"), "oswald": ("latin", "latin-ext", "cyrillic"),
    "jetbrains-mono": ("latin", "latin-ext", "cyrillic", "greek"),
}  # fmt: skip
"""Families that text is set in, with the parts that each is cut into."""
for family, parts in FAMILIES.items():
    source = MODULES / "@fontsource-variable" / family
    LETTERS.mkdir(exist_ok=True)
    for part in parts:
        name = f"{family}-{part}-wght-normal.woff2"
        shutil.copyfile(source / "files" / name, LETTERS / f"{family}-{part}.woff2")
    shutil.copyfile(source / "LICENSE", LETTERS / f"{family}-LICENSE.txt")
(STATIC / "icons.svg").write_text(sprite())
