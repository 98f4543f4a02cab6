"""The mixer: a process that mixes the sound of shots and listens to footage, away from the pages.

A mix is written to a file under what it was made from, block by block, and is there at once the next time.
"""

from __future__ import annotations

import asyncio
import hashlib
import json
import os
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from math import isfinite
from multiprocessing.connection import Connection
from pathlib import Path
from threading import Lock
from typing import Any, Literal

import numpy as np

from velvet_seam.core.analyse.beats import Beats, beats
from velvet_seam.core.analyse.onsets import onsets, peaks
from velvet_seam.core.engine.made_by import made_by
from velvet_seam.core.engine.nested import nested_ids
from velvet_seam.core.problem import Full, Problem
from velvet_seam.core.shot.shot import Shot, load
from velvet_seam.core.sound.loudness import loudness
from velvet_seam.core.sound.mix import MOST_WAV, mixed, wav_head, wav_samples
from velvet_seam.core.timing.rate import SOUND_RATE, frames_to_samples
from velvet_seam.store.library import Library
from velvet_seam.work.helper import Helper

KEPT_BYTES = 1 << 30
"""Of mixes that have been made; those asked for longest ago go first, but for the last."""

HEARD_SECONDS = 15 * 60
"""So much of a sound is listened to for beats."""

LONGEST_SECONDS = 600.0


@dataclass(frozen=True)
class Mixed:
    """Ask for the mix of a shot as a WAV file: its path."""

    document: str
    only: tuple[str, ...] = ()


@dataclass(frozen=True)
class Loudness:
    """Ask how loud the mix of a shot is, in LUFS; None where it is silent."""

    document: str


@dataclass(frozen=True)
class Listen:
    """Ask for the beats of footage, or for times in seconds at which something begins or is loud."""

    footage: str
    found: Literal["beats", "onsets", "peaks"]


Question = Mixed | Loudness | Listen


class Mixer:
    """Answers questions; lives in its own process."""

    def __init__(self, library: Library) -> None:
        self._library = library

    def answer(self, question: Question) -> Any:
        match question:
            case Mixed():
                return str(self._mixed(load(question.document), question.only))
            case Loudness():
                return self._loudness(load(question.document))
            case Listen():
                return self._listen(question)

    def _mixed(self, shot: Shot, only: tuple[str, ...]) -> Path:
        samples = frames_to_samples(shot.length, shot.rate)
        if samples * 4 > MOST_WAV:
            raise Problem("This shot is longer than six hours, and is not mixed in one piece.")
        path = self._library.folder.mix(self._key(shot, only))
        if path.exists():
            os.utime(path)
            return path
        part = path.with_suffix(".part")
        try:
            with part.open("wb") as file:
                file.write(wav_head(samples))
                for block in mixed(shot, self._library.sounds, only):
                    file.write(wav_samples(block))
            part.replace(path)
        finally:
            part.unlink(missing_ok=True)
        self._forget_old(path)
        return path

    def _key(self, shot: Shot, only: tuple[str, ...]) -> str:
        """By all that is heard, and by nothing that is only seen."""
        heard = [
            layer.model_dump(
                mode="json", include={"id", "source", "span", "time", "sound", "hidden"}
            )
            for layer in shot.layers
        ]
        tracks = [
            sound.model_dump(mode="json", exclude={"name", "locked"}) for sound in shot.sounds
        ]
        ready = sorted(one for one in shot.footage_ids() if self._library.footage.get(one).missing)
        inside = [self._library.nested_digest(one) for one in sorted(nested_ids(shot))]
        parts = [made_by(), str(shot.rate), shot.length, heard, tracks, sorted(only), ready, inside]
        return hashlib.blake2b(json.dumps(parts).encode(), digest_size=16).hexdigest()

    def _forget_old(self, newest: Path) -> None:
        mixes = sorted(newest.parent.glob("*.mix.wav"), key=lambda one: one.stat().st_mtime)
        size = sum(one.stat().st_size for one in mixes)
        for one in mixes:
            if size <= KEPT_BYTES or one == newest:
                break
            size -= one.stat().st_size
            one.unlink(missing_ok=True)

    def _loudness(self, shot: Shot) -> float | None:
        blocks = list(mixed(shot, self._library.sounds))
        found = loudness(np.concatenate(blocks))
        return found if isfinite(found) else None

    def _listen(self, question: Listen) -> Beats | list[float] | None:
        sound = self._library.sound_of(question.footage)
        if sound is None:
            return None
        some = np.asarray(sound[: HEARD_SECONDS * SOUND_RATE])
        if question.found == "beats":
            return beats(some)
        return list(onsets(some) if question.found == "onsets" else peaks(some))


def serve(root: str, pipe: Connection) -> None:
    """The mixer's process: answers questions from a pipe until it is closed."""
    os.nice(5)
    os.umask(0o077)
    mixer = Mixer(Library(Path(root)))
    while True:
        try:
            question = pipe.recv()
        except (EOFError, KeyboardInterrupt):
            return
        try:
            pipe.send(("fine", mixer.answer(question)))
        except Problem as problem:
            pipe.send(("problem", str(problem)))
        except MemoryError:
            pipe.send(("problem", "There is not enough memory to mix this sound."))
        except OSError as error:
            why = error.strerror or "the disk refused"
            pipe.send(
                ("full", f"The sound could not be mixed: {why}. The pictures are not affected.")
            )


class Mixing:
    """The web process's side of the mixer, which is started when it is first asked."""

    def __init__(self, root: Path) -> None:
        self._helper = Helper(root, serve, "mixer")
        self._thread = ThreadPoolExecutor(1, thread_name_prefix="mixing")
        self._turn = Lock()

    async def ask(self, question: Question) -> Any:
        """The mixer's answer.

        Raises:
            Problem: with the mixer's sentence.
        """
        return await asyncio.get_running_loop().run_in_executor(self._thread, self.wait, question)

    def wait(self, question: Question) -> Any:
        with self._turn:
            try:
                outcome, value = self._helper.exchange(question, LONGEST_SECONDS)
            except (EOFError, OSError):
                self._helper.launch()
                raise Problem("The sound could not be mixed; it is tried afresh.") from None
        if outcome == "fine":
            return value
        raise (Full if outcome == "full" else Problem)(value)

    def stop(self) -> None:
        self._thread.shutdown(wait=True, cancel_futures=True)
        self._helper.stop()
