"""Programme files with sounds that are made by formula."""

from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

RATE = 48_000
_NAMES = {1: "mono", 2: "stereo", 6: "5.1"}


def tone(level: float, seconds: float, frequency: float = 1000.0, rate: int = RATE, phase: float = 0.0) -> np.ndarray:
    """A sine whose peak is at ``level`` dBFS."""
    return 10 ** (level / 20) * np.sin(2 * np.pi * frequency * np.arange(round(seconds * rate)) / rate + phase)


def with_sounds(
    picture: Path, target: Path, sounds: Sequence[np.ndarray], codec: str = "pcm_s24le", rate: int = RATE, late: float = 0.0
) -> Path:
    """The picture of a file, its packets as they are, and a track for each of (n, C) samples; these begin ``late`` seconds."""
    with av.open(str(picture)) as source, av.open(str(target), "w") as file:
        copy = file.add_stream_from_template(source.streams.video[0], opaque=None)
        tracks = [file.add_stream(codec, rate=rate, layout=_NAMES[each.shape[1]]) for each in sounds]
        resamplers = [av.AudioResampler(track.format.name, track.layout, rate) for track in tracks]
        for packet in source.demux(video=0):
            if packet.dts is not None:
                packet.stream = copy
                file.mux(packet)
        for start in range(0, max((len(each) for each in sounds), default=0), rate):
            for track, samples, resampler in zip(tracks, sounds, resamplers, strict=True):
                part = samples[start : start + rate]
                if not len(part):
                    continue
                block = av.AudioFrame.from_ndarray(
                    np.ascontiguousarray(part.T, np.float32), format="fltp", layout=_NAMES[samples.shape[1]]
                )
                block.sample_rate, block.pts, block.time_base = rate, start + round(late * rate), Fraction(1, rate)
                for made in resampler.resample(block):
                    file.mux(track.encode(made))
        for track in tracks:
            file.mux(track.encode(None))
    return target
