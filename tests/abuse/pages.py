"""Many pages at once, and many edits."""

from __future__ import annotations

import json
import random
import threading
import time

from websockets.exceptions import ConnectionClosed
from websockets.sync.client import connect

from tests.abuse.program import Program, Visitor, wait_for


def sockets(program: Program, seconds: float, dice: random.Random) -> list[str]:
    """Eight pages that ask for pictures without a rest while two renders run."""
    visitor = Visitor(program)
    shot = visitor.shot()
    target = visitor.layer(shot, colour="#aa3355").json()["state"]["shot"]["layers"][0]["id"]
    jobs = [visitor.ask("POST", f"/shots/{shot}/renders", json={}).json()["id"] for _ in range(2)]
    faults: list[str] = []

    def page(seed: int) -> None:
        own, end, pictures = random.Random(seed), time.monotonic() + seconds, 0
        try:
            with connect(f"ws://127.0.0.1:{program.port}/shots/{shot}/live", max_size=None) as line:
                while time.monotonic() < end:
                    trial = {
                        "do": "set-values",
                        "target": target,
                        "values": {"place.x": own.randrange(1000)},
                    }
                    ask = {"number": pictures, "frame": own.randrange(150), "trial": trial}
                    line.send(json.dumps(ask))
                    line.recv(timeout=60)
                    pictures += 1
        except (ConnectionClosed, TimeoutError, OSError) as problem:
            faults.append(f"a page was left alone after {pictures} pictures: {problem!r}")
        if not pictures:
            faults.append("a page saw nothing")

    pages = [threading.Thread(target=page, args=(dice.randrange(1 << 30),)) for _ in range(8)]
    for one in pages:
        one.start()
    for one in pages:
        one.join()
    faults += [f"a render {state}" for job in jobs if (state := wait_for(visitor, job)) != "done"]
    return faults + visitor.faults


def edited(program: Program, count: int, dice: random.Random) -> list[str]:
    """Edit after edit, undone now and then; what was answered last is there after a restart."""
    visitor = Visitor(program)
    shot = visitor.shot()
    target = visitor.layer(shot, colour="#aa3355").json()["state"]["shot"]["layers"][0]["id"]
    value = 0.0
    for n in range(count):
        if n % 50 == 49:
            visitor.ask("POST", f"/shots/{shot}/undo")
        value = dice.randrange(4000) / 4
        visitor.edit(shot, do="set-values", target=target, values={"place.x": value})
    program.kill()
    program.start()
    kept = visitor.document(shot)["layers"][0]["place"]["x"]
    return visitor.faults + ([] if kept == value else [f"answered {value}, kept {kept}"])
