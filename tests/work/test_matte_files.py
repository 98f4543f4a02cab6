"""Mattes from the shell, and the answers about mattes over the wire."""

from __future__ import annotations

import io
from pathlib import Path

import cv2
import numpy as np
import pytest
from fastapi.testclient import TestClient
from PIL import Image

from velvet_seam.cli import main
from velvet_seam.core.formats.shot_file import shot_file_text
from velvet_seam.core.mattes import ScreenKey
from velvet_seam.core.picture.blends import NAMES
from velvet_seam.core.shot.layer import Layer, Place, Span
from velvet_seam.core.shot.seam import Seam
from velvet_seam.core.shot.shot import Canvas, Shot
from velvet_seam.core.shot.written import written
from velvet_seam.core.sources import FootageSource
from velvet_seam.store.library import Library
from velvet_seam.store.tables import database
from velvet_seam.web.app import create_app
from velvet_seam.work.asks import Measure
from velvet_seam.work.painter import Painter


def card() -> Image.Image:
    """A red square on green, half covered at its left side, 96 × 64."""
    picture = np.full((64, 96, 3), (60, 160, 70), np.uint8)
    picture[16:48, 30:66] = (200, 60, 40)
    picture[16:48, 30] = (130, 110, 55)
    return Image.fromarray(picture)


@pytest.fixture
def shot_file(tmp_path: Path) -> Path:
    card().save(tmp_path / "card.png")
    layer = Layer(id="l-a", name="Square", source=FootageSource(footage="f-a"), span=Span(first=2, last=9),
                  place=Place(x=32, y=32), seam=Seam(matte=(ScreenKey(id="k-a", colour="#3ca046"),)))  # fmt: skip
    shot = Shot(name="S", canvas=Canvas(width=64, height=64), rate="25", length=10, layers=(layer,))
    path = tmp_path / "shot.json"
    path.write_text(shot_file_text(shot, {"f-a": ("card", "card.png")}))
    return path


def test_coverage_and_foreground_are_written_at_source_size(shot_file: Path, tmp_path: Path):
    out = tmp_path / "mattes"
    command = ["matte", str(shot_file), "--layer", "Square", "-o", str(out), "--frames", "0:4"]
    assert main(command) == 0
    names = sorted(path.name for path in out.iterdir())
    assert names == [f"{n:06}-{what}.png" for n in (2, 3, 4) for what in ("coverage", "foreground")]
    coverage = cv2.imread(str(out / "000003-coverage.png"), cv2.IMREAD_UNCHANGED)
    colour = cv2.imread(str(out / "000003-foreground.png"), cv2.IMREAD_UNCHANGED)[..., ::-1]
    assert (coverage.dtype, coverage.shape, colour.dtype) == (np.uint16, (64, 96), np.uint16)
    assert coverage[30, 50] == 65535
    assert coverage[5, 5] == 0
    assert 20_000 < coverage[30, 30] < 45_000
    assert np.abs(colour[30, 50] / 257 - (200, 60, 40)).max() < 4
    # not premultiplied: the half covered pixel has the square's own colour
    assert np.abs(colour[30, 30] / 257 - (200, 60, 40)).max() < 40


@pytest.mark.parametrize(
    ("more", "says"),
    [
        (["--layer", "Circle"], "no layer is called Circle"),
        (["--layer", "Square", "--frames", "5"], "A:B"),
        (["--layer", "Square", "--frames", "9:2"], "A:B"),
        (["--layer", "Square", "--frames", "50:60"], "from frame 2 to 9"),
    ],
)
def test_mattes_that_cannot_be_written_are_refused_in_words(
    shot_file, tmp_path, capsys, more, says
):
    assert main(["matte", str(shot_file), *more, "-o", str(tmp_path / "out")]) == 2
    assert says in capsys.readouterr().err


def test_keys_facts_and_the_wall_over_the_wire(tmp_path: Path):
    data = io.BytesIO()
    card().save(data, "PNG")
    with TestClient(create_app(tmp_path / "studio"), base_url="http://localhost") as client:
        form = {"canvas": "free", "width": "96", "height": "64"}
        there = client.post("/shots", data=form, follow_redirects=False).headers["location"]
        footage = client.post(
            "/footage", content=data.getvalue(), headers={"x-name": "card.png"}
        ).json()["id"]
        state = client.post(f"{there}/layers", json={"footage": footage}).json()["state"]
        layer = state["shot"]["layers"][0]["id"]
        ask = {"layer": layer, "kind": "colour-key", "area": [34, 20, 60, 44]}
        state = client.post(f"{there}/keys", json=ask).json()["state"]
        key = state["shot"]["layers"][0]["seam"]["matte"][0]
        assert (key["kind"], key["colours"]) == ("colour-key", ["#c83c28"])
        facts = client.get(f"{there}/matte-facts", params={"layer": layer}).json()
        assert (facts["parts"], facts["holes"]) == (1, 0)
        assert facts["covered"] == pytest.approx(36 * 32 / (96 * 64), rel=0.06)
        again = {**ask, "part": key["id"], "area": [2, 2, 10, 10]}
        state = client.post(f"{there}/keys", json=again).json()["state"]
        assert len(state["shot"]["layers"][0]["seam"]["matte"][0]["colours"]) == 2
        gone = client.post(f"{there}/keys", json={**ask, "part": "k-none"})
        assert gone.status_code == 404
        wall = client.get(f"{there}/wall.jpg", params={"layer": layer})
        assert Image.open(io.BytesIO(wall.content)).size[1] % len(NAMES) == 0
        assert client.get(f"{there}/wall.jpg", params={"layer": "l-none"}).status_code == 404
        # a matte of a layer that asks back, and of one that is not there, changes nothing
        for other in (layer, "l-none"):
            matte = {"kind": "layer-matte", "id": f"k-{other[2:6]}", "layer": other}
            body = {"edit": {"do": "add-matte", "layer": layer, "matte": matte}}
            assert client.post(f"{there}/edits", json=body).status_code == 200
        same = client.get(f"{there}/matte-facts", params={"layer": layer}).json()
        assert same["parts"] == 1
    database.close()


def test_every_screen_of_the_demo_is_found_as_the_page_looks_for_it(demo_folder: Path):
    """From proxies, and from the original where a proxy leaves a doubt."""
    library = Library(demo_folder)
    painter, seen = Painter(library), 0
    for standing in library.shots.all():
        for layer in standing.shot.layers:
            if any(matte.kind == "screen-key" for matte in layer.seam.matte):
                reading = painter.answer(
                    Measure(written(standing.shot), layer.id, layer.span.first)
                )
                assert reading.found, (standing.shot.name, layer.name)
                seen += 1
    assert seen > 3
    database.close()
