"""What a programme file says of itself, and what has to be assumed."""

from dataclasses import dataclass, field, replace
from fractions import Fraction
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from bluffline.media.opening import Identity, Opening, shown
from bluffline.media.pixels import PixelLayout
from bluffline.media.timecode import Timecode
from bluffline.signal.format import NO_OVERRIDES, Overrides, SignalFormat
from bluffline.signal.siting import Siting

LOOKED_BACK = 32  # frames
UNSPECIFIED = 2  # of matrix, primaries and transfer characteristic [H273]


@dataclass(frozen=True, slots=True)
class Track:
    """A track that travels with the picture: what it is, in a few words.

    ``kind``: as FFmpeg names it, or timecode, chapters or cover. ``flags``: its dispositions (default, forced, …).
    ``title``; ``layout``: of a sound's channels, empty where it is not said which is which; ``channels``: how many.
    ``offset``, ``after``: seconds that a sound begins after the picture, and that it goes on after the picture ends.
    ``said``: of captions, from when to when there are some, in seconds after the first frame. ``counts``: of timecode, the
    frames that counting begins anew at, and the number of frames it begins at.
    """

    index: int
    kind: str
    description: str
    language: str = ""
    flags: tuple[str, ...] = ()
    offset: float = 0.0
    after: float = 0.0
    title: str = ""
    layout: str = ""
    channels: int = 0
    said: tuple[tuple[float, float], ...] = ()
    counts: tuple[tuple[int, int], ...] = ()

    @property
    def anew(self) -> bool:
        """Whether a written file makes it anew, of the timecode or the chapters, rather than copying it."""
        return self.kind in {"timecode", "chapters"}


@dataclass(frozen=True, slots=True)
class Tags:
    """What a track or a frame says of its signal, by code points [H273]; range 0 and the others 2 mean unspecified.

    ``fields``: their order in FFmpeg's numbers: 0 nothing, 1 progressive. ``location``, ``shape``: of chroma and of pixels,
    None where nothing is said. ``size``, ``pixel_format``: as decoded, empty for a track.
    """

    range: int = 0
    matrix: int = 2
    primaries: int = 2
    transfer: int = 2
    fields: int = 0
    location: Siting | None = None
    shape: Fraction | None = None
    size: tuple[int, int] = (0, 0)
    pixel_format: str = ""

    def filled(self, other: "Tags") -> "Tags":
        """These, and where they say nothing what the other says."""
        return replace(
            self,
            range=self.range or other.range,
            matrix=other.matrix if self.matrix == UNSPECIFIED else self.matrix,
            primaries=other.primaries if self.primaries == UNSPECIFIED else self.primaries,
            transfer=other.transfer if self.transfer == UNSPECIFIED else self.transfer,
            fields=self.fields or other.fields,
            location=self.location or other.location,
            shape=self.shape or other.shape,
        )


@dataclass(frozen=True, slots=True)
class FrameIndex:
    """Presentation times of every frame, in order, in ticks of the video track; and where decoding can start.

    ``times``: (N,) int64; ``keys``: (K,) int64 frame numbers that can be decoded by themselves; ``key_decode_times``: (K,)
    int64 decoding times of those. ``timed`` is False where the file carries no presentation times that can be trusted, and
    frames can only be counted from the start. ``lost``: (M,) numbers of frames that are not there: those that leave a gap in
    the times, and those that the file declares beyond its end. ``broken``: why it could be read no further, if it could not.
    """

    times: NDArray[np.int64]
    keys: NDArray[np.int64]
    key_decode_times: NDArray[np.int64]
    timed: bool = True
    lost: NDArray[np.int64] = field(default_factory=lambda: np.zeros(0, np.int64))
    broken: str = ""

    @property
    def count(self) -> int:
        """Number of frames, with those that are declared and missing."""
        return len(self.times)

    @property
    def missing(self) -> int:
        """How many frames are not there."""
        return len(self.lost)

    @property
    def variable(self) -> bool:
        """Whether frames last unequally, by more than the rounding of a coarse time base."""
        steps = np.diff(self.times)
        return bool(self.timed and len(steps) and np.ptp(steps) > max(2, 0.02 * float(np.median(steps))))


@dataclass(frozen=True)
class Carried:
    """What a file carries beside its samples and tags, which a written file should carry too.

    ``mastering``, ``light``: mastering display and content light (ST 2086, CTA-861.3), in FFmpeg's words;
    ``rotation``: degrees anticlockwise that a player turns the picture by, ``mirrored``: whether it mirrors it as well;
    ``display``: the nine numbers that say so, in FFmpeg's layout, none where it is shown as it is; ``pixel_shape``: width to
    height of a pixel; ``metadata``: title and the like; ``chapters``: their number.
    """

    rotation: int = 0
    mirrored: bool = False
    display: tuple[int, ...] = ()
    alpha: bool = False
    mastering: str = ""
    light: str = ""
    pixel_shape: Fraction = Fraction(1)
    metadata: tuple[tuple[str, str], ...] = ()
    chapters: int = 0


@dataclass(frozen=True)
class Programme:
    """A programme file as probed: the facts, in the words of the file.

    ``tagged``: its format by what its first frame and its track say; ``format``: the same with the operator's word on it.
    ``tags``: what they say together; ``track``: what the track says by itself. Frames may say otherwise later on: see
    `media.tagging.format_of`. ``picture``: number of the video track that is the picture; ``identity``: of its files when they
    were opened.
    """

    path: Path
    container: str
    codec: str
    profile: str
    pixel_format: str
    layout: PixelLayout
    tagged: SignalFormat
    frame_rate: Fraction
    time_base: Fraction
    index: FrameIndex
    timecode: Timecode
    tags: Tags
    track: Tags
    opening: Opening
    identity: Identity
    picture: int = 0
    carried: Carried = Carried()
    tracks: tuple[Track, ...] = ()
    notes: tuple[str, ...] = field(default=())
    overrides: Overrides = NO_OVERRIDES

    @property
    def format(self) -> SignalFormat:
        """How its samples are read: as tagged, with the operator's word on it."""
        return self.overrides.on(self.tagged) if self.overrides is not NO_OVERRIDES else self.tagged

    def read_as(self, overrides: Overrides) -> "Programme":
        """The same programme with the operator's word on it."""
        return replace(self, overrides=overrides)

    @property
    def frame_count(self) -> int:
        """Number of frames."""
        return self.index.count

    @property
    def seconds(self) -> float:
        """How long it is."""
        return float(self.frame_count / self.frame_rate)

    @property
    def begins(self) -> float:
        """When its first frame is shown, in seconds of the file's clock."""
        return float(int(self.index.times[0]) * (self.time_base if self.index.timed else 1 / self.frame_rate))

    @property
    def sound_after(self) -> float:
        """Seconds that the longest sound goes on after the picture ends; negative where all sound ends before."""
        return max((track.after for track in self.tracks if track.kind == "audio"), default=0.0)

    @property
    def video_tracks(self) -> list[int]:
        """Numbers of the tracks that could be the picture, the one that is among them."""
        return sorted([self.picture, *(track.index for track in self.tracks if track.kind == "video")])

    @property
    def title(self) -> str:
        """What to call the programme on screen: the file's name without its ending."""
        return shown(self.path.stem)

    @property
    def name(self) -> str:
        """Its path as text that can be printed."""
        return shown(self.path)

    def changed(self, near: int | None = None) -> bool:
        """Whether its files are no longer those that were opened; of numbered pictures only those up to frame ``near``.

        Of a hundred thousand pictures one look at all of them takes a second; the last ones that were read tell most.
        """
        if near is None or not self.opening.numbered:
            return self.opening.identity() != self.identity
        lately = slice(max(near + 1 - LOOKED_BACK, 0), near + 1)
        return self.opening.identity(lately).stats != self.identity.stats[lately]

    def label(self, frame: int) -> str:
        """Timecode label of a frame."""
        return self.timecode.label(frame)
