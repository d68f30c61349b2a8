"""What bare FFmpeg decodes is decoded: every encoder of the wheel in every pixel format, and every layout sample for sample."""

from fractions import Fraction

import av
import numpy as np
import pytest
from PIL import Image

from bluffline.errors import MediaError
from bluffline.media.pixels import layout_of, native_planes, put_planes
from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from bluffline.signal.levels import Range

HARDWARE = ("v4l2", "vaapi", "qsv", "nvenc", "amf", "vulkan", "videotoolbox", "d3d12", "_mf", "omx", "mediacodec", "rkmpp")
CONTAINERS = (".nut", ".mkv", ".mov", ".avi")
# A planar format of the same depth and sampling, that FFmpeg shows alike.
PLANAR = {
    "nv12": "yuv420p", "nv21": "yuv420p", "nv16": "yuv422p", "nv24": "yuv444p", "nv42": "yuv444p",
    **{f"p0{depth}{end}": f"yuv420p{depth}le" for depth in (10, 12, 16) for end in ("le", "be")},
    **{f"p2{depth}{end}": f"yuv422p{depth}le" for depth in (10, 12, 16) for end in ("le", "be")},
    **{f"p4{depth}{end}": f"yuv444p{depth}le" for depth in (10, 12, 16) for end in ("le", "be")},
    "nv20le": "yuv422p10le", "nv20be": "yuv422p10le", "y210le": "yuv422p10le", "y212le": "yuv422p12le",
    "xv36le": "yuv444p12le", "xv48le": "yuv444p16le", "uyvy422": "yuv422p", "yuyv422": "yuv422p", "yvyu422": "yuv422p",
    "xv30le": "yuv444p10le", "v30xle": "yuv444p10le", "vuyx": "yuv444p", "x2rgb10le": "gbrp10le", "x2bgr10le": "gbrp10le",
    "yuv444p10msble": "yuv444p10le", "yuv444p12msbbe": "yuv444p12le", "gbrp10msble": "gbrp10le", "gbrp12msbbe": "gbrp12le",
}  # fmt: skip


def noise(number, pixels, width=176, height=144):
    rgb = np.random.default_rng(number).integers(30, 220, (height, width, 3), np.uint8)
    frame = av.VideoFrame.from_ndarray(rgb, format="rgb24").reformat(format=pixels)
    frame.pts, frame.time_base = number, Fraction(1, 25)
    return frame


@pytest.mark.parametrize("pixels", PLANAR)
def test_every_layout_hands_on_the_samples_that_are_stored(pixels):
    across, down = np.meshgrid(np.linspace(40, 210, 176), np.linspace(60, 190, 144))
    slopes = np.stack([across, down, 250 - across], axis=-1).astype(np.uint8)  # what moves a site or swaps two is seen in them
    try:
        frame = av.VideoFrame.from_ndarray(slopes, format="rgb24").reformat(format=pixels)
        shown = frame.to_ndarray(format="rgb24")
    except (ValueError, OSError, av.error.FFmpegError):
        pytest.skip("FFmpeg itself does not convert it")
    layout, wanted = layout_of(pixels), layout_of(PLANAR[pixels])
    assert (layout.bit_depth, layout.halved, layout.model) == (wanted.bit_depth, wanted.halved, wanted.model)
    again = av.VideoFrame(176, 144, PLANAR[pixels])
    put_planes(again, native_planes(frame, layout))
    off = np.abs(shown.astype(int) - again.to_ndarray(format="rgb24"))
    assert off.mean() < 1.5 and np.abs(shown.astype(int) - slopes).mean() < 3, off.mean()


def encoders():
    for name in sorted(av.codecs_available):
        try:
            codec = av.Codec(name, "w")
        except ValueError:
            continue
        if codec.type == "video" and not any(word in name for word in HARDWARE):
            for kind in codec.video_formats or ():
                yield name, kind.name


def encoded(folder, encoder, pixels):
    """A clip of four frames in the first container that takes it, and what bare FFmpeg reads of it; None where nothing does."""
    for ending in CONTAINERS:
        path = folder / f"{encoder}-{pixels}{ending}"
        try:
            with av.open(str(path), "w") as container:
                stream = container.add_stream(encoder, rate=25)
                stream.width, stream.height, stream.pix_fmt = 176, 144, pixels
                for number in range(4):
                    container.mux(stream.encode(noise(number, pixels)))
                container.mux(stream.encode(None))
            with av.open(str(path)) as container:
                bare = [frame.format.name for frame in container.decode(video=0)]
        except (av.error.FFmpegError, ValueError, OSError, TypeError):
            continue
        if bare:
            return path, bare
    return None


@pytest.mark.parametrize("letters", ["abcdef", "ghijkl", "lmnopqr", "stuvwxyz"])
def test_what_bare_ffmpeg_decodes_is_decoded_or_named(tmp_path, letters):
    told, read = [], 0
    for encoder, pixels in encoders():
        if encoder.removeprefix("lib")[0] not in letters or (made := encoded(tmp_path, encoder, pixels)) is None:
            continue
        path, bare = made
        try:
            programme = probe(path)
        except MediaError as error:
            told.append((encoder, pixels, str(error)))
            continue
        with Reader(programme) as reader:
            there = [frame.planes is not None for frame in reader.frames()]
        assert there == [True] * len(bare), (encoder, pixels)
        read += 1
    assert read >= 30 and all("pixel format" in each[-1] for each in told), told


@pytest.mark.parametrize(("kind", "depth"), [(np.uint8, 8), (np.uint16, 16)])
@pytest.mark.parametrize("ending", ["png", "tiff"])
def test_grey_pictures_in_files_of_their_own_are_full_range_as_those_of_colour_are(tmp_path, kind, depth, ending):
    for number in range(3):
        grey = np.random.default_rng(number).integers(0, np.iinfo(kind).max, (48, 64)).astype(kind)
        Image.fromarray(grey).save(tmp_path / f"s_{number}.{ending}")
    programme = probe(tmp_path)
    assert (programme.format.range, programme.format.bit_depth) == (Range.FULL, depth)
    with Reader(programme) as reader:
        last = reader.frame(2).planes[0][:48, :64]
    assert np.array_equal(last, grey)
