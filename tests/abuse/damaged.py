"""Damaged files, sent in and used."""

from __future__ import annotations

import random

from tests.abuse.program import Program, Visitor
from tests.application import answering


def damaged(
    program: Program, count: int, dice: random.Random, whole: dict[str, bytes]
) -> list[str]:
    """Damaged files, sent in as a page sends them, laid on a canvas and looked at."""
    visitor = Visitor(program)
    shot = visitor.shot()
    for n in range(count):
        name = dice.choice(list(whole))
        data = bytearray(whole[name])
        for _ in range(dice.choice([1, 4, 40])):
            data[dice.randrange(len(data))] = dice.randrange(256)
        if dice.random() < 0.3:
            del data[dice.randrange(8, len(data)) :]
        item = visitor.send(bytes(data), f"{n}-{name}")
        if item.status_code != 200:
            if "problem" not in item.text:
                visitor.faults.append(f"refused without a sentence: {item.text[:100]}")
            continue
        footage = item.json()["id"]
        laid = visitor.layer(shot, footage=footage)
        for path in (f"/footage/{footage}/poster.jpg", f"/footage/{footage}/strip.jpg", f"/footage/{footage}/wave.json",
                     f"/shots/{shot}/picture.jpg?side=120", f"/shots/{shot}/sound.wav"):  # fmt: skip
            visitor.ask("GET", path)
        if laid.status_code == 200:
            visitor.ask("POST", f"/shots/{shot}/undo")
        visitor.ask("DELETE", f"/footage/{footage}")
    answering(program.address)
    return visitor.faults
