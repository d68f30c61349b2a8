"""Sound in tenths of a second: loudness [BS1770, R128], peaks, silence, clipping and phase are read from those."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from math import pi, tan
from typing import Any

import numpy as np
from numpy.typing import NDArray

Single = NDArray[np.float32]

HOP = 0.1  # seconds
MOMENTARY, SHORT_TERM = 4, 30  # hops
_OFFSET = -0.691  # LUFS of a mean square of 1 [BS1770]
_ABSOLUTE_GATE, _RELATIVE_GATE, _RANGE_GATE = -70.0, -10.0, -20.0  # LUFS; LU under the mean of what passes the first [R128]
_RANGE_SHARES = 10, 95  # percentiles between which the loudness range lies [TECH3342]
_WEIGHTS = {"LFE": 0.0, "SL": 1.41, "SR": 1.41, "BL": 1.41, "BR": 1.41}  # others 1 [BS1770]
_FULL = 0.9997  # of full scale, from which a sample counts as clipped
_REACH = 12  # samples to each side that tell of the signal between two
_LOUD = 0.4  # of full scale: what stays under it has no peak between samples that comes near a limit
CHANNELS = {1: ("FC",), 2: ("FL", "FR"), 6: ("FL", "FR", "FC", "LFE", "BL", "BR")}  # where nothing else is said
QUIETEST = -120.0  # what is told of digital silence


@dataclass(frozen=True, eq=False)
class SoundMeasure:
    """A programme sound: of each hop and channel, (N, C).

    ``tracks``: of the file, that it is made of; ``begins``: seconds from the first frame to its first sample. ``weighted``:
    mean square after K-weighting, ``power``: before it; ``peak``: the greatest sample, ``true_peak``: of the signal between
    samples, where that may be over the greatest so far or ``_LOUD``; ``clipped``: the most samples at full scale in a row;
    ``together``: (N,) mean product of two channels, 0 where there are more or fewer. ``trouble``: why it is not measured to its
    end, or empty.
    """

    tracks: tuple[int, ...]
    channels: tuple[str, ...]
    begins: float
    weighted: Single
    power: Single
    peak: Single
    true_peak: Single
    clipped: NDArray[np.int32]
    together: Single
    trouble: str = ""

    def same(self, other: "SoundMeasure") -> bool:
        """Whether another measurement came to the same in every hop."""
        hops = [(getattr(self, name), getattr(other, name)) for name in ("weighted", "power", "peak", "clipped", "together")]
        alike = all(np.array_equal(one, another) for one, another in hops)
        return alike and (self.tracks, self.begins, self.trouble) == (other.tracks, other.begins, other.trouble)

    @property
    def seconds(self) -> float:
        """How long it is, in whole hops."""
        return len(self.power) * HOP

    def loudness_over(self, hops: int) -> NDArray[np.float64]:
        """(N − hops + 1,) loudness of each run of so many hops, LUFS; −∞ in silence. Run n ends with hop n + hops − 1."""
        return _lufs(_means(self.weighted @ self._weights, hops))

    def by_frame(self, rate: float, count: int) -> dict[str, NDArray[np.float64]]:
        """(count,) momentary and short-term loudness up to each frame's end, LUFS, and its true peak, dBTP; else NaN."""
        last = np.floor(((np.arange(count) + 1) / rate - self.begins) / HOP + 1e-6).astype(np.int64) - 1
        heard = (last >= 0) & (last < len(self.power))
        columns = {}
        for name, hops in (("momentary", MOMENTARY), ("short_term", SHORT_TERM)):
            each = np.concatenate([np.full(hops - 1, np.nan), self.loudness_over(hops)])[: len(self.power)]
            each = np.append(np.maximum(each, QUIETEST), np.nan)
            columns[name] = np.where(heard, each[np.where(heard, last, -1)], np.nan)
        peaks = np.append(decibels(self.true_peak.max(axis=1, initial=0)), np.nan)
        return columns | {"peak": np.where(heard, peaks[np.where(heard, last, -1)], np.nan)}

    @property
    def _weights(self) -> NDArray[np.float64]:
        return np.array([_WEIGHTS.get(name, 1.0) for name in self.channels])

    @property
    def integrated(self) -> float:
        """Programme loudness in LUFS; −∞ where nothing is over −70."""
        return _gated(_means(self.weighted @ self._weights, MOMENTARY), _RELATIVE_GATE)[0]

    @property
    def range(self) -> float:
        """Loudness range in LU [TECH3342]; 0 where nothing is over −70."""
        heard = _gated(_means(self.weighted @ self._weights, SHORT_TERM), _RANGE_GATE)[1]
        low, high = np.percentile(_lufs(heard), _RANGE_SHARES) if len(heard) else (0.0, 0.0)
        return float(high - low)


def decibels(amplitude: NDArray[Any]) -> NDArray[np.float64]:
    """Amplitudes, 1 being full scale, in dB; `QUIETEST` at least."""
    return 20 * np.log10(np.maximum(np.asarray(amplitude, np.float64), 10 ** (QUIETEST / 20)))


def _lufs(means: NDArray[np.float64]) -> NDArray[np.float64]:
    with np.errstate(divide="ignore"):
        return _OFFSET + 10 * np.log10(means)


def _means(energy: NDArray[np.floating[Any]], hops: int) -> NDArray[np.float64]:
    """Means of every run of so many hops; none where there are fewer."""
    total = np.concatenate([[0.0], np.cumsum(energy, dtype=np.float64)])
    return np.maximum(total[hops:] - total[:-hops], 0) / hops if len(energy) >= hops else np.zeros(0)


def _gated(means: NDArray[np.float64], gate: float) -> tuple[float, NDArray[np.float64]]:
    """The loudness of what passes both gates, and its parts."""
    heard = means[_lufs(means) > _ABSOLUTE_GATE]
    if not len(heard):
        return -np.inf, heard
    heard = heard[_lufs(heard) > float(_lufs(heard.mean())) + gate]
    return float(_lufs(heard.mean())), heard


@lru_cache(maxsize=8)
def k_weighting(rate: int) -> NDArray[np.float64]:
    """(2, 6) second-order sections at any sampling rate; at 48 kHz those that are printed in [BS1770]."""
    slope = tan(pi * 1681.974450955533 / rate)
    gain, quality = 10 ** (3.999843853973347 / 20), 0.7071752369554196
    middle = gain**0.4996667741545416
    scale = 1 + slope / quality + slope**2
    shelf = [
        (gain + middle * slope / quality + slope**2) / scale, 2 * (slope**2 - gain) / scale,
        (gain - middle * slope / quality + slope**2) / scale,
        1, 2 * (slope**2 - 1) / scale, (1 - slope / quality + slope**2) / scale,
    ]  # fmt: skip
    slope, quality = tan(pi * 38.13547087602444 / rate), 0.5003270373238773
    scale = 1 + slope / quality + slope**2
    return np.array([shelf, [1, -2, 1, 1, 2 * (slope**2 - 1) / scale, (1 - slope / quality + slope**2) / scale]])


@lru_cache(maxsize=4)
def _between(rate: int) -> tuple[int, NDArray[np.float64], float]:
    """How many times as many samples tell the true peak, the filter that makes them, and how much it can add at most."""
    from scipy.signal import firwin

    times = 4 if rate < 96_000 else 2
    taps = firwin(2 * _REACH * times + 1, 1 / times, window=("kaiser", 7.0)) * times
    return times, taps, float(max(np.abs(taps[phase::times]).sum() for phase in range(times)))


class SoundMeter:
    """Measures a programme sound as its samples come."""

    def __init__(self, tracks: Sequence[int], channels: Sequence[str], rate: int, begins: float) -> None:
        self._tracks, self._channels, self._begins = tuple(tracks), tuple(channels), begins
        self._rate, self._hop = rate, max(round(rate * HOP), 1)
        self._waiting = np.zeros((0, len(channels)), np.float32)
        self._state = np.zeros((2, 2, len(channels)))
        self._before = np.zeros((2 * _REACH, len(channels)), np.float32)
        self._greatest = 0.0
        self._parts: list[tuple[Any, ...]] = []

    def add(self, samples: Single) -> None:
        """Take (n, C) more samples, full scale being 1."""
        self._waiting = np.concatenate([self._waiting, samples])
        count = len(self._waiting) // self._hop
        if count:
            self._measure(self._waiting[: count * self._hop], count)
            self._waiting = self._waiting[count * self._hop :]

    def end(self, trouble: str = "") -> SoundMeasure:
        """What all of it measures; what is left of a hop is filled up with silence."""
        if len(self._waiting):
            self.add(np.zeros((self._hop - len(self._waiting), len(self._channels)), np.float32))
        empty = np.zeros((0, len(self._channels)), np.float32)
        parts = self._parts or [(empty, empty, empty, empty, empty.astype(np.int32), np.zeros(0, np.float32))]
        joined = [np.concatenate(each) for each in zip(*parts, strict=True)]
        weighted, power, peak, true_peak, clipped, together = joined
        return SoundMeasure(
            self._tracks, self._channels, self._begins, weighted, power, peak, true_peak, clipped, together, trouble
        )

    def _measure(self, samples: Single, count: int) -> None:
        from scipy.signal import sosfilt

        weighted, self._state = sosfilt(k_weighting(self._rate), samples.astype(np.float64), axis=0, zi=self._state)
        in_hops = samples.reshape(count, self._hop, -1)
        peak = np.abs(in_hops).max(axis=1)
        pair = in_hops[..., 0] * in_hops[..., 1] if samples.shape[1] == 2 else np.zeros((count, 1), np.float32)
        self._parts.append((
            (weighted.reshape(in_hops.shape) ** 2).mean(axis=1).astype(np.float32),
            (in_hops.astype(np.float64) ** 2).mean(axis=1).astype(np.float32),
            peak, self._true_peak(samples, peak), _at_full_scale(in_hops, peak), pair.mean(axis=1).astype(np.float32),
        ))  # fmt: skip

    def _true_peak(self, samples: Single, peak: Single) -> Single:
        times, taps, most = _between(self._rate)
        held = np.concatenate([self._before, samples])
        self._before = held[-2 * _REACH :]
        found = peak.copy()
        if float(peak.max()) * most > max(self._greatest, _LOUD):
            from scipy.signal import upfirdn

            # What lies between the last samples is told with those that come next.
            fine = np.abs(upfirdn(taps, held, up=times, axis=0))[2 * _REACH * times :][: len(samples) * times]
            found = np.maximum(fine.reshape(len(peak), self._hop * times, -1).max(axis=1), peak).astype(np.float32)
        self._greatest = max(self._greatest, float(found.max()))
        return found


def _at_full_scale(in_hops: NDArray[np.float32], peak: Single) -> NDArray[np.int32]:
    """(N, C) the longest run of samples at full scale in each hop."""
    longest = np.zeros(peak.shape, np.int32)
    for hop, channel in zip(*np.nonzero(peak >= _FULL), strict=True):
        over = np.concatenate([[0], np.abs(in_hops[hop, :, channel]) >= _FULL, [0]]).astype(np.int8)
        edges = np.flatnonzero(np.diff(over))
        longest[hop, channel] = (edges[1::2] - edges[::2]).max()
    return longest
