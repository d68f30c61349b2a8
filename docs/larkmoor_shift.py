"""Makes the files of a Saturday's shift at Larkmoor Television out of the demo programme."""

from collections.abc import Iterable
from contextlib import ExitStack
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from av.container import OutputContainer

from bluffline.demo import demo_clip

# The names of files, and the runs of the demo programme's frames that each is made of.
PROGRAMMES: dict[str, tuple[tuple[int, int], ...]] = {
    "harbour-report-v2.mov": ((190, 250), (400, 440), (500, 560)),
    "harbour-report-v3.mov": ((190, 250), (400, 440), (500, 560)),
    "glaze-fair-part-two.mov": ((60, 130), (250, 330), (560, 600)),
    "weather-1845.mov": ((330, 380),),
    "ferry-line-ep4.mov": ((130, 190), (330, 400)),
    "station-ident-long.mov": ((400, 440),),
    "choir-in-the-mill.mov": ((330, 400), (70, 120)),
    "quay-market.mov": ((480, 540),),
    "low-water.mov": ((130, 190),),
    "opening-titles.mov": ((340, 365),),
    "moor-walks-2.mov": ((400, 470),),
    "moor-walks-3.mov": ((410, 450),),
}
GLARING = {"harbour-report-v2.mov": range(400, 440)}  # frames that were brighter in a delivery before the one that is due
AIR = {"harbour-report-v3": "18:30", "glaze-fair-part-two": "19:00", "weather-1845": "18:45", "ferry-line-ep4": "20:10"}
AIR |= {"choir-in-the-mill": "21:00", "quay-market": "18:30", "low-water": "22:05", "opening-titles": "18:00"}


def make(folder: Path, names: Iterable[str] = tuple(PROGRAMMES)) -> list[Path]:
    """Write some of them, and one that is no programme."""
    folder.mkdir(parents=True, exist_ok=True)
    paths = [folder / name for name in names]
    with ExitStack() as open_files:
        source = open_files.enter_context(av.open(str(demo_clip())))
        shown = source.streams.video[0]
        writing = [(path, _Target(open_files.enter_context(av.open(str(path), "w")), shown)) for path in paths]
        for number, frame in enumerate(source.decode(video=0)):
            for path, target in writing:
                if any(first <= number < after for first, after in PROGRAMMES[path.name]):
                    target.put(frame, glaring=number in GLARING.get(path.name, ()))
        for _, target in writing:
            target.end()
    torn = folder / "pilot-boats.mov"
    torn.write_bytes(paths[0].read_bytes()[:20_000])
    return [*paths, torn]


class _Target:
    """A file that is written in ProRes."""

    def __init__(self, container: OutputContainer, shown: av.VideoStream) -> None:
        stream = container.add_stream("prores_ks", 25, options={"profile": "3"})
        assert isinstance(stream, av.VideoStream)
        stream.width, stream.height, stream.pix_fmt = shown.width, shown.height, "yuv422p10le"
        context = stream.codec_context
        context.color_range, context.colorspace, context.color_primaries, context.color_trc = 1, 1, 1, 1
        self._container, self._stream, self._count = container, stream, 0

    def put(self, frame: av.VideoFrame, *, glaring: bool) -> None:
        again = frame.reformat(format="yuv422p10le")
        if glaring:
            samples = again.to_ndarray()  # of its own: the frame may be that of other files as well
            samples[: again.height] = np.minimum(64 + (samples[: again.height] - 64.0) * 1.25, 1019)
            again = av.VideoFrame.from_ndarray(samples, "yuv422p10le")
        again.pts, again.time_base = self._count, Fraction(1, 25)
        self._container.mux(self._stream.encode(again))
        self._count += 1

    def end(self) -> None:
        self._container.mux(self._stream.encode(None))
