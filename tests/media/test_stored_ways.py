"""What a container or a file's head says of how a picture is to be shown and read."""

import struct
from fractions import Fraction

import av
import numpy as np
import pytest

from bluffline.media.carriage import rehearse
from bluffline.media.codecs import codec_for
from bluffline.media.probe import probe
from bluffline.prove.prove import ProveRequest, prove
from bluffline.rules.rulefile import load_rules
from bluffline.session.session import Session
from bluffline.signal.levels import Range
from bluffline.signal.matrix import Matrix
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import run_survey, start_survey
from clips import make_clip
from spliced import Part, spliced

GREY = np.full((96, 128, 3), 0.5)


def turned(path, degrees, *, mirrored):
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=25, options={"x264-params": "log-level=-1"})
        stream.width, stream.height, stream.pix_fmt = 128, 96, "yuv420p"
        stream.set_display_rotation(degrees, hflip=mirrored)
        for number in range(4):
            frame = av.VideoFrame.from_ndarray((GREY * 255).astype(np.uint8), format="rgb24").reformat(format="yuv420p")
            frame.pts, frame.time_base = number, Fraction(1, 25)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


def matrix_of(path):
    with av.open(str(path)) as container:
        frame = next(container.decode(video=0))
        kept = (bytes(each) for each in frame.side_data if each.type.name == "DISPLAYMATRIX")
        return next((struct.unpack("<4i", data[:8] + data[12:20]) for data in kept), None)


@pytest.mark.parametrize("mirrored", [False, True])
@pytest.mark.parametrize("degrees", [0, 90, 180])
@pytest.mark.parametrize("target", ["o.mov", "o.mkv"])
def test_the_way_a_picture_is_turned_and_mirrored_goes_over_or_is_told(tmp_path, degrees, mirrored, target):
    source = turned(tmp_path / "c.mp4", degrees, mirrored=mirrored)
    programme = probe(source)
    assert programme.carried.mirrored is mirrored
    assert any("mirrored" in note for note in programme.notes) is mirrored
    survey = run_survey(start_survey(programme, load_rules("r103")), Monitor())
    out = tmp_path / target
    codec = codec_for(out)
    carriage = rehearse(programme, programme.format, codec, out)
    prove(ProveRequest(survey, survey.shots(), {}, out, codec, None, carriage), Monitor())
    assert matrix_of(out) == matrix_of(source) or any("is not carried" in each for each in carriage.losses)


def dpx(codes):
    """A DPX picture whose head says which codes are black and white, and BT.709."""
    context = av.CodecContext.create("dpx", "w")
    context.width, context.height, context.pix_fmt, context.time_base = 128, 96, "gbrp10le", Fraction(1, 25)
    frame = av.VideoFrame.from_ndarray((GREY * 255).astype(np.uint8), format="rgb24").reformat(format="gbrp10le")
    data = bytearray(b"".join(map(bytes, [*context.encode(frame), *context.encode(None)])))
    order = "<" if data[:4] == b"XPDS" else ">"
    struct.pack_into(f"{order}I", data, 784, codes[0])
    struct.pack_into(f"{order}I", data, 792, codes[1])
    data[801], data[802] = 6, 6
    return data


@pytest.mark.parametrize(
    ("codes", "kind"), [((64, 940), Range.NARROW), ((0, 1023), Range.FULL), ((0xFFFFFFFF,) * 2, Range.FULL)]
)
def test_the_head_of_a_dpx_picture_says_its_range_and_transfer(tmp_path, codes, kind):
    for number in range(2):
        (tmp_path / f"s_{number}.dpx").write_bytes(dpx(codes))
    source = probe(tmp_path).format
    assert (source.range, source.transfer, source.primaries) == (kind, "bt709", "bt709")
    assert ("range" in source.assumed) is (codes[0] == 0xFFFFFFFF) and "transfer" not in source.assumed


def test_a_flat_mid_grey_is_called_neither_black_nor_white(tmp_path):
    picture = np.full((96, 128, 3), 0.4)
    picture[:48, :64], picture[48:, 64:] = 0.6, 0.5
    made = make_clip(tmp_path / "g.mkv", lambda n: picture, 3)
    survey = run_survey(start_survey(probe(made), load_rules("r103")), Monitor())
    told = [finding.reason for finding in survey.findings() if finding.rule.startswith("clip-")]
    assert told and all(reason.startswith("Flat tone at") for reason in told), told


def test_a_change_of_tags_that_writing_mends_is_not_counted_as_left(tmp_path):
    for transfer, left in ((1, 0), (16, 1)):
        path = spliced(tmp_path / f"{transfer}.ts", [Part(), Part(matrix=Matrix.BT601, transfer=transfer)], GREY[:64, :96])
        session = Session()
        session.open(path)
        run_survey(session.survey, Monitor())
        session.refresh()
        assert session.must_fix_count == 1 and session.left_count == left


def test_each_dpx_picture_is_read_by_its_own_head(tmp_path):
    for number, codes in enumerate([(64, 940)] * 3 + [(0, 1023)] * 3):
        (tmp_path / f"s_{number}.dpx").write_bytes(dpx(codes))
    survey = run_survey(start_survey(probe(tmp_path), load_rules("r103")), Monitor())
    (found,) = [finding for finding in survey.findings() if finding.rule == "tags"]
    assert found.first_frame == 3 and "full range; before, narrow range" in found.reason
