import av
import numpy as np
import pytest

from bluffline.errors import SettingsError, WriteError
from bluffline.measure.counted import Limits
from bluffline.measure.frame_measure import measure_frame
from bluffline.measure.region import Region
from bluffline.media.codecs import CODECS, codec_for
from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from bluffline.media.writer import Writer, refuse_source_as_target
from bluffline.signal.convert import convert
from bluffline.signal.format import Overrides
from bluffline.signal.matrix import Matrix
from clips import make_clip, numbered


def _copy(source, target, codec):
    programme = probe(source)
    writer = Writer(target, programme, programme.format, codec)
    with Reader(programme) as reader:
        for frame in reader.frames():
            writer.write(frame.number, writer.picture(convert(frame.planes, programme.format, writer.format)))
    writer.finish()
    return programme


def _sound(path):
    with av.open(str(path)) as container:
        return b"".join(bytes(packet) for packet in container.demux(audio=0))


@pytest.mark.parametrize(
    ("name", "codec", "tolerance"),
    [
        ("o.mkv", "ffv1", 0),
        ("o.mov", "prores", 24),
        ("o.mxf", "prores", 24),
        ("o.mxf", "dnxhr", 24),
        ("o.mov", "h264", 24),
        ("o.mp4", "h264", 24),
    ],
)
def test_what_is_written_is_what_was_read(over_clip, tmp_path, name, codec, tolerance):
    """Size, rate, tags, timecode and sound are kept; samples exactly by the lossless codec, closely by the others."""
    target = tmp_path / name
    before = _copy(over_clip, target, CODECS[codec])
    after = probe(target)
    assert after.frame_count == before.frame_count and after.frame_rate == before.frame_rate
    assert (after.format.width, after.format.height) == (before.format.width, before.format.height)
    assert after.format.assumed == frozenset() and after.format.matrix is before.format.matrix
    assert after.label(0) == "09:59:58:00"
    if before.tracks:
        assert _sound(target) == _sound(over_clip)
    with Reader(before) as source, Reader(after) as written:
        for a, b in zip(source.frames(), written.frames(), strict=True):
            luma = [frame.planes[0][: before.format.height, : before.format.width].astype(int) for frame in (a, b)]
            assert np.abs(luma[0] - luma[1]).mean() <= tolerance / 4
            assert tolerance or np.array_equal(*luma)


@pytest.mark.parametrize(("codec", "ending"), [(codec, ending) for codec in CODECS.values() for ending in codec.containers])
@pytest.mark.parametrize("pixels", ["yuv420p", "gbrp10le"])
def test_a_full_range_picture_reads_back_at_its_own_levels(clip, tmp_path, codec, ending, pixels):
    patch = np.broadcast_to(np.array([0.9, 0.5, 0.2]), (128, 256, 3))
    programme = probe(clip("full.mkv", lambda n: patch, 2, pixel_format=pixels, full=True))
    told = Overrides(matrix=Matrix.BT709).on(programme.format) if pixels == "yuv420p" else programme.format
    target = tmp_path / f"o{ending}"
    writer = Writer(target, programme, told, codec)
    with Reader(programme) as reader:
        for frame in reader.frames():
            writer.write(frame.number, writer.picture(convert(frame.planes, told, writer.format)))
    writer.finish()
    after = probe(target)
    with Reader(after) as reader:
        measure = measure_frame(reader.frame(1).planes, after.format, Region.whole(after.format), Limits((0, 100), (0, 100)))
    assert after.format.range is writer.format.range and "matrix" not in after.format.assumed
    assert [measure.rgb_max, measure.rgb_min] == pytest.approx([90, 20], abs=1)


def test_a_matrix_that_readers_could_not_tell_is_refused(over_clip, tmp_path):
    programme = probe(over_clip)
    with pytest.raises(WriteError, match=r"DNxHR HQX can't say that its matrix is BT\.601; choose another codec"):
        Writer(tmp_path / "o.mxf", programme, Overrides(matrix=Matrix.BT601).on(programme.format), CODECS["dnxhr"])
    assert not list(tmp_path.glob("o.*"))


def test_variable_times_are_kept(clip, tmp_path):
    times = [0, 40, 80, 200, 240, 500]
    source = clip("vfr.mkv", numbered, 6, times=lambda n: times[n])
    _copy(source, tmp_path / "o.mkv", CODECS["ffv1"])
    written = probe(tmp_path / "o.mkv")
    assert [round(1000 * float(t * written.time_base)) for t in written.index.times] == times
    with pytest.raises(WriteError, match=r"An \.mxf file can't hold a variable frame rate"):
        _copy(source, tmp_path / "o.mxf", CODECS["prores"])
    assert not (tmp_path / "o.mxf").exists()


def test_interlaced_material_stays_interlaced(tmp_path):
    source = make_clip(
        tmp_path / "i.mov",
        numbered,
        4,
        codec="libx264",
        pixel_format="yuv420p",
        options={"x264-params": "tff=1:log-level=error"},
    )
    assert probe(source).format.interlaced
    _copy(source, tmp_path / "o.mov", CODECS["prores"])
    assert probe(tmp_path / "o.mov").format.interlaced


def test_a_track_that_does_not_fit_is_named(tmp_path):
    source = tmp_path / "aac.mov"
    with av.open(str(source), "w") as container:
        picture = container.add_stream("libx264", rate=25, options={"x264-params": "log-level=error"})
        picture.width, picture.height, picture.pix_fmt = 64, 48, "yuv420p"
        sound = container.add_stream("aac", rate=48000, layout="mono")
        for number in range(3):
            frame = av.VideoFrame(64, 48, "yuv420p")
            frame.pts = number
            container.mux(picture.encode(frame))
            block = av.AudioFrame.from_ndarray(np.zeros((1, 1920), np.float32), format="fltp", layout="mono")
            block.sample_rate, block.pts = 48000, number * 1920
            container.mux(sound.encode(block))
        container.mux(picture.encode(None))
        container.mux(sound.encode(None))
    programme = probe(source)
    with pytest.raises(WriteError, match=r"mxf file can't carry track 1 .aac"):
        Writer(tmp_path / "o.mxf", programme, programme.format, CODECS["prores"])
    with pytest.raises(WriteError, match=r"DNxHR HQX can't encode a picture of 64×48"):
        Writer(tmp_path / "o.mov", programme, Overrides(matrix=Matrix.BT709).on(programme.format), CODECS["dnxhr"])


def test_the_source_is_never_the_target(over_clip, tmp_path):
    link = tmp_path / "other-name.mkv"
    link.symlink_to(over_clip)
    for target in (over_clip, link):
        with pytest.raises(WriteError, match="source itself"):
            refuse_source_as_target(over_clip, target)
    with pytest.raises(WriteError, match="no folder"):
        refuse_source_as_target(over_clip, tmp_path / "nowhere" / "o.mkv")


def test_codec_follows_the_ending(tmp_path):
    endings = ("a.mov", "a.mxf", "a.mkv", "a.MP4")
    assert [codec_for(tmp_path / name).name for name in endings] == ["prores", "dnxhr", "ffv1", "h264"]
    for name, codec, words in (
        ("a.gif", None, "ending"),
        ("a.mkv", "prores", "not to .mkv"),
        ("a.mov", "theora", "no codec named"),
    ):
        with pytest.raises(SettingsError, match=words):
            codec_for(tmp_path / name, codec)
