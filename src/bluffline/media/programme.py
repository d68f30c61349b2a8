"""What a programme file says of itself, and what has to be assumed."""

from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from bluffline.media.pixels import PixelLayout
from bluffline.media.timecode import Timecode
from bluffline.signal.format import SignalFormat


@dataclass(frozen=True, slots=True)
class Track:
    """A track that travels with the picture: what it is, in a few words."""

    index: int
    kind: str
    description: str


@dataclass(frozen=True, slots=True)
class Tags:
    """Code points as the file carries them [H273]; range 0 and the others 2 mean unspecified."""

    range: int
    matrix: int
    primaries: int
    transfer: int


@dataclass(frozen=True, slots=True)
class FrameIndex:
    """Presentation times of every frame, in order, in ticks of the video track; and where decoding can start.

    ``times``: (N,) int64; ``keys``: (K,) int64 frame numbers that can be decoded by themselves;
    ``key_decode_times``: (K,) int64 decoding times of those. ``timed`` is False where the file carries no
    presentation times and frames can only be counted from the start.
    """

    times: NDArray[np.int64]
    keys: NDArray[np.int64]
    key_decode_times: NDArray[np.int64]
    timed: bool = True

    @property
    def count(self) -> int:
        """Number of frames in the file."""
        return len(self.times)

    @property
    def variable(self) -> bool:
        """Whether frames last unequally, by more than the rounding of a coarse time base."""
        steps = np.diff(self.times)
        return bool(self.timed and len(steps) and np.ptp(steps) > max(2, 0.02 * float(np.median(steps))))


@dataclass(frozen=True)
class Programme:
    """A programme file as probed: the facts, in the words of the file."""

    path: Path
    container: str
    codec: str
    profile: str
    pixel_format: str
    layout: PixelLayout
    format: SignalFormat
    frame_rate: Fraction
    time_base: Fraction
    index: FrameIndex
    timecode: Timecode
    tags: Tags
    tracks: tuple[Track, ...] = ()
    notes: tuple[str, ...] = field(default=())

    @property
    def frame_count(self) -> int:
        """Number of frames."""
        return self.index.count

    @property
    def title(self) -> str:
        """What to call the programme on screen: the file's name without its ending."""
        return self.path.stem

    def label(self, frame: int) -> str:
        """Timecode label of a frame."""
        return self.timecode.label(frame)
