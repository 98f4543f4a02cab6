"""A small picture of every kind there is, against the one that is kept: what is not meant to change, does not.

The pictures lie in ``goldens``, a sheet a family, with the names of its tiles. Where a change is meant, look at
what has changed and write them anew: ``python -m tests.core.test_goldens``.
"""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest
from PIL import Image

from velvet_seam.core.around import AROUND
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.engine.nested import Nested
from velvet_seam.core.looks import LOOKS
from velvet_seam.core.masks import MASKS
from velvet_seam.core.mattes import MATTES
from velvet_seam.core.passages import WAYS
from velvet_seam.core.picture.blends import NAMES
from velvet_seam.core.picture.planes import Planes
from velvet_seam.core.shot.motion import Stir
from velvet_seam.core.shot.seam import Edge
from velvet_seam.core.shot.shot import SCHEMA_VERSION, Shot, load
from velvet_seam.core.sources import SOURCES, SourceBase
from velvet_seam.core.timing.bounds import bounds_of
from velvet_seam.core.words import kind_of

FOLDER = Path(__file__).parent / "goldens"
WIDTH, HEIGHT, ACROSS = 120, 80, 6

Tiles = dict[str, np.ndarray]


class Drawn:
    """Footage that is drawn here: a card before a green wall, over 12 frames; the wall alone; a garden; a round paper."""

    width, height, moving, frames, length = WIDTH, HEIGHT, True, 12, Fraction(12, 25)
    in_planes, picture_size = False, (WIDTH, HEIGHT)

    def __init__(self, name: str) -> None:
        self.digest = f"drawn-{name}"
        self._name = name
        self.moving = name == "card"

    def frame_at(self, time: Fraction) -> int:
        return min(max(int(time * 25), 0), 11)

    def begins(self, number: int) -> Fraction:
        return Fraction(number, 25)

    def read_planes(self, number: int) -> Planes | np.ndarray:
        return self.read(number)

    @property
    def small(self) -> Drawn:
        return self

    def read(self, number: int) -> np.ndarray:
        y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
        out = np.full((HEIGHT, WIDTH, 4), 255, np.uint8)
        if self._name in ("card", "wall"):
            light = 1 - 0.25 * x / WIDTH
            out[..., 0], out[..., 1], out[..., 2] = 50 * light, 165 * light, 70 * light
            if self._name == "wall":
                return out
            soft = cv2.GaussianBlur(
                (np.hypot(x - 52 - number, y - 40) < 26).astype(np.float32), (0, 0), 1.2
            )
            card = np.stack([200 - 40 * y / HEIGHT, 90 + x * 0.8, 150 - y], -1)
            out[..., :3] = out[..., :3] * (1 - soft[..., None]) + card * soft[..., None]
            out[34:46, 48 + number : 60 + number, :3] = (20, 24, 60)
        elif self._name == "garden":
            out[..., 0], out[..., 1] = 255 * x / WIDTH, 255 * y / HEIGHT
            out[..., 2] = 127 + 120 * np.sin(x / 7) * np.cos(y / 9)
            out[10:30, 80:110, :3], out[55:70, 10:50, :3] = 250, 8
        else:
            part = np.clip(38 - np.hypot(x - 60, y - 40), 0, 20) / 20
            colour = np.stack([230 - x, 60 + x, 40 + 2 * y], -1).clip(0, 255)
            out[..., :3], out[..., 3] = np.rint(colour * part[..., None]), np.rint(255 * part)
        return out


def layer(name: str, shows: str, **more: Any) -> dict[str, Any]:
    return {
        "id": f"l-{name}", "name": name, "source": {"kind": "footage", "footage": f"f-{shows}"},
        "span": {"first": 0, "last": 11}, "place": {"x": WIDTH / 2, "y": HEIGHT / 2}, **more,
    }  # fmt: skip


def shot(*layers: dict[str, Any], **more: Any) -> Shot:
    canvas = {"width": WIDTH, "height": HEIGHT, "background": "#303848"}
    return Shot.model_validate(
        {"name": "s", "canvas": canvas, "rate": "25", "length": 12, "layers": layers, **more}
    )


def found(identity: str) -> Any:
    """Drawn footage, or a shot to lie in another one: a garden under a disc, on a clear canvas."""
    if identity != "s-inside":
        return Drawn(identity.removeprefix("f-"))
    small = {"place": {"x": 50, "y": 36, "scale": 60, "rotation": 10}}
    clear = {"width": WIDTH, "height": HEIGHT, "background": "none"}
    of = shot(layer("g", "garden", **small), layer("p", "paper"), canvas=clear)
    return Nested(of, lambda one: found(one).digest)


def seen(of: Shot, frame: int = 6) -> np.ndarray:
    engine = Engine(found)
    return engine.picture(engine.plan(of, frame))[..., :3].copy()


def over(**more: Any) -> np.ndarray:
    return seen(shot(layer("garden", "garden"), layer("top", more.pop("shows", "paper"), **more)))


KEYED = {"screen-key": {"colour": "#32a546"}, "colour-key": {"colours": ["#c85a96"]},
         "difference-key": {"plate": {"kind": "footage", "footage": "f-wall"}},
         "layer-matte": {"layer": "l-garden", "of": "brightness"},
         "roto": {"strokes": [{"frame": 6, "how": "keep", "width": 3, "points": [[-12, -10], [4, 12]]},
                              {"frame": 6, "how": "drop", "width": 3, "points": [[-56, -36], [56, -36], [56, 36], [-56, 36]]}]}}  # fmt: skip
ELSEWHERE = {"people"}
"""Mattes that find nothing in a drawing: tried on a photograph, in ``test_people.py``."""
CORNERS = [
    {"x": -40, "y": -25, "out_x": 20},
    {"x": 35, "y": -20},
    {"x": 10, "y": 30, "in_x": 20, "feather": 6},
]
SHAPES: dict[str, dict[str, Any]] = {
    "straight": {"x": 10}, "band": {"width": 40}, "oval": {"width": 60, "height": 40},
    "box": {"width": 70, "height": 36, "round": 12}, "star": {"radius": 34, "inner": 45, "points": 5},
    "drawn": {"outline": CORNERS},
}  # fmt: skip
WORKED = {
    "specks": 400,
    "holes": 400,
    "grow": 3,
    "feather": 8,
    "density": 40,
    "clean": 80,
    "steady": 80,
}
PULLED = {"top_left_x": 22, "top_left_y": 6, "top_right_x": -14, "bottom_right_y": -9}
DONE: dict[str, dict[str, Any]] = {
    "light": {"exposure": 0.6, "contrast": 30, "shadows": 30}, "balance": {"temperature": 40, "tint": 20},
    "curves": {"master": [[0, 0.1], [0.4, 0.25], [1, 0.95]], "red": [[0, 0], [0.5, 0.7], [1, 1]]},
    "saturation": {"saturation": 160}, "decision": {"slope_red": 1.3, "offset_blue": 0.1, "power_green": 0.7},
}  # fmt: skip
"""What parts of a look that do nothing by themselves are set to."""
STIRRED = {"shake": 30, "turn": 40, "jitter": 20, "flicker": 90}


MADE: dict[str, dict[str, Any]] = {
    "text": {"text": "Moth\nat nine", "size": 30, "outline": 1.5, "revealed": 70}, "clouds": {"size": 60},
    "particles": {"size": 5, "speed": 40, "count": 90}, "flash": {"at": 0.2, "what": "lightning"}, "bars": {"ratio": 3},
    "gradient": {"angle": 30}, "rays": {"count": 30}, "speed-lines": {"count": 30, "width": 3}, "scan-lines": {"every": 7.3},
    "paint": {"strokes": [{"points": [[-40, -20], [0, 15], [40, -10]], "width": 9}, {"points": [[-20, 0], [20, 0]], "width": 5, "erase": True}]}, "windows": {"gap": 6, "margin": 5, "radius": 4, "layout": "large and small"},
}  # fmt: skip
"""What generated sources are set to, on so small a canvas."""


def _below(kind: type[SourceBase]) -> list[dict[str, Any]]:
    return [layer("b", "garden")] if kind.adjusts or kind.moves else []


def _look(kind: type[SourceBase]) -> dict[str, Any]:
    return {"look": {"parts": [{"kind": "negative", "id": "p-a"}]}} if kind.adjusts else {}


def sources() -> Tiles:
    more = {
        "colour": {"colour": "#7090d0"},
        "footage": {"footage": "f-card"},
        "nested": {"footage": "s-inside"},
        "baked": {"footage": "f-paper", "of": "s-inside"},
        **MADE,
    }
    placed = {"camera": {"place": {"x": 70, "y": 45, "scale": 130, "rotation": 15}}}
    return {
        kind_of(kind): seen(shot(*_below(kind), layer("a", "card", **placed.get(kind_of(kind), {}), source={"kind": kind_of(kind), **more.get(kind_of(kind), {})}, **_look(kind))))
        for kind in SOURCES
    }  # fmt: skip


def mattes() -> Tiles:
    found = {}
    for kind in MATTES:
        name = kind_of(kind)
        if name in ELSEWHERE:
            continue
        matte = {"kind": name, "id": "k-a", **KEYED.get(name, {})}
        for word, more in (("", {}), (" turned", {"invert": True})):
            found[name + word] = over(shows="card", seam={"matte": [{**matte, **more}]})
    return found


def masks() -> Tiles:
    found = {}
    for kind in MASKS:
        name = kind_of(kind)
        mask = {"kind": name, "id": "m-a", "rotation": 20, "feather_in": 3, **SHAPES[name]}
        for use in ("limit", "garbage"):
            for fixed in ("layer", "canvas"):
                place = {"x": 66, "y": 44, "scale": 80, "rotation": -15}
                seam = {"masks": [{**mask, "use": use, "fixed": fixed}]}
                found[f"{name} {use} {fixed}"] = over(shows="card", place=place, seam=seam)
    return found


def blends() -> Tiles:
    found = {}
    for name in NAMES:
        found[name] = over(seam={"blend": name, "opacity": 80})
        both = (
            layer("garden", "garden"),
            layer("top", "paper", seam={"blend": name, "opacity": 80}),
        )
        found[f"{name} in light"] = seen(shot(*both, light="linear"))
    return found


def ways() -> Tiles:
    found = {way.name: over(arrive={"way": way.name, "frames": 10}) for way in WAYS}
    return found | {
        f"{way.name}, going": over(leave={"way": way.name, "frames": 9, "ease": "linear"})
        for way in WAYS
    }


def values() -> Tiles:
    key = {"kind": "screen-key", "id": "k-a", "colour": "#32a546"}
    found = {
        f"edge {name}": over(shows="card", seam={"matte": [key], "edge": {name: value}})
        for name, value in WORKED.items()
    }
    found |= {f"stir {name}": over(stir={name: value}) for name, value in STIRRED.items()}
    keys = {"keys": [{"frame": 0, "value": 20}, {"frame": 11, "value": 100, "ease": "smooth"}]}
    moving = {"x": keys, "y": 40, "scale": 60, "rotation": 30, "flip_x": True}
    found["moving"] = over(place=moving)
    found["echo"] = over(place=moving, echo={"count": 3, "step": 2, "decay": 60})
    found["shutter"] = over(place=moving, shutter=360)
    found["pinned"] = over(place={"x": 60, "y": 40, "pins": PULLED}, shows="card")
    for between in ("nearest", "mix", "flow"):
        found[f"slow {between}"] = over(shows="card", time={"speed": 30, "between": between})
    return found


def looks() -> Tiles:
    found = {}
    for kind in LOOKS:
        one = {"kind": kind_of(kind), "id": "p-a", **DONE.get(kind_of(kind), {})}
        found[kind_of(kind)] = over(shows="card", look={"parts": [one]})
        mask = {"kind": "oval", "id": "m-a", "width": 70, "height": 60, "feather_out": 8}
        part = {**one, "strength": 70, "masks": [mask]}
        ground = (layer("garden", "garden"), layer("top", "paper"))
        adjusts = {"source": {"kind": "adjustment"}, "look": {"parts": [part]}}
        found[f"{kind_of(kind)} over all"] = seen(
            shot(*ground, {**layer("all", "wall"), **adjusts})
        )
    return found


def around() -> Tiles:
    place = {"x": 58, "y": 36, "scale": 55, "rotation": -12}
    found = {name: over(shows="paper", place=place, around={name: {"on": True}}) for name in AROUND}
    crop = {"left": 20, "top": 10, "right": 15, "bottom": 25, "radius": 14, "softness": 5}
    found["crop"] = over(shows="card", place=place, crop=crop)
    found["all"] = over(
        shows="card", place=place, crop=crop, around={name: {"on": True} for name in AROUND}
    )
    return found


def documents() -> Tiles:
    """Shots as earlier versions of the format have kept them: they come through with the same pictures."""
    found = {}
    for path in sorted((Path(__file__).parent / "documents").glob("*.json")):
        kept = load(path.read_text())
        found |= {f"{path.stem} {frame}": seen(kept, frame) for frame in (2, 9)}
    return found


FAMILIES = {
    one.__name__: one
    for one in (sources, mattes, masks, blends, ways, values, looks, around, documents)
}


def sheet(tiles: Tiles) -> np.ndarray:
    rows = -(-len(tiles) // ACROSS)
    out = np.zeros((rows * HEIGHT, ACROSS * WIDTH, 3), np.uint8)
    for n, tile in enumerate(tiles.values()):
        y, x = n // ACROSS * HEIGHT, n % ACROSS * WIDTH
        out[y : y + HEIGHT, x : x + WIDTH] = tile
    return out


def write() -> None:
    FOLDER.mkdir(exist_ok=True)
    for name, family in FAMILIES.items():
        tiles = family()
        Image.fromarray(sheet(tiles)).save(FOLDER / f"{name}.png", optimize=True)
        (FOLDER / f"{name}.txt").write_text("\n".join(tiles) + "\n")


@pytest.mark.parametrize("name", FAMILIES)
def test_pictures_are_those_that_are_kept(name: str):
    """On another kind of processor a value may be rounded to the next level; that is all."""
    tiles = FAMILIES[name]()
    names = (FOLDER / f"{name}.txt").read_text().splitlines()
    assert names == list(tiles), "a kind was added or is gone: write the pictures anew"
    kept = np.asarray(Image.open(FOLDER / f"{name}.png").convert("RGB"))
    for n, (word, tile) in enumerate(tiles.items()):
        y, x = n // ACROSS * HEIGHT, n % ACROSS * WIDTH
        off = np.abs(kept[y : y + HEIGHT, x : x + WIDTH].astype(int) - tile)
        assert off.max() <= 2, word
        assert (off > 0).mean() < 0.01, word


def test_every_kind_is_among_them_and_each_does_something():
    assert set(SHAPES) == {kind_of(kind) for kind in MASKS}
    assert set(WORKED) == {name for name in Edge.model_fields if bounds_of(Edge, name)}
    assert set(STIRRED) | {"rate", "seed"} == {
        name for name in Stir.model_fields if bounds_of(Stir, name)
    }
    kept = {path.stem for path in (Path(__file__).parent / "documents").glob("*.json")}
    assert kept == {f"version-{n}" for n in range(1, SCHEMA_VERSION)}
    plain = over(shows="card")
    for family in (mattes, masks):
        for word, tile in family().items():
            if word.split(" ")[0] != "own-alpha" or "turned" in word:
                assert np.abs(tile.astype(int) - plain).mean() > 1, word


if __name__ == "__main__":
    write()
