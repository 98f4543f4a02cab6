"""Requests of nonsense and of ill will: each is answered in words."""

from __future__ import annotations

import contextlib
import json
import random
import re
from typing import Any

import httpx

from tests.abuse.program import Program, Visitor
from tests.application import answering

NASTY = [
    "..", "../../etc/passwd", "%2e%2e%2f", "\x00", "a" * 5000, "-1", "1e400", "NaN", "9" * 40, "null", "",
    "\u202e\u200b", "file:///etc/passwd", "concat:a|b", "<svg onload=1>", "' OR 1=1 --", "{}", "[[[[", "𝄞",
]  # fmt: skip


def hostile(program: Program, count: int, dice: random.Random) -> list[str]:
    """Nonsense at every address the program says it has."""
    visitor = Visitor(program)
    shot = visitor.shot()
    visitor.layer(shot, colour="#aa3355")
    paths = visitor.ask("GET", "/openapi.json").json()["paths"]
    ways = [(method.upper(), path) for path, methods in paths.items() for method in methods]
    for _ in range(count):
        method, path = dice.choice(ways)
        if method == "DELETE" and dice.random() < 0.9:
            continue
        fill = lambda _: dice.choice([shot, *(_quoted(one) for one in NASTY)])  # noqa: E731
        path = re.sub(r"\{[^}]*\}", fill, path)
        names = [
            "at",
            "frame",
            "side",
            "view",
            "layer",
            "chosen",
            "x",
            "y",
            "have",
            "rate",
            "n",
            "kind",
            "scale",
        ]
        query = {dice.choice(names): dice.choice(NASTY) for _ in range(dice.randrange(4))}
        body = dice.choice([b"", b"{", dice.randbytes(200), json.dumps(_anything(dice)).encode(),
                            json.dumps({"edit": _anything(dice)}).encode()])  # fmt: skip
        kind = dice.choice(
            ["application/json", "text/plain", "multipart/form-data", "image/png", ""]
        )
        with contextlib.suppress(httpx.InvalidURL, httpx.LocalProtocolError):
            visitor.ask(method, path, params=query, content=body, headers={"content-type": kind})
    answering(program.address)
    return visitor.faults


def _quoted(text: str) -> str:
    return "".join(f"%{byte:02x}" for byte in text.encode()) or "%20"


def _anything(dice: random.Random, deep: int = 0) -> Any:
    if deep > 3 or dice.random() < 0.3:
        return dice.choice([None, True, -1, 1e308, 10**40, *NASTY])
    words = [
        "do",
        "target",
        "values",
        "layer",
        "id",
        "frame",
        "edits",
        "length",
        "source",
        "chosen",
        "span",
    ]
    if dice.random() < 0.7:
        return {dice.choice(words): _anything(dice, deep + 1) for _ in range(dice.randrange(6))}
    return [_anything(dice, deep + 1) for _ in range(dice.randrange(5))]
