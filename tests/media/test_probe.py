from fractions import Fraction

import av
import numpy as np
import pytest

from bluffline.errors import MediaError
from bluffline.media.probe import probe
from bluffline.signal.format import Model, Overrides
from bluffline.signal.levels import Range
from bluffline.signal.matrix import Matrix
from clips import numbered


def test_tags_of_the_file_are_facts(over_clip):
    programme = probe(over_clip)
    source = programme.format
    assert (source.width, source.height, source.bit_depth, source.sampling) == (256, 128, 10, "4:2:2")
    assert (source.range, source.matrix, source.primaries) == (Range.NARROW, Matrix.BT709, "bt709")
    assert source.assumed == frozenset()
    assert programme.frame_count == 24 and programme.frame_rate == 25 and programme.label(0) == "09:59:58:00"
    assert [track.kind for track in programme.tracks] == ["audio"]


@pytest.mark.parametrize(("height", "matrix"), [(576, Matrix.BT601), (720, Matrix.BT709)])
def test_what_is_unspecified_is_assumed_by_size_and_said(clip, height, matrix):
    made = clip("bare.mkv", lambda n: np.full((height, 64, 3), 0.4), 2, tags=False)
    source = probe(made).format
    assert source.matrix is matrix and {"matrix", "primaries", "transfer"} <= source.assumed
    told = Overrides(matrix=Matrix.BT2020, range=Range.FULL).on(source)
    assert told.matrix is Matrix.BT2020 and told.range is Range.FULL and not {"matrix", "range"} & told.assumed


@pytest.mark.parametrize(
    ("name", "codec", "pixels", "depth", "sampling"),
    [
        ("a.mov", "prores_ks", "yuv422p10le", 10, "4:2:2"), ("a.mxf", "dnxhd", "yuv422p10le", 10, "4:2:2"),
        ("a.mp4", "libx264", "yuv420p", 8, "4:2:0"), ("b.mp4", "libx265", "yuv420p12le", 12, "4:2:0"),
        ("a.ts", "mpeg2video", "yuv420p", 8, "4:2:0"), ("a.mkv", "ffv1", "yuv444p12le", 12, "4:4:4"),
        ("b.mkv", "ffv1", "gbrp10le", 10, "R′G′B′"), ("v.mov", "v210", "yuv422p10le", 10, "4:2:2"),
        ("u.mov", "rawvideo", "uyvy422", 8, "4:2:2"), ("r.avi", "rawvideo", "bgr24", 8, "R′G′B′"),
        ("s.mov", "rawvideo", "rgb48be", 16, "R′G′B′"), ("c.mp4", "libsvtav1", "yuv420p10le", 10, "4:2:0"),
    ],
)  # fmt: skip
def test_formats(clip, name, codec, pixels, depth, sampling):
    options = {"profile": "dnxhr_hqx"} if codec == "dnxhd" else {"x265-params": "log-level=error"} if codec == "libx265" else {}
    programme = probe(clip(name, lambda n: numbered(n, 128, 256), 6, codec=codec, pixel_format=pixels, options=options))
    assert (programme.format.bit_depth, programme.format.sampling) == (depth, sampling)
    assert programme.frame_count == 6
    assert (programme.format.model is Model.RGB) == (sampling == "R′G′B′")


def test_variable_rate_is_told(clip):
    times = [0, 40, 80, 200, 240, 500]
    programme = probe(clip("vfr.mkv", numbered, 6, times=lambda n: times[n]))
    assert programme.index.variable and programme.notes == ("Variable frame rate",)
    assert not probe(clip("cfr.mkv", numbered, 6, rate=Fraction(30000, 1001))).index.variable


def _no_video(path):
    with av.open(str(path), "w") as container:
        track = container.add_stream("pcm_s16le", rate=48000, layout="mono")
        block = av.AudioFrame.from_ndarray(np.zeros((1, 4800), np.int16), format="s16", layout="mono")
        block.sample_rate = 48000
        container.mux(track.encode(block))
        container.mux(track.encode(None))


def test_bad_input_is_one_clear_sentence(tmp_path, over_clip):
    whole = over_clip.read_bytes()
    (tmp_path / "empty.mov").write_bytes(b"")
    (tmp_path / "text.mp4").write_text("not a video at all\n" * 50)
    (tmp_path / "stub.mkv").write_bytes(whole[:400])
    _no_video(tmp_path / "sound.wav")
    expected = {
        "missing.mov": "There is no file", "empty.mov": "is empty", "text.mp4": "can't be opened",
        "stub.mkv": "no frames|can't be", "sound.wav": "no video track", "": "folder without numbered pictures",
    }  # fmt: skip
    for name, words in expected.items():
        with pytest.raises(MediaError, match=words) as caught:
            probe(tmp_path / name)
        message = str(caught.value)
        assert message.endswith(".") and "\n" not in message and "Traceback" not in message
