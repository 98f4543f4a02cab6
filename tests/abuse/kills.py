"""Kills: nothing that was answered is lost, and a render that was disturbed is the same to the byte."""

from __future__ import annotations

import contextlib
import hashlib
import io
import random
import threading
import time
import zlib

import httpx
from PIL import Image

from tests.abuse.program import Program, Visitor, wait_for


def killed(program: Program, times: int, dice: random.Random) -> list[str]:
    """Killed at any moment of edits, an upload and a render: what was answered is there afterwards."""
    lost: list[str] = []
    visitor = Visitor(program)
    still, fixed = visitor.shot("1080x1350"), visitor.shot("1080x1080")
    target = visitor.layer(still, colour="#aa3355").json()["state"]["shot"]["layers"][0]["id"]
    visitor.layer(fixed, colour="#3355aa")
    renders: list[str] = []
    for arrived in range(times):
        data = dice.randbytes(300_000) + dice.randbytes(8)
        picture = io.BytesIO()
        Image.frombytes("RGB", (400, 250), data[:300_000]).save(picture, "PNG")
        data, answered, stop = picture.getvalue(), -1.0, threading.Event()
        if len(renders) < 4:
            renders.append(
                visitor.ask("POST", f"/shots/{fixed}/renders", json={"scale": 25}).json()["id"]
            )
        begun = visitor.announce(data, f"p{arrived}.png")
        half = len(data) // 2
        if begun["have"] < half:
            visitor.ask("PUT", f"/footage/arrivals/{begun['id']}", params={"at": begun["have"]},
                        content=data[begun["have"] : half])  # fmt: skip

        def end(wait: float = dice.uniform(0, 1.2), stop: threading.Event = stop) -> None:
            time.sleep(wait)
            stop.set()
            program.kill()

        ending = threading.Thread(target=end)
        ending.start()
        value = dice.randrange(1000) * 1.0
        while not stop.is_set():
            value += 1
            with contextlib.suppress(httpx.HTTPError):
                if visitor.edit(still, do="set-values", target=target,
                                values={"place.x": value}).status_code == 200:  # fmt: skip
                    answered = value
        ending.join()
        program.start()
        kept = visitor.document(still)["layers"][0]["place"]["x"]
        if answered >= 0 and kept not in (answered, answered + 1):
            lost.append(f"an edit: answered {answered}, kept {kept}")
        again = visitor.announce(data, f"p{arrived}.png")
        if again["have"] < half:
            lost.append(f"bytes: {half} were answered, {again['have']} are there")
        path = f"/footage/arrivals/{again['id']}"
        visitor.ask("PUT", path, params={"at": again["have"]}, content=data[again["have"] :])
        item = visitor.ask("POST", f"{path}/finish", json={"crc": zlib.crc32(data)})
        files = {hashlib.sha256(one.read_bytes()).digest() for one in program.folder.glob("footage/*/*")
                 if one.is_file()} | {hashlib.sha256(one.read_bytes()).digest()
                                      for one in program.folder.glob("*/*.png")}  # fmt: skip
        if item.status_code != 200 or hashlib.sha256(data).digest() not in files:
            lost.append(f"a file: {item.text[:100]}")
    outcomes = set()
    for job in renders:
        done = wait_for(visitor, job)
        film = (
            visitor.ask("GET", f"/renders/{job}/file").content if done == "done" else done.encode()
        )
        outcomes.add(hashlib.sha256(film).hexdigest())
    if len(outcomes) != 1:
        lost.append(f"{len(outcomes)} different films of one shot")
    return lost + visitor.faults
