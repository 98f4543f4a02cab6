"""Whole jobs of cutting out in the browser: a spoked cart frozen, an acrobat's still smeared away, a head without a body."""

from __future__ import annotations

from pathlib import Path

import av
import cv2
import numpy as np
import pytest
from playwright.sync_api import Page

from tests.people import outline, portrait_clip
from tests.web.test_look_jobs import length, part
from tests.web.test_roto_jobs_page import lying
from tests.web.test_roto_over_page import go
from tests.web.test_roto_page import along, brought_in, brush_up, covered, iou, stroke, with_roto
from tests.web.test_seam_page import add_layer, blank, chip, picture, settled, type_tape
from tests.web.test_whole_job import clean, state, until
from velvet_seam.demo import acrobat, cart, fur
from velvet_seam.demo.paper import rgb, spline

pytestmark = pytest.mark.browser

__all__ = ["blank", "clean"]


def still(page: Page, layer: str, frame: int) -> None:
    """The layer stands at a frame of its clip."""
    values = {"time.speed": 0, "time.source_in": f"{frame}/25"}
    page.evaluate("([layer, values]) => velvetSeam.bench.set(layer, values)", [layer, values])
    settled(page)


def seen(page: Page, frame: int) -> np.ndarray:
    go(page, frame)
    return picture(page)


def test_a_cart_is_frozen_cut_out_with_its_spokes_and_slides_in_with_trails(blank: Page):
    page, frame = blank, 60
    layer = with_roto(page, "tin-cart")
    length(page, 30)
    still(page, layer, frame)
    page.click(f"#seam-{layer}")
    brush_up(page)
    page.fill("[data-roto-width]", "24")
    x, turn = cart.middle(frame), cart.turned(frame)
    hub = float(cart.ROAD - cart.RADIUS)
    stroke(page, (x - 330, 1010), (x + 330, 1010))
    stroke(page, (x - 290, 1180), (x + 290, 1180))
    stroke(page, (x - 430, 970), (x - 452, 850))
    for start, end in (
        ((60, 780), (1020, 780)), ((60, 1640), (1020, 1640)), ((1035, 850), (1035, 1600)), ((40, 1100), (40, 1600)),
        ((x - 330, 1536), (x + 330, 1536)),  # its shadow
        ((x, 1290), (x, 1450)), ((x - 436, 1200), (x - 436, 1420)), ((x + 432, 1180), (x + 432, 1420)),
        ((x - 385, 870), (x - 385, 950)), ((x - 500, 900), (x - 500, 1080)),
    ):  # fmt: skip
        stroke(page, start, end, button="right")
    # pixel by pixel, as with the loupe: thin strokes along rims and spokes, and between them
    page.fill("[data-roto-width]", "9")
    apart = 2 * np.pi / cart.SPOKES
    rim = cart.RADIUS - 14.0
    for side in cart.AXLES:

        def out(way: float, far: float, side: float = side) -> tuple[float, float]:
            return x + side + far * np.cos(way), hub + far * np.sin(way)

        spokes = [turn + n * apart for n in range(cart.SPOKES)]
        along(page, [out(way, rim) for way in (*spokes, spokes[0])])
        for spoke in spokes:
            stroke(page, out(spoke, 30), out(spoke, rim))
            # behind the tin, which ends 84 above the hub, there is nothing to see
            between = spoke + apart / 2
            up = -np.sin(between)
            far = min(134, 72 / up if up > 0.1 else 134)
            free = [out(between, 52), out(between, far)]
            if up < 0.5:
                free += [out(between, 122), out(between - 0.24, 122), out(between + 0.24, 122)]
            along(page, free, button="right")
    page.keyboard.press("Escape")
    until(page, "velvetSeam.bench.way !== 'dropped'")
    truth = lying(cart.truth(frame)[1], state(page, "layer.place"))
    cut = covered(page)
    assert iou(cut, truth) > 0.9
    wheels = np.s_[630:750]
    assert iou(cut[wheels], truth[wheels]) > 0.7  # open between the spokes
    here = picture(page)

    # it slides in from the left, and trails of it come after
    page.click(f"#card-{layer}")
    page.select_option("#field-arrive", "slide-left")
    until(page, "velvetSeam.bench.layer.arrive.way === 'slide-left'")
    type_tape(page, "arrive.frames", 20)
    assert picture(page).max() < 30  # not there yet
    without = seen(page, 12)
    page.locator("[data-part=echo] summary").click()
    type_tape(page, "echo.count", 3)
    until(page, "velvetSeam.bench.layer.echo.count === 3")
    trails = np.abs(picture(page, unlike=without) - without).max(2) > 12
    there = np.flatnonzero((without.max(2) > 30).any(0))
    assert trails.mean() > 0.01
    assert (
        np.flatnonzero(trails.any(0)).max() < there.max()
    )  # it comes from the left, and they after it
    go(page, 29)
    assert np.abs(picture(page) - here).mean() < 1.5  # it stands, its trails behind it


def coverage(page: Page) -> np.ndarray:
    """The matte as it is seen, (960, 540), 0 to 1."""
    page.evaluate("velvetSeam.bench.see('matte')")
    shown = picture(page).mean(2) / 255
    page.evaluate("velvetSeam.bench.see('joined')")
    return shown


def test_fur_is_found_farther_out_with_a_wider_fringe(blank: Page):
    page = blank
    with_roto(page, "fox-in-fur")
    brush_up(page)
    page.fill("[data-roto-width]", "24")
    for start, end in (((540, 780), (540, 1000)), ((700, 620), (690, 720)), ((380, 620), (390, 720)),
                       ((540, 1250), (540, 1800)), ((300, 1350), (300, 1850)), ((780, 1350), (780, 1850))):  # fmt: skip
        stroke(page, start, end)
    for start, end in (((540, 480), (540, 640)), ((60, 300), (60, 1800)), ((1020, 300), (1020, 1800)),
                       ((240, 700), (200, 1150)), ((840, 700), (880, 1150)), ((300, 380), (780, 380))):  # fmt: skip
        stroke(page, start, end, button="right")
    page.keyboard.press("Escape")
    until(page, "velvetSeam.bench.way !== 'dropped'")
    truth = cv2.resize(fur.truth(0)[1], (540, 960), interpolation=cv2.INTER_AREA)
    before = float(((coverage(page) - truth) ** 2).mean())
    identity = state(page, "shot.layers[0].seam.matte[0].id")
    type_tape(page, f"seam.matte.{identity}.fringe", 400)
    until(page, "velvetSeam.bench.shot.layers[0].seam.matte[0].fringe === 400")
    assert float(((coverage(page) - truth) ** 2).mean()) < 0.8 * before < 0.012


def test_an_acrobats_still_is_smeared_for_two_frames_before_she_is_gone(blank: Page):
    page, frame = blank, 40
    add_layer(page, "paper-sea")
    length(page, 20)
    bare = {n: seen(page, n) for n in (7, 8, 10)}
    go(page, 0)
    there = add_layer(page, "acrobat-on-blue")
    still(page, there, frame)
    page.click(f"#seam-{there}")
    chip(page, "matte", "Screen")
    until(page, "velvetSeam.bench.layer?.seam.matte.length === 1")
    cover = cv2.resize(acrobat.truth(frame)[1], (540, 960), interpolation=cv2.INTER_AREA)
    # her thin cape is neither whole nor gone
    assert np.abs(coverage(page) - cover).mean() < 0.006
    page.evaluate("(id) => velvetSeam.bench.set(id, { 'span.last': 9 })", there)
    settled(page)
    # the last two frames become a layer of their own
    go(page, 8)
    page.click(f"#card-{there}")
    page.keyboard.press("y")
    until(page, "velvetSeam.bench.shot.layers.length === 3")
    last = state(page, "shot.layers.find((one) => one.span.first === 8).id")
    part(page, last, "line-blur", length=240, angle=90)
    sharp, smeared = (seen(page, n) - bare[n] for n in (7, 8))
    assert np.abs(smeared).sum() > 0.25 * np.abs(sharp).sum()  # she is still there
    before, after = (
        [np.abs(np.diff(one.mean(2), axis=n)).mean() for n in (0, 1)] for one in (sharp, smeared)
    )
    assert after[0] < 0.6 * before[0]  # along the line nothing is sharp any more
    assert after[0] / before[0] < after[1] / before[1]
    assert np.abs(seen(page, 10) - bare[10]).mean() < 0.5  # gone


CARD = np.array(rgb("#2f9a4a"), np.float32)
CLOAK = [(540.0, 1090.0), (760, 1120), (900, 1330), (960, 1960), (120, 1960), (180, 1330), (320, 1120)]  # fmt: skip


def cloaked(path: Path) -> np.ndarray:
    """A clip of the furred fox in a cloak of the card's cloth, in folds; where it is seen, (1920, 1080)."""
    rng = np.random.default_rng(5)
    outline = np.zeros((1920, 1080), np.uint8)
    cv2.fillPoly(outline, [np.rint(spline(CLOAK)).astype(np.int32)], 255)
    cloak = cv2.GaussianBlur(outline, (0, 0), 1.2).astype(np.float32)[..., None] / 255
    y, x = np.mgrid[:1920, :1080].astype(np.float32)
    folds = 0.93 + 0.07 * np.sin(x / 46 + 1.4 * np.sin(y / 210))
    light = 0.92 + 0.16 * x / 1080
    colour, cover = fur.truth(10)
    picture = CARD * light[..., None] * (1 - cover[..., None]) + colour
    filmed(path, picture * (1 - cloak) + cloak * CARD * (light * folds)[..., None], rng)
    return cover * (1 - cloak[..., 0])


def filmed(path: Path, picture: np.ndarray, rng: np.random.Generator) -> None:
    """Twelve frames of a picture, R'G'B' in 0 to 1, with noise."""
    with av.open(str(path), "w") as film:
        stream = film.add_stream("libx264", 25, options={"crf": "20", "preset": "fast"})
        stream.height, stream.width = picture.shape[:2]
        stream.pix_fmt = "yuv420p"
        for _ in range(12):
            noisy = picture * 255 + rng.normal(0, 2, picture.shape)
            shown = av.VideoFrame.from_ndarray(
                np.clip(noisy + 0.5, 0, 255).astype(np.uint8), "rgb24"
            )
            film.mux(stream.encode(shown))
        film.mux(stream.encode())


def test_the_foxs_head_alone_above_a_cloak_of_the_screens_colour(blank: Page, tmp_path: Path):
    page = blank
    head = cloaked(tmp_path / "cloaked.mp4")
    page.click(f"#seam-{brought_in(page, tmp_path / 'cloaked.mp4')}")
    chip(page, "matte", "Screen")
    until(page, "velvetSeam.bench.layer?.seam.matte.length === 1")
    cut = covered(page)
    place = state(page, "layer.place")
    assert iou(cut, lying(head, place)) > 0.93
    assert cut[600:].mean() < 0.002  # neither body nor cloak


def test_a_brown_fox_before_orange_is_nearly_whole_with_nothing_but_the_screen_key(
    blank: Page, tmp_path: Path
):
    """Its fur has the card's hue, and the card's light falls on it. What lies around its pixels makes it whole; without
    that it is seen through, and undo brings it back."""
    page, rng = blank, np.random.default_rng(6)
    card = np.array([0.86, 0.5, 0.2])
    x = np.arange(1080, dtype=np.float32)[None]
    colour, cover = fur.truth(10)
    lit = colour * (0.6 + 0.4 * card / card.max())
    light = (0.85 + 0.3 * x / 1080)[..., None]
    filmed(tmp_path / "brown.mp4", card * light * (1 - cover[..., None]) + lit, rng)
    layer = brought_in(page, tmp_path / "brown.mp4")
    page.click(f"#seam-{layer}")
    chip(page, "matte", "Screen")
    until(page, "velvetSeam.bench.layer?.seam.matte.length === 1")
    settled(page)
    key, place = state(page, "layer.seam.matte[0].id"), state(page, "layer.place")
    solid = cv2.erode((cover > 0.995).astype(np.uint8), np.ones((13, 13), np.uint8))
    solid = cv2.erode(lying(solid, place).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0

    def matte() -> np.ndarray:
        page.evaluate("velvetSeam.bench.see('matte')")
        return picture(page).mean(2) / 255

    whole = matte()
    assert whole[solid].mean() > 0.94
    assert (whole[solid] < 0.5).mean() < 0.02
    type_tape(page, f"seam.matte.{key}.hold", 0)
    until(page, "velvetSeam.bench.layer.seam.matte[0].hold === 0")
    settled(page)
    bare = matte()
    assert bare[solid].mean() < 0.6
    page.keyboard.press("Control+z")
    until(page, "velvetSeam.bench.layer.seam.matte[0].hold === 100")
    settled(page)
    assert np.abs(matte() - whole).max() < 0.02


def test_a_person_by_one_click_grows_dark_and_dissolves(blank: Page, tmp_path: Path):
    """The photograph of a person, who drifts; what lies below comes through as she goes."""
    page = blank
    add_layer(page, "paper-sea")
    length(page, 30)
    bare = {n: seen(page, n) for n in (0, 14, 25, 29)}
    go(page, 0)
    portrait_clip(tmp_path / "portrait.mp4", frames=30)
    person = brought_in(page, tmp_path / "portrait.mp4")
    page.click(f"#seam-{person}")
    chip(page, "matte", "People")
    until(page, "velvetSeam.bench.layer?.seam.matte.length === 1")
    settled(page)
    place, there = state(page, "layer.place"), outline(440)[:400, :400].astype(np.uint8)
    k = place["scale"] / 200
    move = np.array([[k, 0, place["x"] / 2 - 200 * k], [0, k, place["y"] / 2 - 200 * k]])
    inside = (
        cv2.warpAffine(cv2.erode(there, np.ones((31, 31)), borderValue=0), move, (540, 960)) > 0
    )
    outside = cv2.warpAffine(cv2.dilate(there, np.ones((31, 31))), move, (540, 960)) == 0
    identity = part(page, person, "light")
    page.click(f"#knot-look-parts-{identity}-exposure")
    until(page, "velvetSeam.bench.layer.look.parts[0].exposure.keys?.length === 1")
    go(page, 14)
    type_tape(page, f"look.parts.{identity}.exposure", -5)
    page.click(f"#card-{person}")
    page.click("#tab-layer")
    page.select_option("#field-leave", "fade")
    until(page, "velvetSeam.bench.layer.leave.way === 'fade'")
    type_tape(page, "leave.frames", 10)
    until(page, "velvetSeam.bench.layer.leave.frames === 10")

    shown = {n: seen(page, n) for n in bare}
    for n, one in shown.items():  # around her the sea, whatever becomes of her
        assert np.abs(one - bare[n])[outside].mean() < 2
    lit, dark = (shown[n][inside].mean() for n in (0, 14))
    assert lit > 60 > 15 > dark
    assert (
        np.abs(shown[29] - bare[29])[inside].mean() < 0.2 * bare[29][inside].mean()
    )  # hardly there
    half = shown[25][inside].mean() / bare[25][inside].mean()
    assert 0.2 < half < 0.9
