"""What a file from outside holds: size, exact frame times, alpha, sound."""

from __future__ import annotations

import itertools
from bisect import bisect_right
from fractions import Fraction
from pathlib import Path
from typing import Literal

import av
import av.error
import pi_heif
from PIL import Image, ImageOps, UnidentifiedImageError
from pydantic import BaseModel

from velvet_seam.core.damage import CLIP_DAMAGE, STILL_DAMAGE
from velvet_seam.core.media import flipbook
from velvet_seam.core.media.pictures import decoder_with_coverage, picture_streams
from velvet_seam.core.media.size import MAX_PIXELS
from velvet_seam.core.opening import open_file
from velvet_seam.core.problem import Problem
from velvet_seam.core.timing.rate import FrameRate

MAX_SIDE = 16_384
MAX_FRAMES = 432_000
MAX_WORK = 2e12
"""Pixels of all frames together: four hours at 1080 lines and 60 frames a second, an hour at 2160."""

MAX_FLIPBOOK_WORK = 6e9
"""The same for animated stills, which are read one after the other by slower means: 20 s at 1080 lines."""
Image.MAX_IMAGE_PIXELS = MAX_PIXELS

STILL_FORMATS = ("PNG", "JPEG", "WEBP", "TIFF", "AVIF", "HEIF", "BMP", "GIF")
"""A file of these with several pictures is a clip, but for TIFF and HEIF, whose others are not later ones."""

pi_heif.register_heif_opener()


class Probe(BaseModel):
    """What a file holds. ``width`` and ``height`` are as seen, after any rotation flag."""

    kind: Literal["clip", "still", "sound"]
    format: str
    width: int = 0
    height: int = 0
    rate: FrameRate = Fraction(25)
    varies: bool = False
    regular: bool = False
    """Every frame lies on the grid of ``rate``, as well as the file's own clock can say it."""
    times: list[int] = []
    """Presentation time of every frame in ticks of ``tick``, in order, the first at 0."""
    tick: FrameRate | Fraction = Fraction(1)
    first_pts: int = 0
    rotation: int = 0
    alpha: bool = False
    hdr: Literal["", "HLG", "PQ"] = ""
    """The kind of HDR, where it is one: it is brought to SDR while reading."""
    sound_rate: int = 0
    sound_channels: int = 0
    seconds: float = 0.0
    missing: float = 0.0
    """Seconds that the file announces and does not hold: it was cut off, or its end is damaged."""

    @property
    def frames(self) -> int:
        return len(self.times)

    @property
    def moving(self) -> bool:
        return self.kind == "clip"

    @property
    def has_sound(self) -> bool:
        return self.sound_channels > 0

    @property
    def unheard(self) -> bool:
        """It has a sound that cannot be decoded."""
        return self.sound_rate > 0 and not self.has_sound

    def begins(self, number: int) -> Fraction:
        """The source time at which a frame begins to show, in seconds."""
        return number / self.rate if self.regular else self.times[number] * self.tick

    @property
    def length(self) -> Fraction:
        """Seconds from the first frame to the end of the last, which shows as long as most do; of a
        sound its own."""
        if self.kind == "sound":
            return Fraction(self.seconds).limit_denominator(1_000_000)
        return self.begins(self.frames - 1) + 1 / self.rate if self.frames else Fraction(0)

    def frame_at(self, time: Fraction) -> int:
        """The number of the frame shown at a source time in seconds; the last one holds.

        Frames of a regular clip begin on the exact grid of its rate: a file that counts in
        milliseconds says 67 where it means 2/30 of a second. Other clips go by the file's own
        times, the wanted time rounded to the same clock.

        >>> clip = Probe(kind="clip", format="x", times=[0, 33, 67], tick=Fraction(1, 1000))
        >>> [clip.frame_at(Fraction(n, 30)) for n in (0, 1, 2, 9)]
        [0, 1, 2, 2]
        """
        if self.regular:
            return min(max(0, int(time * self.rate)), len(self.times) - 1)
        ticks = int(time / self.tick + Fraction(1, 2))
        return max(0, bisect_right(self.times, ticks) - 1)


def probe(path: Path) -> Probe:
    """Look into a file, by its content and never by its name.

    Raises:
        Problem: the file is empty, no media, damaged, or larger than can be worked with.
    """
    if path.stat().st_size == 0:
        raise Problem("This file is empty.")
    still = _probe_still(path)
    if still:
        return still
    try:
        with open_file(path) as container:
            return _probe_container(container)
    except Problem:
        raise
    except CLIP_DAMAGE:
        raise Problem(
            "This file holds no picture and no sound that can be read. It may be damaged, "
            "cut off, or of a kind that is not media."
        ) from None


def _probe_still(path: Path) -> Probe | None:
    try:
        with Image.open(path, formats=STILL_FORMATS) as image:
            if getattr(image, "n_frames", 1) > 1 and image.format not in ("TIFF", "HEIF"):
                return _probe_flipbook(image) if image.format in flipbook.FORMATS else None
            width, height = image.size
            if width > MAX_SIDE or height > MAX_SIDE:
                raise Problem(
                    f"This picture is {width} × {height} pixels; up to {MAX_SIDE} a side can be used."
                )
            if image.getexif().get(0x0112, 1) in (5, 6, 7, 8):
                width, height = height, width
            alpha = "A" in image.getbands() or "transparency" in image.info
            kind = str(image.format)
            ImageOps.exif_transpose(image).load()
            return Probe(kind="still", format=kind, width=width, height=height, alpha=alpha)
    except Image.DecompressionBombError:
        raise Problem("This picture claims to be too large to open safely.") from None
    except UnidentifiedImageError:
        return None
    except Problem:
        raise
    except STILL_DAMAGE:
        raise Problem("This picture is damaged or cut off and cannot be read.") from None


def _bounded(width: int, height: int, frames: int, most: float) -> None:
    if width * height * frames > most:
        raise Problem(
            f"This clip has {frames} frames of {width} × {height} pixels, which is more than can be worked "
            "with. Make it shorter or smaller, and send it again."
        )


def _probe_flipbook(image: Image.Image) -> Probe:
    if image.width > MAX_SIDE or image.height > MAX_SIDE or image.n_frames > 20_000:  # type: ignore[attr-defined]
        raise Problem("This animated picture is too large to work with.")
    _bounded(image.width, image.height, image.n_frames, MAX_FLIPBOOK_WORK)  # type: ignore[attr-defined]
    alpha = image.mode == "RGBA"
    times = flipbook.page_times(image)
    found = {"kind": "clip", "format": str(image.format), "width": image.width,
             "height": image.height, "alpha": alpha}  # fmt: skip
    return timed(found, times[:-1], Fraction(1, 1000), last=times[-1] - times[-2])


def _probe_container(container: av.container.InputContainer) -> Probe:
    found: dict[str, object] = {"format": container.format.name.split(",")[0]}
    heard = [s for s in container.streams.audio if s.codec_context is not None]
    if heard:  # a stream of an unknown codec has no decoder
        audio = heard[0]
        found |= {
            "sound_rate": audio.codec_context.sample_rate or 0,
            "sound_channels": audio.codec_context.channels or 0,
        }
        if audio.duration and audio.time_base:
            found["seconds"] = float(audio.duration * audio.time_base)
        elif container.duration:
            found["seconds"] = container.duration / av.time_base
    pictures = picture_streams(container)
    if not pictures:
        if not found.get("sound_channels"):
            raise Problem("This file holds neither pictures nor sound.")
        return Probe(kind="sound", **found)
    return _probe_clip(container, pictures[0], found)


def _probe_clip(
    container: av.container.InputContainer, stream: av.VideoStream, found: dict[str, object]
) -> Probe:
    width, height = stream.codec_context.width, stream.codec_context.height
    if not width or not height:
        raise Problem("This clip does not say how large its pictures are, and cannot be read.")
    shape = stream.sample_aspect_ratio or Fraction(1)
    if Fraction(1, 8) <= shape <= 8:  # anything else is not meant
        width = max(1, round(width * shape))
    if width > MAX_SIDE or height > MAX_SIDE or width * height > MAX_PIXELS:
        raise Problem(
            f"This clip is {width} × {height} pixels; up to {MAX_SIDE} a side and "
            f"{MAX_PIXELS // 1_000_000} million in all can be used."
        )
    times, first, end = _frame_times(container, stream)
    if not times or first is None:
        raise Problem("This clip holds no picture that can be read.")
    animated = container.format.name in ("gif", "apng")
    _bounded(width, height, len(times), MAX_FLIPBOOK_WORK if animated else MAX_WORK)
    rotation = clockwise(first)
    if rotation in (90, 270):
        width, height = height, width
    hdr = {16: "PQ", 18: "HLG"}.get(int(first.color_trc), "")
    found |= {"kind": "clip", "width": width, "height": height, "rotation": rotation, "hdr": hdr,
              "alpha": has_alpha(first)}  # fmt: skip
    clip = timed(found, times, stream.time_base or Fraction(1, 25), said=_declared(stream))
    promised = float(stream.duration * clip.tick) if stream.duration else 0.0
    if not promised and container.duration and end is not None:
        promised = container.duration / av.time_base - max(end - clip.seconds, 0)
    short = promised - clip.seconds
    return clip.model_copy(update={"missing": short if short > 0.2 + promised / 100 else 0.0})


def timed(
    found: dict[str, object], times: list[int], tick: Fraction, last: int | None = None,
    said: Fraction | None = None,
) -> Probe:  # fmt: skip
    """A clip with its times, and what follows from them.

    Args:
        last: how long the last frame shows, in ticks.
        said: frames a second, as the file says of itself.
    """
    gaps = [later - earlier for earlier, later in itertools.pairwise(times)]
    rate = said if said in USUAL else Fraction(25)
    if gaps:
        rate = _rate_of(times, tick, said)
    usual: Fraction = 1 / (rate * tick)
    on_grid = (abs((t - times[0]) * tick - n / rate) <= tick for n, t in enumerate(times))
    shown = 1 / rate if last is None else last * tick
    return Probe(
        rate=rate,
        varies=any(abs(gap - usual) > max(Fraction(1), usual / 10) for gap in gaps),
        regular=all(on_grid),
        times=[time - times[0] for time in times],
        tick=tick,
        first_pts=times[0],
        seconds=float((times[-1] - times[0]) * tick + shown),
        **{key: value for key, value in found.items() if key != "seconds"},
    )


USUAL = (
    *(Fraction(n) for n in (10, 12, 15, 20, 24, 25, 30, 48, 50, 60, 90, 100, 120, 240)),
    *(Fraction(n * 1000, 1001) for n in (24, 30, 48, 60, 120, 240)),
)
"""Frames a second that clips are made with."""

CLOSE = Fraction(1, 700)
"""Part of a rate within which a usual one is meant."""


def _declared(stream: av.VideoStream) -> Fraction | None:
    """Frames a second as a file says of itself; that may be rounded, to a fraction of smaller numbers."""
    said = stream.average_rate
    if not said:
        return None
    return next((one for one in USUAL if abs(one - said) < said / 100_000), said)


def _rate_of(times: list[int], tick: Fraction, said: Fraction | None) -> Fraction:
    """Frames a second: a usual rate whose grid, rounded to the file's clock, meets the frames; else what the file says
    of itself, where that does; else as measured.

    In milliseconds, 72 frames at 120 a second last as long as at 119.88; but they do not lie alike. And eight at 60 are
    over after 117 of them, which would be 59.8 a second.
    """
    span = times[-1] - times[0]
    measured = Fraction(len(times) - 1) / (span * tick)

    def far(rate: Fraction) -> Fraction:
        return abs(rate - measured) / measured

    def met(rate: Fraction, within: Fraction = Fraction(1, 2)) -> int:
        clock = 1 / (rate * tick)
        return sum(
            abs(time - times[0] - n * clock) <= within for n, time in enumerate(times[:2000])
        )

    every = min(len(times), 2000)
    if said in USUAL and far(said) <= max(CLOSE, Fraction(1, span)) and met(said) == every:
        return said
    near = [rate for rate in USUAL if far(rate) <= CLOSE]
    best = max(near, key=met, default=None)  # of equals the first, a whole number
    if best is not None and (far(best) <= Fraction(1, 1500) or met(best) == every):
        return best
    if span >= 4 * (
        len(times) - 1
    ):  # the clock tells frames apart, but not where a short clip ends
        fit = [
            one for one in USUAL if far(one) <= Fraction(1, span) and met(one, Fraction(1)) == every
        ]
        if fit:
            return max(fit, key=met)
        if said is not None and far(said) <= Fraction(1, span) and met(said) == every:
            return said
    return min(max(measured, Fraction(1)), Fraction(240)).limit_denominator(1001)


def _frame_times(
    container: av.container.InputContainer, stream: av.VideoStream
) -> tuple[list[int], av.VideoFrame | None, float | None]:
    """Presentation times of all frames in ticks, the first frame that decodes, and the time in
    seconds at which the file's last packet of any kind begins.

    From the packets where each has a time (no decoding), else by decoding every frame. A file that
    breaks off gives what it holds.
    """
    times: list[int] = []
    first: av.VideoFrame | None = None
    untimed, end = False, None
    decoder = decoder_with_coverage(stream)
    try:
        for packet in container.demux(stream, *container.streams.audio[:1]):
            if packet.size and packet.pts is not None and packet.time_base:
                end = max(end or 0.0, float(packet.pts * packet.time_base))
            if packet.stream.index != stream.index:
                continue
            if first is None:
                first = _decoded(decoder, packet)
            if not packet.size:
                continue
            if packet.pts is None:
                untimed = True
                break
            if not packet.is_discard:
                times.append(packet.pts)
            if len(times) > MAX_FRAMES:
                raise Problem("This clip has more frames than can be worked with.")
    except CLIP_DAMAGE:
        pass
    if untimed:
        container.seek(0)
        times = []
        try:
            for frame in container.decode(stream):
                first = first or frame
                if frame.pts is not None:
                    times.append(frame.pts)
        except CLIP_DAMAGE:
            pass
    return sorted(set(times)), first, end


def _decoded(decoder: av.VideoCodecContext | None, packet: av.Packet) -> av.VideoFrame | None:
    """The first picture that comes out when a packet goes in, if any does."""
    try:
        if decoder is not None:
            return next(iter(decoder.decode(packet if packet.size else None)), None)
        return next((f for f in packet.decode() if isinstance(f, av.VideoFrame)), None)
    except CLIP_DAMAGE:
        return None


def clockwise(frame: av.VideoFrame) -> int:
    """Quarter turns, in degrees clockwise, that a frame needs to stand upright: 0, 90, 180, 270."""
    return round(-frame.rotation / 90) * 90 % 360


def has_alpha(frame: av.VideoFrame) -> bool:
    """Whether the pixel format of a frame carries coverage."""
    name = frame.format.name
    return name.startswith(("yuva", "rgba", "argb", "bgra", "abgr", "gbrap", "ya", "pal8"))
