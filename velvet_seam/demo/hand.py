"""*cut-hand-still*: a paper hand holding a lantern, on white paper, with its soft shadow."""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.demo.paper import F32, Scene, ellipse, finish, rgb, spline, stroke, texture

WIDTH, HEIGHT = 1080, 1350


@lru_cache(maxsize=1)
def truth() -> tuple[F32, F32]:
    """The hand as it really is: premultiplied colour and coverage."""
    paper = texture(HEIGHT, WIDTH, 81, 1.3)
    scene = Scene.empty(HEIGHT, WIDTH)
    sleeve = spline([(90, 1380), (150, 1130), (260, 1010), (420, 1080), (450, 1200), (400, 1400)])
    scene.lay(sleeve, rgb("#3c5a86"), paper=paper, shadow=None)
    cuff = spline([(236, 1000), (300, 960), (470, 1056), (476, 1120), (400, 1110), (250, 1050)])
    scene.lay(cuff, rgb("#d8b25a"), paper=paper, shadow=(3, 5, 4, 0.3))
    palm = spline(
        [(300, 980), (330, 820), (420, 720), (540, 700), (600, 780), (580, 900), (460, 1050)]
    )
    scene.lay(palm, rgb("#c78256"), paper=paper, shadow=(3, 5, 4, 0.3))
    fingers = (((420, 740), (430, 600), (500, 520)), ((470, 716), (500, 570), (580, 520)),
               ((524, 704), (570, 590), (650, 560)), ((580, 740), (640, 660), (700, 640)))  # fmt: skip
    for root, knee, tip in fingers:
        line = spline([root, knee, tip], closed=False)
        scene.lay(
            stroke(line, np.linspace(58, 42, len(line))),
            rgb("#cf8a5c"),
            paper=paper,
            shadow=(3, 5, 4, 0.3),
        )
        scene.lay(ellipse(tip[0], tip[1], 21, 21), rgb("#cf8a5c"), paper=paper, shadow=None, edge=0)
    thread = spline([(600, 540), (612, 660), (606, 700)], closed=False)
    scene.lay(stroke(thread, 4), rgb("#3a2a22"), shadow=None)
    ring = stroke(ellipse(606, 726, 24, 24), 7)
    scene.lay(ring, rgb("#7d8287"), paper=paper, shadow=None, edge=0.2)
    roof = np.array([[606, 744], [720, 838], [492, 838]], np.float32)
    body = np.array([[506, 838], [706, 838], [688, 1060], [524, 1060]], np.float32)
    scene.lay(body, rgb("#83898d"), paper=paper, shadow=(3, 5, 4, 0.3), edge=0.2)
    scene.lay(roof, rgb("#a3a9ac"), paper=paper, shadow=(2, 4, 4, 0.4), edge=0.2)
    for k in (-1, 1):
        pane = np.array(
            [[606 + 10 * k, 860], [606 + 84 * k, 860], [606 + 74 * k, 1036], [606 + 10 * k, 1036]],
            np.float32,
        )
        scene.lay(pane, rgb("#f2bf57"), shadow=None, edge=-0.1)
    return scene.colour, scene.alpha


@lru_cache(maxsize=1)
def paper_alone() -> F32:
    """The white paper without the hand: what a clean plate would show."""
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    light = 0.90 + 0.07 * np.exp(-(((x - 300) / 900) ** 2) - ((y - 400) / 1000) ** 2)
    white = np.array([1.0, 0.99, 0.965], np.float32)
    return np.asarray(white * (light * texture(HEIGHT, WIDTH, 82, 0.35))[..., None], np.float32)


def picture() -> NDArray[np.uint8]:
    """*cut-hand-still*: (1350, 1080, 3) uint8."""
    colour, alpha = truth()
    soft = cv2.GaussianBlur(alpha, (0, 0), 22)
    thrown = cv2.warpAffine(soft, np.array([[1.0, 0, 26], [0, 1, 34]]), (WIDTH, HEIGHT))
    shade = 1 - 0.38 * thrown[..., None]
    out = colour + paper_alone() * shade * (1 - alpha[..., None])
    return finish(out, 7000, 0.006)
