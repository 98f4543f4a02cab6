"""The program ill-used on purpose: killed, sent nonsense and damaged files, asked for much at once.

``make abuse`` does all of it on this machine alone (the loopback address, a folder of its own that is
removed afterwards); ``make abuse SHARE=0.1`` a tenth. It ends with an error where an answered edit or
file was lost, an answer was a bare error of the program, something was left behind, or a process
became too large.
"""

from __future__ import annotations

import argparse
import contextlib
import hashlib
import io
import json
import os
import random
import re
import shutil
import signal
import subprocess
import sys
import tempfile
import threading
import time
import wave
import zlib
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx
import numpy as np
from PIL import Image
from websockets.exceptions import ConnectionClosed
from websockets.sync.client import connect

from tests.application import answering, free_port
from tests.clips import coded_clip

WEB_BYTES, WORKER_BYTES = 400 << 20, 1 << 30
NASTY = [
    "..", "../../etc/passwd", "%2e%2e%2f", "\x00", "a" * 5000, "-1", "1e400", "NaN", "9" * 40, "null", "",
    "\u202e\u200b", "file:///etc/passwd", "concat:a|b", "<svg onload=1>", "' OR 1=1 --", "{}", "[[[[", "𝄞",
]  # fmt: skip


class Program:
    """The application as a process: started, killed, and its sizes watched."""

    def __init__(self, folder: Path, device: int = 0) -> None:
        """``device``: bytes of a disk of its own that holds the folder, seen by this program alone."""
        self.folder, self.port, self.device = folder, free_port(), device
        self.address = f"http://127.0.0.1:{self.port}"
        self.largest: dict[str, int] = {}
        self.process: subprocess.Popen[bytes] | None = None
        self.everyone: set[int] = set()
        self._watching = True
        threading.Thread(target=self._watch, daemon=True).start()

    def start(self) -> None:
        command = [sys.executable, "-m", "velvet_seam.cli", "serve", "--folder", str(self.folder)]
        command += ["--port", str(self.port)]
        if self.device:
            command = [*own_disk(self.folder, self.device), *command]
        self.process = subprocess.Popen(command, stdout=subprocess.DEVNULL)
        answering(self.address)

    @property
    def inside(self) -> Path:
        """The folder as the program sees it."""
        assert self.process is not None
        return Path(f"/proc/{self.process.pid}/root{self.folder}") if self.device else self.folder

    def kill(self) -> None:
        assert self.process is not None
        self.process.send_signal(signal.SIGKILL)
        self.process.wait()

    def stop(self) -> None:
        self._watching = False
        if self.process and self.process.poll() is None:
            self.process.terminate()
            self.process.wait(30)

    def alive(self) -> list[int]:
        """Processes of this program, also of earlier starts, that still run."""
        return [pid for pid in self.everyone if _status(pid).get("State", "Z")[:1] not in "ZX"]

    def _watch(self) -> None:
        while self._watching:
            if self.process and self.process.poll() is None:
                for pid in _family(self.process.pid):
                    self.everyone.add(pid)
                    size = int(_status(pid).get("VmRSS", "0").split()[0] or 0) << 10
                    role = "web" if pid == self.process.pid else "worker"
                    self.largest[role] = max(self.largest.get(role, 0), size)
            time.sleep(0.2)


def own_disk(folder: Path, size: int) -> list[str]:
    """What goes before a command so that a folder is on a disk of its own while the command runs."""
    mount = f'mount -t tmpfs -o size={size},mode=700 none {folder} && exec "$@"'
    return ["unshare", "--user", "--map-root-user", "--mount", "sh", "-c", mount, "sh"]


def _status(pid: int) -> dict[str, str]:
    with contextlib.suppress(OSError):
        lines = Path(f"/proc/{pid}/status").read_text(errors="replace").splitlines()
        return {key: rest.strip() for key, _, rest in (line.partition(":") for line in lines)}
    return {}


def _family(first: int) -> set[int]:
    parents = {
        int(path.name): int(_status(int(path.name)).get("PPid", "0"))
        for path in Path("/proc").iterdir()
        if path.name.isdigit()
    }
    found = {first}
    while more := {pid for pid, parent in parents.items() if parent in found} - found:
        found |= more
    return found


class Visitor:
    """One client; every answer of 500 is kept as a fault."""

    def __init__(self, program: Program) -> None:
        self.program = program
        self.client = httpx.Client(base_url=program.address, timeout=60)
        self.faults: list[str] = []

    def ask(self, method: str, path: str, **more: Any) -> httpx.Response:
        answer = self.client.request(method, path, **more)
        if answer.status_code >= 500 and answer.status_code != 507:
            self.faults.append(f"{method} {path[:120]} {answer.status_code} {answer.text[:200]}")
        return answer

    def shot(self, canvas: str = "1080x1920") -> str:
        made = self.ask("POST", "/shots", data={"canvas": canvas}, follow_redirects=False)
        return made.headers["location"].rsplit("/", 1)[1]

    def layer(self, shot: str, **what: Any) -> httpx.Response:
        return self.ask("POST", f"/shots/{shot}/layers", json=what)

    def edit(self, shot: str, **edit: Any) -> httpx.Response:
        return self.ask("POST", f"/shots/{shot}/edits", json={"edit": edit})

    def document(self, shot: str) -> dict[str, Any]:
        found: dict[str, Any] = self.ask("GET", f"/shots/{shot}/parts").json()["state"]["shot"]
        return found

    def announce(self, data: bytes, name: str) -> dict[str, Any]:
        body = {"name": name, "size": len(data), "modified": 1_700_000_000_000}
        told: dict[str, Any] = self.ask("POST", "/footage/arrivals", json=body).json()
        return told

    def send(self, data: bytes, name: str) -> httpx.Response:
        begun = self.announce(data, name)
        if "id" not in begun:
            return self.ask("GET", "/renders")
        path = f"/footage/arrivals/{begun['id']}"
        rest = data[begun["have"] :]
        self.ask("PUT", path, params={"at": begun["have"]}, content=rest)
        return self.ask("POST", f"{path}/finish", json={"crc": zlib.crc32(data)})


def samples(folder: Path) -> dict[str, bytes]:
    """A small file of each kind, whole."""
    coded_clip(folder / "clip.mp4", 40)
    still, moving, sound = io.BytesIO(), io.BytesIO(), io.BytesIO()
    Image.fromarray(np.random.default_rng(1).integers(0, 255, (96, 64, 3), np.uint8)).save(
        still, "PNG"
    )
    pictures = [Image.new("RGB", (64, 64), (n * 12, 80, 200)) for n in range(12)]
    pictures[0].save(moving, "GIF", save_all=True, append_images=pictures[1:], duration=80)
    with wave.open(sound, "wb") as out:
        out.setnchannels(2)
        out.setsampwidth(2)
        out.setframerate(48000)
        out.writeframes(np.random.default_rng(2).integers(-3000, 3000, 96_000, np.int16).tobytes())
    return {
        "clip.mp4": (folder / "clip.mp4").read_bytes(), "still.png": still.getvalue(),
        "moving.gif": moving.getvalue(), "sound.wav": sound.getvalue(),
    }  # fmt: skip


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


def wait_for(visitor: Visitor, job: str, seconds: float = 240) -> str:
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        state = str(visitor.ask("GET", f"/renders/{job}/progress").json()["state"])
        if state in ("done", "failed", "cancelled"):
            return state
        time.sleep(0.3)
    return "never ended"


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


def clips_of(visitor: Visitor) -> set[str]:
    """The ids of all footage."""
    return set(re.findall(r'id="clip-([a-z0-9-]+)"', visitor.ask("GET", "/footage").text))


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


def abuse(share: float, seed: int) -> Iterator[tuple[str, list[str]]]:
    """Each disturbance in turn, with what went wrong."""
    dice = random.Random(seed)
    root = Path(tempfile.mkdtemp(prefix="velvet-seam-abuse-"))
    program = Program(root / "studio")
    part = lambda whole: max(1, round(whole * share))  # noqa: E731
    try:
        whole = samples(root)
        program.start()
        yield f"{part(50)} kills", killed(program, part(50), dice)
        yield f"{part(1000)} hostile requests", hostile(program, part(1000), dice)
        yield f"{part(500)} damaged files", damaged(program, part(500), dice, whole)
        yield f"8 pages for {180 * share:.0f} s, two renders", sockets(program, 180 * share, dice)
        yield f"{part(10_000)} edits", edited(program, part(10_000), dice)
        small = Program(root / "small", 32 << 20)
        small.folder.mkdir()
        if subprocess.run(
            [*own_disk(small.folder, 1 << 20), "true"], capture_output=True
        ).returncode:
            yield "a full disk: left out, no disk of its own can be made here", []
        else:
            small.start()
            try:
                yield f"a full disk, {part(40)} rounds", full_disk(small, part(40), dice)
            finally:
                small.stop()
        program.stop()
        time.sleep(2)
        yield (
            "left behind",
            left_behind(root / "studio") + [f"process {pid}" for pid in program.alive()],
        )
        sizes = f"web at most {program.largest['web'] >> 20} MB, others at most {program.largest['worker'] >> 20} MB"
        large = program.largest["web"] > WEB_BYTES or program.largest["worker"] > WORKER_BYTES
        yield sizes, ["too large"] if large else []
    finally:
        program.stop()
        shutil.rmtree(root, ignore_errors=True)


def main() -> int:
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--share", type=float, default=1.0, help="of the whole, 0.01 to 1")
    asked.add_argument("--seed", type=int, default=1, help="of chance: the same one does the same")
    given = asked.parse_args()
    bad = 0
    print(f"load {os.getloadavg()[0]:.1f}, seed {given.seed}")
    began = time.monotonic()
    for words, faults in abuse(min(max(given.share, 0.01), 1.0), given.seed):
        print(f"{time.monotonic() - began:6.0f} s  {words}: {len(faults)} faults", flush=True)
        for fault in faults[:12]:
            print(f"          {fault}")
        bad += len(faults)
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main())
