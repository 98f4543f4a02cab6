"""Sound: sample-exact placing, levels, and the beats of the drawn waltz where they are said to be."""

from __future__ import annotations

import io
import tracemalloc
import wave
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.layer import SoundTrack, Span, TimeMap
from velvet_seam.core.shot.shot import Canvas, Shot
from velvet_seam.core.sound import mix as mixing
from velvet_seam.core.sound.decode import decode_sound
from velvet_seam.core.sound.mix import Sounds, wav_head, wav_samples
from velvet_seam.core.sound.speed import Recorded
from velvet_seam.core.timing.animated import Keyframe, Keyframes
from velvet_seam.core.timing.rate import frames_to_samples
from velvet_seam.demo import waltz
from velvet_seam.demo.draw import FOLDER


def mix(shot, sound_of, length_of=None, only=()):
    """A mix in which footage is as long as its sound, where nothing else is said."""
    length = length_of or (lambda one: Fraction(len(sound_of(one)), 48000))
    return mixing.mix(shot, Sounds(sound_of, length), only)


CLICK = np.zeros((4800, 2), np.float32)
CLICK[0] = 0.5


def shot_with(rate: str, *tracks: SoundTrack, length: int = 100) -> Shot:
    canvas = Canvas(width=64, height=64)
    return Shot(name="s", canvas=canvas, rate=rate, length=length, sounds=tracks)


@given(st.sampled_from(["25", "30000/1001", "24000/1001", "60"]), st.integers(0, 98))
def test_a_click_lies_on_the_sample_at_which_its_frame_begins(rate, frame):
    track = SoundTrack(id="t", name="t", footage="c", span=Span(first=frame, last=99))
    shot = shot_with(rate, track)
    out = mix(shot, lambda _: CLICK)
    assert np.flatnonzero(out[:, 0]).tolist() == [round(frame * 48000 / Fraction(rate))]
    assert len(out) == frames_to_samples(100, shot.rate)


def test_trimmed_gained_silenced_and_limited():
    ramp = np.linspace(0, 1, 48000, dtype=np.float32)[:, None].repeat(2, 1)
    span = Span(first=5, last=9)
    track = SoundTrack(id="t", name="t", footage="c", span=span, gain=-6.0206,
                       time=TimeMap(source_in=Fraction(1, 2)))  # fmt: skip
    out = mix(shot_with("25", track), lambda _: ramp)
    assert out[9600 - 1, 0] == 0
    assert np.allclose(out[9600:19200], ramp[24000:33600] / 2, atol=1e-5)
    assert out[19200:].max() == 0
    loud = track.model_copy(update={"gain": 24.0})
    assert mix(shot_with("25", loud), lambda _: ramp).max() == 1
    off = track.model_copy(update={"on": False})
    assert mix(shot_with("25", off), lambda _: ramp).max() == 0


def test_some_are_heard_alone():
    tracks = [
        SoundTrack(id=f"t-{n}", name="t", footage="c", span=Span(first=10 * n, last=99), on=n != 2)
        for n in range(3)
    ]
    shot = shot_with("25", *tracks)
    clicks = [np.flatnonzero(mix(shot, lambda _: CLICK, only=only)[:, 0]).tolist()
              for only in ((), {"t-1"}, {"t-0", "t-1"}, {"t-2"}, {"t-gone"})]  # fmt: skip
    assert clicks == [[0, 19200], [19200], [0, 19200], [], []]  # what is silent stays so


def clip_with_sound(path: Path, picture_from: float, sound_from: float) -> None:
    """A second of grey pictures and a click 0.25 s into the sound, each beginning when it is told."""
    with av.open(str(path), "w", format="matroska") as container:
        picture = container.add_stream("libx264", rate=25)
        picture.width, picture.height, picture.pix_fmt = 64, 64, "yuv420p"
        picture.options = {"bf": "0"}
        sound = container.add_stream("flac", rate=44100, layout="mono")
        for number in range(25):
            frame = av.VideoFrame.from_ndarray(np.full((64, 64, 3), 90, np.uint8), format="rgb24")
            frame.pts, frame.time_base = round(picture_from * 1000) + number * 40, Fraction(1, 1000)
            container.mux(picture.encode(frame))
        samples = np.zeros((1, 44100), np.int16)
        samples[0, 11025] = 20000
        for start in range(0, 44100, 1024):
            block = av.AudioFrame.from_ndarray(samples[:, start : start + 1024].copy(),
                                               format="s16", layout="mono")  # fmt: skip
            block.sample_rate, block.time_base = 44100, Fraction(1, 44100)
            block.pts = round(sound_from * 44100) + start
            container.mux(sound.encode(block))
        for stream in (picture, sound):
            container.mux(stream.encode(None))


@pytest.mark.parametrize(("picture_from", "sound_from"), [(0, 0), (0, 0.4), (0.2, 0), (1.6, 1.6)])
def test_sound_stays_with_the_pictures_wherever_the_streams_begin(
    tmp_path, picture_from, sound_from
):
    path = tmp_path / "a.mkv"
    clip_with_sound(path, picture_from, sound_from)
    sound = decode_sound(path)
    click = int(np.abs(sound[:, 0]).argmax())
    # Matroska keeps times in whole milliseconds
    assert click / 48000 == pytest.approx(0.25 + sound_from - picture_from, abs=0.0015)


def broken_sound(path: Path, broken: set[int]) -> Path:
    """Two seconds of grey pictures with noise in AC-3, of which some packets, of 32 ms each, are zeros."""
    rng = np.random.default_rng(6)
    noise = rng.normal(0, 0.1, (2, 96_000)).astype(np.float32)
    with av.open(str(path), "w", format="matroska") as container:
        picture = container.add_stream("libx264", rate=25)
        picture.width, picture.height, picture.pix_fmt = 64, 64, "yuv420p"
        sound = container.add_stream("ac3", rate=48000, layout="stereo")
        count = 0
        for _ in range(50):
            frame = av.VideoFrame.from_ndarray(np.full((64, 64, 3), 90, np.uint8), format="rgb24")
            container.mux(picture.encode(frame))
        for start in (*range(0, 96_000, 1536), None):
            block = None
            if start is not None:
                part = np.ascontiguousarray(noise[:, start : start + 1536])
                block = av.AudioFrame.from_ndarray(part, format="fltp", layout="stereo")
                block.sample_rate, block.pts = 48000, start
            for packet in sound.encode(block):
                if count in broken:
                    zeros = av.Packet(bytes(packet.size))
                    zeros.pts, zeros.dts, zeros.duration = packet.pts, packet.dts, packet.duration
                    zeros.time_base, zeros.stream = packet.time_base, sound
                    packet = zeros
                container.mux(packet)
                count += 1
        container.mux(picture.encode(None))
    return path


def test_what_does_not_decode_of_a_sound_is_silent_and_the_rest_stays_where_it_is(tmp_path: Path):
    whole = decode_sound(broken_sound(tmp_path / "whole.mkv", set()))
    sound = decode_sound(broken_sound(tmp_path / "broken.mkv", {0, 20, 21, 22, 23}))
    assert abs(len(sound) - len(whole)) <= 64
    gap = slice(int(20.5 * 1536), int(23.5 * 1536))  # 0.65 to 0.77 s
    assert np.abs(whole[gap]).max() > 0.1
    assert np.abs(sound[gap]).max() < 1e-4
    for part in (slice(4000, 28_000), slice(45_000, 90_000)):
        moved = np.correlate(sound[part, 0], whole[part.start + 64 : part.stop - 64, 0], "valid")
        # Matroska keeps times in whole milliseconds
        assert abs(int(moved.argmax()) - 64) <= 48
    with pytest.raises(Problem, match="cannot be decoded"):
        decode_sound(broken_sound(tmp_path / "none.mkv", set(range(99))))


def test_gain_may_move():
    level = Keyframes(keys=[Keyframe(frame=0, value=0), Keyframe(frame=10, value=-20)])
    track = SoundTrack(id="t", name="t", footage="c", span=Span(first=0, last=24), gain=level)
    out = mix(shot_with("25", track), lambda _: np.ones((48000, 2), np.float32))
    assert out[0, 0] == pytest.approx(1)
    assert out[frames_to_samples(5, Fraction(25)), 0] == pytest.approx(10**-0.5, rel=1e-3)
    assert out[frames_to_samples(20, Fraction(25)), 0] == pytest.approx(0.1, rel=1e-3)


def test_the_file_holds_the_mix():
    tone = (0.4 * np.sin(np.arange(9600) / 20))[:, None].repeat(2, 1).astype(np.float32)
    with wave.open(io.BytesIO(wav_head(len(tone)) + wav_samples(tone))) as file:
        assert (file.getframerate(), file.getnchannels(), file.getnframes()) == (48000, 2, 9600)
        back = np.frombuffer(file.readframes(9600), "<i2").reshape(-1, 2) / 32767
    assert np.abs(back - tone).max() < 2e-5


def test_other_rates_and_channels_become_48_khz_stereo(tmp_path: Path):
    with wave.open(str(tmp_path / "mono.wav"), "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(2)
        file.setframerate(22050)
        tone = 0.5 * np.sin(2 * np.pi * 440 * np.arange(22050) / 22050)
        file.writeframes(np.rint(tone * 32767).astype("<i2").tobytes())
    sound = decode_sound(tmp_path / "mono.wav")
    assert abs(len(sound) - 48000) <= 32
    spectrum = np.abs(np.fft.rfft(sound[:48000, 0]))
    assert spectrum.argmax() == 440
    assert (sound[:, 0] == sound[:, 1]).all()


@pytest.mark.parametrize(
    ("layout", "level"),
    [("mono", (1, 1)), ("stereo", (1, 0)), ("5.1", (1, 0))],
)
@pytest.mark.parametrize("rate", [22050, 48000])
def test_a_channel_is_heard_as_loud_as_it_is(
    tmp_path: Path, layout: str, level: tuple[float, float], rate: int
):
    """A tone in the first channel: one alone is both sides, as players have it (W3C, *Web Audio*: mono to stereo)."""
    wave_, path = tone(440, 1.0, rate)[:, 0], tmp_path / "a.mkv"
    many = av.AudioLayout(layout).nb_channels
    samples = np.zeros((1, many * len(wave_)), np.int16)
    samples[0, ::many] = np.rint(wave_ * 32767)
    with av.open(str(path), "w") as container:
        stream = container.add_stream("pcm_s16le", rate=rate, layout=layout)
        block = av.AudioFrame.from_ndarray(samples, format="s16", layout=layout)
        block.sample_rate, block.pts = rate, 0
        container.mux(stream.encode(block))
        container.mux(stream.encode(None))
    sound = decode_sound(path)
    assert sound[4800:43200].std(0) == pytest.approx(np.array(level) * 0.5 / np.sqrt(2), abs=2e-3)


def test_the_waltz_strikes_on_its_beats():
    sound = decode_sound(FOLDER / "tin-waltz.wav")
    energy = np.square(sound).sum(1)
    for beat in waltz.beats()[:12]:
        at = round(beat * 48000)
        before, after = energy[max(0, at - 960) : at].sum(), energy[at : at + 960].sum()
        assert after > 1.3 * before


def tone(hertz: float, seconds: float, rate: int = 48000) -> np.ndarray:
    wave_ = 0.5 * np.sin(2 * np.pi * hertz * np.arange(round(seconds * rate)) / rate)
    return np.repeat(wave_[:, None], 2, 1).astype(np.float32)


def pitch(sound: np.ndarray) -> float:
    """Hertz of the loudest part of a sound's middle."""
    quarter = len(sound) // 4
    middle = sound[quarter:-quarter, 0]
    spectrum = np.abs(np.fft.rfft(middle * np.hanning(len(middle)), 8 * len(middle)))
    return float(spectrum.argmax() * 48000 / (8 * len(middle)))


def track_at(speed: object, **time: object) -> Shot:
    made = {"speed": speed, **time}
    track = {"id": "t", "name": "t", "footage": "c", "span": {"first": 0, "last": 49}, "time": made}
    return shot_with("25", SoundTrack.model_validate(track), length=50)


@pytest.mark.parametrize(("how", "speed", "heard"), [
    ("follow", 50, 220), ("follow", 200, 880), ("follow", -100, 440),
    ("keep-pitch", 50, 440), ("keep-pitch", 170, 440), ("stay", 50, 440),
])  # fmt: skip
def test_a_sound_follows_its_clips_speed_in_pitch_or_not(how, speed, heard):
    shot = track_at(speed, sound=how, source_in="3")
    out = mix(shot, lambda _: tone(440, 8))
    assert pitch(out) == pytest.approx(heard, rel=0.004)
    level = np.sqrt((out[9600:-9600] ** 2).mean())
    assert level == pytest.approx(0.5 / np.sqrt(2), rel=0.06)  # neither gaps nor doubled


@pytest.mark.parametrize(("semitones", "how", "speed", "heard"), [
    (12, "follow", 100, 880), (-7, "follow", 100, 440 * 2 ** (-7 / 12)),
    (12, "follow", 50, 440), (5, "keep-pitch", 150, 440 * 2 ** (5 / 12)), (12, "stay", 50, 880),
])  # fmt: skip
def test_pitch_alone_is_changed(semitones, how, speed, heard):
    shot = track_at(speed, sound=how, source_in="3")
    track = shot.sounds[0].model_copy(update={"pitch": float(semitones)})
    out = mix(shot.model_copy(update={"sounds": (track,)}), lambda _: tone(440, 8))
    assert pitch(out) == pytest.approx(heard, rel=0.006)
    level = np.sqrt((out[9600:-9600] ** 2).mean())
    assert level == pytest.approx(0.5 / np.sqrt(2), rel=0.1)


@pytest.mark.parametrize("how", ["follow", "stay"])
def test_pitch_is_keyed_and_the_sound_keeps_its_time(how):
    """A tone that rises by an octave over its middle second; clicks beside it stay where they were."""
    rise = {"keys": [{"frame": 12, "value": 0, "ease": "linear"}, {"frame": 37, "value": 12}]}
    shot = track_at(100, sound=how, source_in="3")
    track = SoundTrack.model_validate({**shot.sounds[0].model_dump(), "pitch": rise})
    out = mix(shot.model_copy(update={"sounds": (track,)}), lambda _: tone(440, 8))
    quarter, octave = len(out) // 4, 440 * 2 ** (np.array([0, 0.5, 1]) * 1)
    for part, heard in zip((out[:quarter], out[-quarter:]), octave[[0, 2]], strict=True):
        assert pitch(part) == pytest.approx(heard, rel=0.006)
    middle = out[len(out) // 2 - 2400 : len(out) // 2 + 2400]
    assert pitch(middle) == pytest.approx(440 * 2 ** (12.5 / 25), rel=0.03)
    bursts = np.zeros((48_000 * 8, 2), np.float32)
    struck = [3 * 48_000 + 9600 * n for n in range(1, 9)]
    for at in struck:
        bursts[at : at + 480] = tone(2000, 0.01)[:480]
    heard = mix(shot.model_copy(update={"sounds": (track,)}), lambda _: bursts)
    level = np.abs(heard[:, 0])
    for at in struck:
        around = level[at - 144_000 - 4800 : at - 144_000 + 4800]
        assert (
            abs(int(np.argmax(around > 0.5 * around.max())) - 4800) < 1000
        )  # 21 ms, a piece's half


def test_a_keyed_fade_is_as_long_as_it_is_just_then():
    """A fade of two seconds that becomes one of half a second after a quarter of one: by then half over."""
    rng = np.random.default_rng(6)
    noise = rng.normal(0, 0.1, (200_000, 2)).astype(np.float32)
    short = {"keys": [{"frame": 0, "value": 50, "ease": "hold"}, {"frame": 7, "value": 12.5}]}
    track = {
        "id": "a",
        "name": "a",
        "footage": "a",
        "span": {"first": 0, "last": 49},
        "fade_in": short,
    }
    out = mix(shot_with("25", SoundTrack.model_validate(track), length=50), lambda _: noise)
    part = np.where(np.arange(48_000) < 6 * 1920, 96_000, 24_000)
    wanted = np.sin(np.pi / 2 * np.minimum((np.arange(48_000) + 0.5) / part, 1))[:, None]
    for piece in (slice(0, 6 * 1920), slice(7 * 1920, 48_000)):  # a frame lies between
        assert np.abs(out[piece] - (noise[:48_000] * wanted)[piece]).max() < 1e-3


def test_two_sounds_that_cross_are_as_loud_as_one():
    rng = np.random.default_rng(5)
    first, second = (rng.normal(0, 0.1, (200_000, 2)).astype(np.float32) for _ in range(2))
    tracks = [
        {"id": "a", "name": "a", "footage": "a", "span": {"first": 0, "last": 49}, "fade_out": 20},
        {"id": "b", "name": "b", "footage": "b", "span": {"first": 30, "last": 79}, "fade_in": 20},
    ]
    shot = shot_with("25", *(SoundTrack.model_validate(one) for one in tracks), length=80)
    out = mix(shot, lambda one: {"a": first, "b": second}[one])
    power = (out.reshape(16, -1) ** 2).mean(axis=1)
    assert power == pytest.approx(np.full(16, 0.01), rel=0.06)
    alone = mix(shot, lambda one: first if one == "a" else None)
    assert np.abs(alone[95_000:96_000]).max() < 0.02  # gone at its end
    assert np.array_equal(alone[:50_000], first[:50_000])


def test_what_a_speed_cannot_hold_is_not_heard():
    """20 kHz at twice the speed would fold back to 8 kHz."""
    assert np.abs(mix(track_at(200), lambda _: tone(20000, 5))[4800:-4800]).max() < 0.01


def test_a_click_stays_on_its_frame_at_any_speed_and_backwards():
    sound = np.zeros((96000, 2), np.float32)
    sound[48000] = 0.9
    for speed, source_in, frame in ((50, "0", 50), (200, "0", 12.5), (-100, "1.6", 15)):
        shot = track_at(speed, source_in=source_in.replace("1.6", "8/5"))
        out = mix(shot, lambda _: sound)
        if frame < 50:
            assert abs(int(np.abs(out[:, 0]).argmax()) - frame * 1920) <= 1
    ramp = {"keys": [{"frame": 0, "value": 0, "ease": "linear"}, {"frame": 25, "value": 200}]}
    out = mix(track_at(ramp), lambda _: sound)  # n²/25 frames have passed: 25 of them at frame 25
    assert abs(int(np.abs(out[:, 0]).argmax()) - 25 * 1920) <= 1


def test_a_sound_begins_again_where_its_picture_does():
    sound = np.zeros((30000, 2), np.float32)  # its picture lasts a little less
    sound[100] = 0.9
    out = mix(track_at(100, ends="loop"), lambda _: sound, lambda _: Fraction(15, 25))
    assert np.flatnonzero(np.abs(out[:, 0]) > 0.5).tolist() == [100, 28900, 57700, 86500]


VOICES = {
    "plain": {},
    "faster": {"time": TimeMap(speed=230)},
    "a ramp": {"time": TimeMap(speed=Keyframes(
        keys=(Keyframe(frame=0, value=20.0), Keyframe(frame=60, value=300.0))))},
    "looped": {"time": TimeMap(speed=140, ends="loop", source_in=Fraction(-1, 3))},
    "back and forth": {"time": TimeMap(speed=180, ends="bounce")},
    "in its own pitch": {"time": TimeMap(speed=70, sound="keep-pitch")},
    "higher": {"pitch": 5.0},
    "rising, slower": {"time": TimeMap(speed=60), "pitch": Keyframes(
        keys=(Keyframe(frame=0, value=-7.0), Keyframe(frame=80, value=9.0)))},
    "faded": {"fade_in": 11.0, "gain": Keyframes(
        keys=(Keyframe(frame=0, value=0.0), Keyframe(frame=50, value=-20.0)))},
}  # fmt: skip


@pytest.mark.parametrize("kind", VOICES)
def test_a_mix_in_blocks_is_the_mix_in_one(kind, monkeypatch):
    """Wherever a block begins nothing of a voice shows it, however it is made."""
    noise = np.random.default_rng(5).normal(0, 0.1, (60_000, 2)).astype(np.float32)
    sound = noise + 0.3 * tone(330, 1.25)[: len(noise)]
    track = SoundTrack(id="t", name="t", footage="c", span=Span(first=3, last=96), **VOICES[kind])
    shot = shot_with("24000/1001", track)
    whole = mix(shot, lambda _: sound)
    assert np.abs(whole).max() > 0.1
    monkeypatch.setattr(mixing, "BLOCK", 7919)
    in_blocks = mix(shot, lambda _: sound)
    assert in_blocks.shape == whole.shape
    # where a clip is read between samples, its place is a number with a rounding of its own
    assert np.abs(in_blocks - whole).max() < 2e-4


def test_a_length_that_a_file_only_claims_takes_no_room(monkeypatch):
    """Four hundred years of a loop, and a sound that says it begins a month late."""
    track = SoundTrack(id="t", name="t", footage="c", span=Span(first=0, last=99),
                       time=TimeMap(ends="loop", speed=130))  # fmt: skip
    asked: list[tuple[int, int]] = []
    take = Recorded.take
    monkeypatch.setattr(
        Recorded, "take", lambda self, a, b: asked.append((a, b)) or take(self, a, b)
    )
    out = mix(shot_with("25", track), lambda _: CLICK, lambda _: Fraction(400 * 365 * 86_400))
    assert np.abs(out).max() > 0.1
    assert max(b - a for a, b in asked) < 2 * mixing.BLOCK


def test_hours_of_sound_are_mixed_in_the_room_of_seconds():
    track = SoundTrack(id="t", name="t", footage="c", span=Span(first=0, last=149_999),
                       time=TimeMap(ends="loop", speed=90, sound="keep-pitch"))  # fmt: skip
    shot = shot_with("25", track, length=150_000)
    sounds = Sounds(lambda _: tone(220, 2), lambda _: Fraction(2))
    blocks = mixing.mixed(shot, sounds)
    tracemalloc.start()
    for _ in range(6):
        assert np.abs(next(blocks)).max() > 0.1
    assert tracemalloc.get_traced_memory()[1] < 40e6  # of 2.7 GB that all of it takes
    tracemalloc.stop()
