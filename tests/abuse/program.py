"""The program that is abused, with the sizes of its processes, and who asks it."""

from __future__ import annotations

import contextlib
import io
import re
import signal
import subprocess
import sys
import threading
import time
import wave
import zlib
from pathlib import Path
from typing import Any

import httpx
import numpy as np
from PIL import Image

from tests.application import answering, free_port
from tests.clips import coded_clip

WEB_BYTES, WORKER_BYTES = 400 << 20, 1 << 30


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


def wait_for(visitor: Visitor, job: str, seconds: float = 240) -> str:
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        state = str(visitor.ask("GET", f"/renders/{job}/progress").json()["state"])
        if state in ("done", "failed", "cancelled"):
            return state
        time.sleep(0.3)
    return "never ended"


def clips_of(visitor: Visitor) -> set[str]:
    """The ids of all footage."""
    return set(re.findall(r'id="clip-([a-z0-9-]+)"', visitor.ask("GET", "/footage").text))
