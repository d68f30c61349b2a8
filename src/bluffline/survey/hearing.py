"""Hearing the sound of a programme: which tracks are a programme sound, and all of it measured beside the picture."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

from bluffline.measure.sound import CHANNELS, SoundMeasure, SoundMeter
from bluffline.media.programme import Programme
from bluffline.media.source_file import opened
from bluffline.survey.beside import Beside
from bluffline.survey.monitor import Monitor, Progress

Mapping = tuple[tuple[int, ...], ...]

_JITTER = 0.005  # seconds that times may be off samples before something is missing
_LONGER = 60.0  # seconds of silence at most that are put in where sound goes on after the picture
_TOLD_EVERY = 64  # packets
_WAIT = 0.1  # seconds
_LEAST_RATE = 8000  # Hz
_GREATEST = 1000.0  # times full scale that a sample of floating point is taken for
_NAMED = {"FL", "FR", "FC", "LFE", "BL", "BR", "SL", "SR", "BC", "FLC", "FRC"}


def sounds_of(programme: Programme, asked: Mapping) -> Mapping:
    """The tracks of each programme sound: those asked for, else each track that is stereo or 5.1 by itself."""
    if asked:
        return asked
    return tuple((track.index,) for track in programme.tracks if track.kind == "audio" and track.channels in (2, 6))


class Listening:
    """The sound of a programme being measured in a thread beside other work; `stop` it wherever that ends."""

    def __init__(self, programme: Programme, asked: Mapping) -> None:
        self._at: Progress | None = None
        self._beside = Beside(lambda quiet: hear(programme, sounds_of(programme, asked), quiet), self._tell)

    def _tell(self, told: Progress) -> None:
        self._at = told

    def result(self, monitor: Monitor) -> list[SoundMeasure]:
        """What it came to.

        Raises
        ------
        MediaError : the file could not be read
        CancelledError : the monitor was asked to stop
        """
        while self._beside.runs(_WAIT):
            at = self._at or Progress("Sound", 0, 1, 0.0, "seconds")
            monitor.at(at.stage, at.done, at.total, at.unit)
        return self._beside.result()

    def stop(self) -> None:
        """End it, if it still runs."""
        self._beside.stop()


@contextmanager
def listening(programme: Programme, asked: Mapping | None) -> Iterator[Listening | None]:
    """Listen while something else is done; to nothing where nothing is asked for."""
    heard = None if asked is None else Listening(programme, asked)
    try:
        yield heard
    finally:
        if heard is not None:
            heard.stop()


def hear(programme: Programme, sounds: Mapping, monitor: Monitor) -> list[SoundMeasure]:
    """Measure programme sounds, each of its tracks, to their ends.

    A track that can't be decoded, or that becomes another on its way, is measured up to there; `SoundMeasure.trouble` says so.

    Raises
    ------
    MediaError : the file could not be read
    CancelledError : the monitor was asked to stop
    """
    if not sounds or programme.opening.numbered:
        return []
    total = max(round(programme.seconds), 1)
    with opened(programme.opening) as source:
        streams = {stream.index: stream for stream in source.container.streams if stream.type == "audio"}
        wanted = sorted({track for tracks in sounds for track in tracks} & streams.keys())
        tracks = {each: _Track(programme) for each in wanted}
        mixes = [_Mix(numbers, [tracks.get(each) for each in numbers]) for numbers in sounds]
        try:
            for count, packet in enumerate(source.packets([streams[each] for each in wanted]) if wanted else ()):
                track = tracks[packet.stream.index]
                track.take(packet)
                if count % _TOLD_EVERY == 0:
                    for mix in mixes:
                        mix.go_on()
                    done = min(int(track.seconds), total)
                    monitor.at("Sound", done, total, "seconds")
        except av.error.FFmpegError as error:
            for track in tracks.values():
                track.trouble = track.trouble or f"the file is damaged after {track.seconds:.1f} s of it ({error.strerror})"
    return [mix.end() for mix in mixes]


@dataclass
class _Track:
    """One track, as it is decoded. ``outs``: where its blocks wait to be measured, once for each sound that it is part of."""

    programme: Programme
    rate: int = 0
    channels: tuple[str, ...] = ()
    begins: float = 0.0
    trouble: str = ""
    flaw: str = ""  # what is wrong with it that it can be measured with
    outs: list[list[NDArray[np.float32]]] = field(default_factory=list)
    taken: int = 0  # samples
    _layout: tuple[str, ...] = ()

    @property
    def seconds(self) -> float:
        return self.begins + self.taken / self.rate if self.rate else 0.0

    def take(self, packet: av.Packet[Any]) -> None:
        if self.trouble:
            return
        try:
            frames = packet.decode()
        except av.error.FFmpegError:
            return  # what is missing shows by the times of what follows
        for frame in frames:
            self._frame(frame)

    def _frame(self, frame: Any) -> None:
        programme, channels = self.programme, _names(frame)
        start = self.seconds if frame.time is None else frame.time - programme.begins
        if not self.rate:
            usual = CHANNELS.get(len(channels), channels)
            named = len(set(channels)) == len(channels) > 1 and set(channels) <= _NAMED
            self.rate, self.begins = frame.sample_rate, start
            self.channels, self._layout = channels if named else usual, channels
        if (frame.sample_rate, channels) != (self.rate, self._layout):
            self.trouble = f"it becomes another after {self.seconds:.1f} s: {len(channels)} channels at {frame.sample_rate} Hz"
            return
        missing = start - self.seconds
        if missing > _JITTER:
            room = max(programme.seconds + _LONGER - self.seconds, 0)
            self._put(np.zeros((round(min(missing, room) * self.rate), len(channels)), np.float32))
        samples = _samples(frame)
        if not np.isfinite(samples).all():
            self.flaw = "some of its samples are no numbers, and were taken for silence"
        self._put(np.clip(np.nan_to_num(samples, nan=0.0), -_GREATEST, _GREATEST))

    def _put(self, samples: NDArray[np.float32]) -> None:
        for out in self.outs:
            out.append(samples)
        self.taken += len(samples)


class _Mix:
    """One programme sound of one or several tracks, their channels side by side."""

    def __init__(self, numbers: Sequence[int], tracks: Sequence[_Track | None]) -> None:
        self._numbers, self._tracks = tuple(numbers), [track for track in tracks if track is not None]
        self._whole = len(self._tracks) == len(tracks)
        self._coming: list[list[NDArray[np.float32]]] = [[] for _ in self._tracks]
        for track, coming in zip(self._tracks, self._coming, strict=True):
            track.outs.append(coming)
        self._held = [np.zeros((0, 1), np.float32) for _ in self._tracks]
        self._meter: SoundMeter | None = None
        self._trouble = ""

    def go_on(self, *, ended: bool = False) -> None:
        """Measure as much as all of its tracks have come to; where they have ended, the rest too."""
        if not self._ready():
            return
        for place, coming in enumerate(self._coming):
            self._held[place] = np.concatenate([self._held[place], *coming])
            coming.clear()
        lengths = [len(each) for each in self._held]
        count = max(lengths) if ended else min(lengths)
        if not count or self._meter is None:
            return
        self._meter.add(np.concatenate([_padded(held, count) for held in self._held], axis=1))
        self._held = [held[count:] for held in self._held]

    def _ready(self) -> bool:
        """Whether it is known what it is made of, and the meter is there."""
        tracks = self._tracks
        if self._meter is not None:
            return True
        if self._trouble or not all(track.rate for track in tracks) or not tracks:
            return False
        if min(track.rate for track in tracks) < _LEAST_RATE:
            self._trouble = f"its sampling rate is under {_LEAST_RATE} Hz, which no loudness is defined for"
            return False
        begins = min(track.begins for track in tracks)
        rates = {track.rate for track in tracks}
        if len(rates) > 1:
            self._trouble = "its tracks have different sampling rates"
            return False
        rate = rates.pop()
        for place, track in enumerate(tracks):
            early = round((track.begins - begins) * rate)
            self._held[place] = np.zeros((early, len(track.channels)), np.float32)
        names = tuple(name for track in tracks for name in track.channels)
        channels = CHANNELS.get(len(names), names) if len(tracks) > 1 else names
        self._meter = SoundMeter(self._numbers, channels, rate, begins)
        return True

    def end(self) -> SoundMeasure:
        self.go_on(ended=True)
        trouble = self._trouble or next((told for track in self._tracks if (told := track.trouble or track.flaw)), "")
        if not self._whole:
            trouble = "the file has no such sound track"
        elif self._meter is None and not trouble:
            trouble = "it can't be decoded here, or holds nothing"
        meter = self._meter or SoundMeter(self._numbers, (), 48_000, 0.0)
        return meter.end(trouble)


def _padded(samples: NDArray[np.float32], count: int) -> NDArray[np.float32]:
    """So many of the samples; silence where there are fewer."""
    short = max(count - len(samples), 0)
    return np.concatenate([samples[:count], np.zeros((short, samples.shape[1]), np.float32)])


def _names(frame: Any) -> tuple[str, ...]:
    """What the channels of a frame are, as FFmpeg names them; numbers where the file does not say which is which."""
    names = tuple(each.name for each in frame.layout.channels)
    return names if len(names) == frame.layout.nb_channels else tuple(map(str, range(frame.layout.nb_channels)))


def _samples(frame: Any) -> NDArray[np.float32]:
    """(n, C) samples of a decoded frame, full scale being 1."""
    data = frame.to_ndarray()
    samples: NDArray[Any] = data.T if frame.format.is_planar else data.reshape(-1, frame.layout.nb_channels)
    if samples.dtype == np.uint8:
        return np.asarray((samples.astype(np.float32) - 128) / 128, np.float32)
    if samples.dtype.kind == "i":
        return np.asarray(samples / float(-np.iinfo(samples.dtype).min), np.float32)
    return np.asarray(samples, np.float32)
