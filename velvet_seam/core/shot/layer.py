"""One thing in the stack: its source, its span in time, its place on the canvas, its seam."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from functools import lru_cache
from typing import Annotated, Literal

from pydantic import Field, model_validator

from velvet_seam.core.masks import MaskBase
from velvet_seam.core.shot.around import Around
from velvet_seam.core.shot.crop import Crop
from velvet_seam.core.shot.look import Look
from velvet_seam.core.shot.motion import Echo, Passage, Stir
from velvet_seam.core.shot.pins import Pins
from velvet_seam.core.shot.seam import Seam
from velvet_seam.core.shot.track import Track
from velvet_seam.core.sources import Source
from velvet_seam.core.timing.animated import Animated, Keyframes, integral
from velvet_seam.core.timing.bounds import Bounds, Frames
from velvet_seam.core.timing.following import Follow
from velvet_seam.core.timing.rate import Seconds
from velvet_seam.core.words import Id, Name, Part

THREADS = 10
"""How many thread colours tell layers apart."""

MAX_FRAME = 200_000

SCALES = (1.0, 3200.0)
"""The least and the greatest scale, in per cent."""


class Span(Part):
    """First and last shot frame in which something is present, both included."""

    first: int = Field(ge=0, le=MAX_FRAME)
    last: int = Field(ge=0, le=MAX_FRAME)

    @model_validator(mode="after")
    def _forward(self) -> Span:
        if self.last < self.first:
            raise ValueError("the last frame does not lie before the first")
        return self

    @property
    def length(self) -> int:
        return self.last - self.first + 1

    def holds(self, frame: int) -> bool:
        return self.first <= frame <= self.last

    def moved(self, by: int) -> Span:
        return Span(first=self.first + by, last=self.last + by)


@lru_cache(maxsize=1024)
def _pace(speed: float, rate: Fraction) -> Fraction:
    """Seconds of the source to a frame of the shot."""
    return integral(speed, 1) / 100 / rate


class TimeMap(Part):
    """A clip's own time: which time of the source each frame of the span shows.

    At the first frame of the span it is ``source_in``; from there it runs with ``speed``, whose area
    is the time that has passed. Backwards below 0 %, standing still at 0 %.
    """

    source_in: Seconds = Fraction(0)
    speed: Annotated[
        Animated,
        Bounds(-1000, 1000, "%", "Speed",
               "Of the clip's own: 50 % is half as fast, below 0 it runs backwards, 0 stands still; keyed it is a ramp",
               shown=(-200, 400), find="slow motion fast time"),
    ] = 100.0  # fmt: skip
    ends: Literal["hold", "loop", "bounce"] = Field(
        "hold",
        description="beyond the source: its outer frame holds, it begins again, or runs back",
    )
    between: Literal["nearest", "mix", "flow"] = Field(
        "nearest",
        description="between two source frames: the one shown then, both mixed, or moved pixels",
    )
    sound: Literal["follow", "keep-pitch", "stay"] = Field(
        "follow", description="the clip's sound: at the same speed, at the same speed in its own "
        "pitch, or as recorded",
    )  # fmt: skip
    ahead: Seconds = Field(
        Fraction(0),
        description="seconds by which a sound that plays as recorded is further on than the picture at the first frame: "
        "where a split has parted them, or the picture was turned round",
    )

    def begun(self, source_in: Fraction, frames: int, rate: Fraction) -> TimeMap:
        """The picture from another time of the source on, so many shot frames later; a sound that plays as recorded goes
        on as it did.

        >>> TimeMap(speed=50, sound="stay").begun(Fraction(1), 50, Fraction(25)).ahead
        Fraction(1, 1)
        """
        ahead = self.ahead
        if self.sound == "stay":
            ahead += self.source_in + frames / rate - source_in
        made: TimeMap = self.model_copy(update={"source_in": source_in, "ahead": ahead})
        return made

    def at(self, frames: int, rate: Fraction) -> Fraction:
        """The source's time so many shot frames after the first of the span, before ``ends`` acts.

        >>> TimeMap(source_in="2", speed=-50).at(25, Fraction(25))
        Fraction(3, 2)
        """
        if isinstance(self.speed, Keyframes):
            return self.source_in + integral(self.speed, frames) / 100 / rate
        return self.source_in + _pace(self.speed, rate) * frames


class Place(Part):
    """Where the layer lies. ``x``, ``y``: canvas pixels of its centre from the top left corner."""

    x: Annotated[
        Animated,
        Bounds(-16384, 16384, "px", "Across",
               "Where the layer's middle lies, from the left edge of the canvas", shown="across", of="canvas", find="position place x move"),
    ]  # fmt: skip
    y: Annotated[
        Animated,
        Bounds(-16384, 16384, "px", "Down", "Where the layer's middle lies, from the top edge of the canvas",
               shown="down", of="canvas", find="position place y move"),
    ]  # fmt: skip
    scale: Annotated[
        Animated,
        Bounds(*SCALES, "%", "Scale", "100 % shows one pixel of the footage on one pixel of the canvas",
               shown=(1, 300), find="size zoom larger smaller picture in picture"),
    ] = 100.0  # fmt: skip
    rotation: Annotated[
        Animated,
        Bounds(-3600, 3600, "°", "Rotation", "Clockwise, about the layer's middle", shown=(-180, 180), find="rotate turn angle"),
    ] = 0.0  # fmt: skip
    depth: Annotated[
        Animated,
        Bounds(-90, 900, "%", "Depth",
               "How far behind the canvas it lies, for a camera above it: at 100 % it moves half as much, at -50 % twice",
               shown=(-90, 300), find="parallax distance far near"),
    ] = 0.0  # fmt: skip
    flip_x: bool = False
    flip_y: bool = False
    pins: Pins = Pins()


class Heard(Part):
    """How a sound is heard: whether, how loud, how high, and how it comes and goes."""

    on: bool = True
    gain: Annotated[
        Animated,
        Bounds(-96, 24, "dB", "Gain", "Louder or softer; 6 dB doubles the amplitude", step=0.5,
               shown=(-48, 24), find="volume loud music"),
    ] = 0.0  # fmt: skip
    pitch: Annotated[
        Animated,
        Bounds(-24, 24, "st", "Pitch", "Semitones higher or lower, at the same speed", step=0.5,
               shown=(-12, 12), find="semitones"),
    ] = 0.0  # fmt: skip
    fade_in: Annotated[
        Animated,
        Bounds(0, MAX_FRAME, "f", "Fade in", "Frames over which the sound comes", shown=(0, 60), of="time"),
    ] = 0.0  # fmt: skip
    fade_out: Annotated[
        Animated,
        Bounds(0, MAX_FRAME, "f", "Fade out", "Frames over which the sound goes", shown=(0, 60), of="time"),
    ] = 0.0  # fmt: skip
    faded_in: Frames = Field(
        0, description="frames of its coming that were cut off before its first, where it was split"
    )
    faded_out: Frames = Field(0, description="frames of its going that were cut off after its last")


class OwnSound(Heard):
    """The sound recorded with a clip."""


class Layer(Part):
    """One layer of the stack."""

    id: Id
    name: Name
    thread: int = Field(0, ge=0, lt=THREADS)
    source: Source
    span: Span
    age: Frames = Field(
        0, description="frames that were cut off before its first: what shakes, flickers or changes by itself goes on from there"
    )  # fmt: skip
    piece_of: Id | None = Field(
        None,
        description="the layer it was cut off from, or of which it holds a frame: where others take that one's coverage or "
        "follow its tracks, it stands in for it",
    )  # fmt: skip
    time: TimeMap = TimeMap()
    place: Place
    follow: Follow = Follow()
    tracks: tuple[Track, ...] = Field((), max_length=40)
    arrive: Passage = Passage()
    leave: Passage = Passage()
    stir: Stir = Stir()
    echo: Echo = Echo()
    shutter: Annotated[
        Animated,
        Bounds(0, 720, "°", "Motion blur",
               "How long each frame is lit while the layer moves over the canvas; 360° is a whole frame, 180° what cameras do",
               step=5, shown=(0, 360), find="shutter angle"),
    ] = 0.0  # fmt: skip
    sound: OwnSound = OwnSound()
    look: Look = Look()
    crop: Crop = Crop()
    around: Around = Around()
    seam: Seam = Seam()
    hidden: bool = False
    locked: bool = False

    @property
    def masks(self) -> tuple[MaskBase, ...]:
        """All of it: those of its seam, and of the parts of its look."""
        return (*self.seam.masks, *(mask for part in self.look.parts for mask in part.masks))

    @property
    def follows(self) -> tuple[Follow, ...]:
        """What it follows, and what its masks do."""
        return (self.follow, *(mask.follow for mask in self.masks))


class SoundTrack(Heard):
    """A sound that lies beside the stack."""

    id: Id
    name: Name
    footage: Id
    span: Span
    time: TimeMap = TimeMap()
    locked: bool = False


def next_thread(layers: Sequence[Layer]) -> int:
    """The thread colour used least, the first of those."""
    used = [layer.thread for layer in layers]
    return min(range(THREADS), key=lambda n: (used.count(n), n))
