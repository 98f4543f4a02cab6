"""Tables that are brought in: read from files as they come, refused where they are bad, and looked up exactly."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from tests.core.test_goldens import Drawn, layer, shot
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.formats.cube_file import read_cube
from velvet_seam.core.formats.shot_file import read_shot_file, shot_file_text
from velvet_seam.core.picture.cube import Cube, through_cube
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.shot import table_ids
from velvet_seam.store.colour_tables import ColourTables

RGB = [(r, g, b) for b in (0, 1) for g in (0, 1) for r in (0, 1)]
ROWS = "\n".join(" ".join(map(str, one)) for one in RGB)
GOOD = f"LUT_3D_SIZE 2\n{ROWS}\n"


@pytest.mark.parametrize("text", [
    GOOD, "\ufeff# by hand\r\nTITLE \"Dusk # not a comment\"\r\nLUT_3D_SIZE 2 # small\r\n\r\n" + ROWS.replace("\n", "\r\n"),
    f"  lut_3d_size 2\nDOMAIN_MIN 0 0 0\nDOMAIN_MAX 1 1 1\nOTHER_WORD 3\n{ROWS}\n\n# the end",
    f"LUT_3D_SIZE 2\nLUT_3D_INPUT_RANGE 0 1\n{ROWS.replace('1', '1.0e0')}",
])  # fmt: skip
def test_a_table_is_read_however_it_is_written(text: str):
    cube, _ = read_cube(text.encode())
    assert cube.side == 2
    assert not cube.curves
    planes = np.random.default_rng(1).random((3, 50)).astype(np.float32)
    made = planes.copy()
    through_cube(made, cube)
    np.testing.assert_allclose(made, planes, atol=1e-6)


@pytest.mark.parametrize(("text", "says"), [
    ("", "how large"), ("LUT_3D_SIZE 3\n" + ROWS, "27 rows; there are 8"), ("LUT_3D_SIZE 2\n" + ROWS + "\n0 0 0", "8 rows; there are 9"),
    ("LUT_3D_SIZE 129\n" + ROWS, "Line 1.*from 2 to 65"), ("LUT_1D_SIZE 65537\n0 0 0", "to 65536"), ("LUT_3D_SIZE two\n" + ROWS, "Line 1"),
    ("LUT_3D_SIZE -2\n" + ROWS, "Line 1"), (GOOD.replace("1 1 1", "1 nan 1"), "Line 9: there are to be 3 numbers"),
    (GOOD.replace("1 1 1", "1 inf 1"), "Line 9"), (GOOD.replace("1 1 1", "1 1"), "Line 9"), (GOOD.replace("1 1 1", "1 1 1e30"), "Line 9"),
    ("LUT_3D_SIZE 2\nLUT_1D_SIZE 2\n" + ROWS, "said twice"), ("LUT_3D_SIZE 2\nDOMAIN_MIN 1 1 1\n" + ROWS, "ends before it begins"),
    ("LUT_3D_SIZE 2\0\n" + ROWS, "not text"),
])  # fmt: skip
def test_a_bad_one_is_refused_and_says_where(text: str, says: str):
    with pytest.raises(Problem, match=says):
        read_cube(text.encode())


def test_a_cube_is_found_in_by_tetrahedra():
    """Against the six cases written down once more, on a table of chance, in a domain of its own."""
    rng = np.random.default_rng(3)
    values = rng.random((5, 5, 5, 3)).astype(np.float32)
    cube = Cube(values, (-0.5, 0.0, 0.1), (1.5, 1.0, 0.9))
    colours = rng.random((300, 3)) * 1.2 - 0.1
    made = np.ascontiguousarray(colours.T.astype(np.float32))
    through_cube(made, cube)
    for colour, got in zip(colours, made.T, strict=True):
        at = np.clip((colour - cube.low) / (np.array(cube.high) - cube.low), 0, 1) * 4
        cell = np.minimum(at.astype(int), 3)
        part = at - cell
        corner, want = cell.copy(), values[tuple(cell[::-1])] * (1 - part.max())
        order = np.argsort(-part, kind="stable")
        for n, axis in enumerate(order):
            corner[axis] += 1
            rest = part[order[n + 1]] if n < 2 else 0.0
            want = want + values[tuple(corner[::-1])] * (part[axis] - rest)
        np.testing.assert_allclose(got, want, atol=2e-5)


def test_a_long_table_of_curves_is_read_and_looked_up():
    n = 65_536
    rows = "\n".join(f"{v:.6f} {v * v:.6f} {1 - v:.6f}" for v in np.linspace(0, 1, n))
    cube, _ = read_cube(f"LUT_1D_SIZE {n}\n{rows}".encode())
    assert cube.curves
    planes = np.array([[0.25, 0.5]] * 3, np.float32)
    through_cube(planes, cube)
    np.testing.assert_allclose(planes, [[0.25, 0.5], [0.0625, 0.25], [0.75, 0.5]], atol=1e-4)


def test_a_table_is_part_of_a_look_and_does_nothing_where_it_is_not_at_hand():
    swap = Cube(
        np.array([[b, g, r] for r, g, b in RGB], np.float32).reshape(2, 2, 2, 3)
    )  # red and blue
    one = {"kind": "lut", "id": "p-a", "table": "u123"}
    of = shot({**layer("garden", "garden"), "look": {"parts": [one]}})

    def seen(**more: object) -> np.ndarray:
        engine = Engine(lambda identity: Drawn(identity.removeprefix("f-")), **more)  # type: ignore[arg-type]
        return engine.picture(engine.plan(of, 6))[..., :3].copy()

    plain = seen()
    np.testing.assert_array_equal(plain, Drawn("garden").read(6)[..., :3])
    assert np.abs(seen(tables={"u123": swap}.get).astype(int) - plain[..., ::-1]).max() <= 1
    assert table_ids(of) == {"u123"}


def test_tables_are_kept_by_what_they_hold_and_travel_with_the_shot(tmp_path: Path):
    kept = ColourTables(tmp_path / "tables")
    identity, title = kept.keep(b'TITLE "Dusk"\n' + GOOD.encode())
    assert title == "Dusk"
    assert kept.keep(GOOD.encode())[0] == identity  # the same table
    assert kept.get(identity) is not None
    for bad in ("", "../x", "unknown", "a/b"):
        assert kept.get(bad) is None
    kept.path(identity).write_text("broken")
    assert ColourTables(tmp_path / "tables").get(identity) is None

    one = {"kind": "lut", "id": "p-a", "table": identity, "name": "Dusk"}
    own = {
        **layer("a", "wall"),
        "source": {"kind": "colour", "colour": "#336699"},
        "look": {"parts": [one]},
    }
    of = shot(own)
    folder = tmp_path / "saved"
    (folder / "tables").mkdir(parents=True)
    (folder / "tables" / "d.cube").write_text(GOOD)
    text = shot_file_text(of, {}, {identity: ("Dusk", "tables/d.cube")})
    (folder / "shot.json").write_text(text)
    read = read_shot_file(folder / "shot.json")
    assert read.shot == of
    assert read.tables == {identity: (folder / "tables" / "d.cube").resolve()}
    broken = json.loads(text)
    broken["tables"][identity]["file"] = "../d.cube"
    (folder / "shot.json").write_text(json.dumps(broken))
    with pytest.raises(Problem, match="cannot be used"):
        read_shot_file(folder / "shot.json")
