"""A disk that fills up, over and over; and what is left behind."""

from __future__ import annotations

import contextlib
import io
import random
import shutil
import time
from pathlib import Path

from PIL import Image

from tests.abuse.program import Program, Visitor, clips_of, wait_for


def full_disk(program: Program, rounds: int, dice: random.Random) -> list[str]:
    """The disk is full while one works: every refusal is a sentence, and all is there when there is room."""
    visitor = Visitor(program)
    shot = visitor.shot("1080x1350")
    target = visitor.layer(shot, colour="#aa3355").json()["state"]["shot"]["layers"][0]["id"]
    picture = io.BytesIO()
    Image.frombytes("RGB", (300, 300), dice.randbytes(270_000)).save(picture, "PNG")
    still = visitor.send(picture.getvalue(), "still.png").json()["id"]
    clip = program.folder.parent / "clip.mp4"
    moving = visitor.send(clip.read_bytes(), "clip.mp4").json()["id"]
    for footage in (still, moving):
        visitor.layer(shot, footage=footage)
    faults: list[str] = []
    jobs: list[str] = []
    refused, value = 0, -1.0
    ballast = program.inside / "ballast"
    known = clips_of(visitor)
    for n in range(rounds):
        room = (0, 4 << 10, 40 << 10, 200 << 10)[n % 4]
        while (free := shutil.disk_usage(program.inside).free) > room:
            with contextlib.suppress(OSError), ballast.open("ab") as out:
                out.write(bytes(min(free - room, 4 << 20)))
        wished = dice.randrange(4000) / 4
        data = picture.getvalue()[:-12] + dice.randbytes(12)
        answers = [
            visitor.edit(shot, do="set-values", target=target, values={"place.x": wished}),
            visitor.send(data, f"more-{n}.png"),
            visitor.ask("POST", "/footage", files={"files": (f"plain-{n}.png", data)}),
            visitor.ask("POST", f"/shots/{shot}/layers", json={"colour": "#123456"}),
            visitor.ask("POST", f"/shots/{shot}/undo"),
            visitor.ask("POST", f"/shots/{shot}/keep-frame", json={"frame": n % 5}),
            (render := visitor.ask("POST", f"/shots/{shot}/renders", json={"scale": 25})),
            visitor.ask("POST", "/shots", data={"canvas": "720x1280"}, follow_redirects=False),
            *(visitor.ask("GET", path) for path in (
                f"/shots/{shot}/files.zip", f"/footage/{moving}/strip.jpg", f"/shots/{shot}/sound.wav",
                f"/shots/{shot}/picture.jpg?side=200&frame={n}", f"/shots/{shot}/parts", "/footage")),
        ]  # fmt: skip
        for answer in answers:
            if answer.status_code == 507:
                refused += 1
                if "problem" not in answer.text and "room" not in answer.text:
                    faults.append(f"{answer.url} full without a sentence: {answer.text[:100]}")
        ballast.unlink(missing_ok=True)
        again = visitor.send(data, f"more-{n}.png")
        if again.status_code not in (200, 422):
            faults.append(f"with room again a file is refused: {again.text[:120]}")
        for one in clips_of(visitor) - known:  # else the disk is full of them at last
            visitor.ask("DELETE", f"/footage/{one}")
        value = dice.randrange(4000) / 4
        edit = visitor.edit(shot, do="set-values", target=target, values={"place.x": value})
        if edit.status_code != 200:
            faults.append(f"with room again an edit is refused: {edit.text[:120]}")
            continue
        layers = visitor.document(shot)["layers"]
        if layers[0]["place"]["x"] != value or len(layers) < 3:
            faults.append(f"answered {value}, kept {layers[0]['place']['x']}, {len(layers)} layers")
        if render.status_code == 200 and n < 4:
            jobs.append(render.json()["id"])
    if len(jobs) < 4:  # one that was asked for with room
        jobs.append(visitor.ask("POST", f"/shots/{shot}/renders", json={"scale": 25}).json()["id"])
    for job in jobs:
        if (state := wait_for(visitor, job)) not in ("done", "failed"):
            faults.append(f"a render {state}")
    if wait_for(visitor, jobs[-1]) != "done":
        faults.append("a render asked for with room is not done")
    if not refused:
        faults.append("nothing was refused: the disk was never full")
    for name, sent in ((still, picture.getvalue()), (moving, clip.read_bytes())):
        kept = [
            one.read_bytes() == sent
            for one in program.inside.glob(f"footage/{name}*")
            if one.is_file()
        ]
        kept += [one.read_bytes() == sent for one in program.inside.glob(f"footage/{name}/*")]
        if not any(kept):
            faults.append(f"the original of {name} is not what was sent")
    time.sleep(2)
    return faults + visitor.faults + left_behind(program.inside, still_seconds=20)


def left_behind(folder: Path, still_seconds: float = 0) -> list[str]:
    """Files that belong to nothing that is still under way: nobody has written to them for so long."""
    found = [
        one
        for pattern in ("incoming/*", "**/*.part", "renders/*.ranges")
        for one in folder.glob(pattern)
    ]
    now = time.time()
    return [
        str(one.relative_to(folder))
        for one in found
        if one.exists() and now - one.stat().st_mtime >= still_seconds
    ]
