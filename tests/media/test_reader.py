import random
import zlib

import av
import numpy as np
import pytest

from bluffline.errors import MediaError
from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from clips import make_clip, numbered, read_number

FRAMES = 60
LONG_GOP = {"g": "24", "bf": "3", "x264-params": "open-gop=1:log-level=error"}


def _number(frame, programme):
    levels, source = programme.format.levels, programme.format
    return read_number(frame.planes[0], source.width, source.height, levels.code(50))


@pytest.fixture(scope="module")
def long_gop(tmp_path_factory):
    folder = tmp_path_factory.mktemp("gop")
    return {
        name: make_clip(folder / name, numbered, FRAMES, codec=codec, pixel_format="yuv420p", options=options)
        for name, codec, options in (
            ("a.mp4", "libx264", LONG_GOP), ("a.mkv", "libx264", LONG_GOP), ("a.ts", "libx264", LONG_GOP),
            ("a.avi", "libx264", LONG_GOP), ("a.mxf", "mpeg2video", {"g": "12", "bf": "2"}),
            ("b.mp4", "libx265", {"x265-params": "keyint=20:bframes=4:open-gop=1:log-level=error"}),
        )
    }  # fmt: skip


@pytest.mark.parametrize("name", ["a.mp4", "a.mkv", "a.ts", "a.avi", "a.mxf", "b.mp4"])
def test_frame_n_is_frame_n_after_any_seek(long_gop, name):
    programme = probe(long_gop[name])
    assert programme.frame_count == FRAMES
    with Reader(programme, keep_bytes=0) as reader:
        assert [_number(frame, programme) for frame in reader.frames()] == list(range(FRAMES))
        wanted = [*random.Random(7).sample(range(FRAMES), 14), FRAMES - 1, 0, 23, 24, 25, 24, 23]
        for number in wanted:
            frame = reader.frame(number)
            assert (frame.number, _number(frame, programme)) == (number, number)


@pytest.mark.parametrize("name", ["a.mp4", "a.mkv", "a.ts", "a.avi", "a.mxf", "b.mp4"])
def test_a_key_frame_taken_alone_is_that_frame_and_reading_goes_on(long_gop, name):
    programme = probe(long_gop[name])
    with Reader(programme, keep_bytes=0) as reader:
        for key in map(int, programme.index.keys[::-1]):
            assert _number(reader.key_frame(key), programme) == key
            after = min(key + 1, FRAMES - 1)
            assert _number(reader.frame(after), programme) == after


def test_planes_are_the_stored_samples(tmp_path):
    """Every code of a lossless file comes back, at the place it was stored."""
    ramp = np.linspace(-0.07, 1.09, 256)[None, :, None] * np.ones((64, 1, 3))
    made = make_clip(tmp_path / "ramp.mkv", lambda n: ramp, 2, pixel_format="yuv444p10le")
    with Reader(probe(made)) as reader:
        luma = reader.frame(1).planes[0][:64, :256]
    assert np.array_equal(luma[0], np.rint(64 + 876 * ramp[0, :, 0]).astype(int))


def test_packed_samples_are_unpacked_without_change(tmp_path):
    rgb = np.random.default_rng(3).uniform(0, 1, (32, 48, 3))
    made = make_clip(tmp_path / "rgb.avi", lambda n: rgb, 1, codec="rawvideo", pixel_format="bgr24", full=True)
    with Reader(probe(made)) as reader:
        planes = reader.frame(0).planes
    for component in range(3):
        assert np.array_equal(planes[component][:32, :48], np.rint(rgb[..., component] * 255).astype(int))


def test_pictures_that_all_have_one_time_are_counted(tmp_path, clip):
    """As a writer leaves them that forgets its clock; in a MOV they stay so."""
    pictures = clip("clock.mkv", numbered, 12)
    with av.open(str(pictures)) as source, av.open(str(tmp_path / "none.mov"), "w") as target:
        stream = target.add_stream("prores_ks", 25)
        stream.width, stream.height, stream.pix_fmt = 128, 64, "yuv422p10le"
        for number, frame in enumerate(source.decode(video=0)):
            frame.pts = number  # in ticks of a millisecond: less than a frame
            target.mux(stream.encode(frame.reformat(128, 64, "yuv422p10le")))
        target.mux(stream.encode(None))
    programme = probe(tmp_path / "none.mov")
    assert programme.frame_count == 12 and programme.index.missing == 0 and programme.frame_rate == 25
    with Reader(programme) as reader:
        assert sum(frame.planes is not None for frame in reader.frames()) == 12


def test_a_damaged_frame_is_missing_and_the_rest_is_there(tmp_path):
    made = make_clip(tmp_path / "whole.mkv", numbered, 20, options={"slicecrc": "1", "g": "1", "level": "3"})
    whole = bytearray(made.read_bytes())
    middle = len(whole) // 2
    whole[middle : middle + 40] = bytes(255 - byte for byte in whole[middle : middle + 40])
    (tmp_path / "hurt.mkv").write_bytes(whole)
    programme = probe(tmp_path / "hurt.mkv")
    with Reader(programme) as reader:
        frames = list(reader.frames())
    missing = [frame.number for frame in frames if frame.planes is None]
    assert [frame.number for frame in frames] == list(range(20))
    assert 1 <= len(missing) <= 2
    assert all(_number(frame, programme) == frame.number for frame in frames if frame.planes is not None)


def test_a_frame_beyond_the_end_is_refused(over_clip):
    with Reader(probe(over_clip)) as reader, pytest.raises(MediaError, match="no frame 24: it holds 24"):
        reader.frame(24)


@pytest.mark.parametrize(
    ("name", "codec"), [("a.mkv", "ffv1"), ("a.mov", "prores_ks"), ("a.mp4", "libx264"), ("a.ts", "mpeg2video")]
)
def test_the_checksum_of_what_is_read_is_that_of_every_packet(clip, name, codec):
    kind = "yuv420p" if codec in ("libx264", "mpeg2video") else "yuv422p10le"
    path = clip(name, numbered, 6, codec=codec, pixel_format=kind)
    with av.open(str(path)) as container:
        wanted = 0
        for packet in container.demux(video=0):
            wanted = zlib.crc32(bytes(packet), wanted) if packet.size else wanted
    for _ in range(2):
        with Reader(probe(path)) as reader:
            frames = list(reader.frames())
            assert len(frames) == 6 and reader.digest == f"{wanted:08x}" != "00000000"
    with Reader(probe(path)) as reader:
        list(reader.frames(2))
        assert not reader.digest, "not all of it was read"
