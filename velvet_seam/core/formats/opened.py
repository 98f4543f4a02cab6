"""A shot file opened: its footage, the shots in it and their sound, as the engine and the mix ask for them."""

from __future__ import annotations

from velvet_seam.core.engine.nested import Nested
from velvet_seam.core.formats.shot_file import ShotFile
from velvet_seam.core.media.material import Material
from velvet_seam.core.media.probe import probe
from velvet_seam.core.sound.decode import Sound, decode_sound
from velvet_seam.core.sound.mix import Sounds, mix


class Opened:
    """Every file is looked at once, and read when it is asked for."""

    def __init__(self, file: ShotFile) -> None:
        self._file = file
        self._probes = {identity: probe(path) for identity, path in file.files.items()}
        self._found: dict[str, Material | Nested] = {
            identity: Material(identity, path, self._probes[identity], preview=False)
            for identity, path in file.files.items()
        }
        self._heard: dict[str, Sound] = {}
        self.sounds = Sounds(self._sound, lambda identity: self.footage(identity).probe.length)

    def footage(self, identity: str) -> Material | Nested:
        if identity not in self._found:
            shot = self._file.shots[identity]
            self._found[identity] = Nested(shot, lambda one: self.footage(one).digest)
        return self._found[identity]

    def _sound(self, identity: str) -> Sound | None:
        if identity not in self._heard:
            if identity in self._file.shots:
                self._heard[identity] = mix(self._file.shots[identity], self.sounds)
            elif self._probes[identity].has_sound:
                self._heard[identity] = decode_sound(self._file.files[identity])
        return self._heard.get(identity)
