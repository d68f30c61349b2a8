"""Makes the files of a Saturday's shift at Larkmoor Television out of the demo programme."""

from collections.abc import Iterable
from fractions import Fraction
from pathlib import Path

import av

from bluffline.demo import demo_clip

# The names of files, and the runs of the demo programme's frames that each is made of.
PROGRAMMES: dict[str, tuple[tuple[int, int], ...]] = {
    "harbour-report-v3.mov": ((190, 250), (500, 560)),
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
AIR = {"harbour-report-v3": "18:30", "glaze-fair-part-two": "19:00", "weather-1845": "18:45", "ferry-line-ep4": "20:10"}
AIR |= {"choir-in-the-mill": "21:00", "quay-market": "18:30", "low-water": "22:05", "opening-titles": "18:00"}


def make(folder: Path, names: Iterable[str] = tuple(PROGRAMMES)) -> list[Path]:
    """Write some of them, and one that is no programme."""
    folder.mkdir(parents=True, exist_ok=True)
    made = [_written(folder / name, PROGRAMMES[name]) for name in names]
    torn = folder / "pilot-boats.mov"
    torn.write_bytes(made[0].read_bytes()[:20_000])
    return [*made, torn]


def _written(path: Path, runs: tuple[tuple[int, int], ...]) -> Path:
    with av.open(str(demo_clip())) as source, av.open(str(path), "w") as target:
        shown = source.streams.video[0]
        written = target.add_stream("prores_ks", 25, options={"profile": "3"})
        assert isinstance(written, av.VideoStream)
        written.width, written.height, written.pix_fmt = shown.width, shown.height, "yuv422p10le"
        context = written.codec_context
        context.color_range, context.colorspace, context.color_primaries, context.color_trc = 1, 1, 1, 1
        count = 0
        for number, frame in enumerate(source.decode(video=0)):
            if any(first <= number < after for first, after in runs):
                again = frame.reformat(format="yuv422p10le")
                again.pts, again.time_base = count, Fraction(1, 25)
                target.mux(written.encode(again))
                count += 1
        target.mux(written.encode(None))
    return path
