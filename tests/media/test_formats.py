"""Kinds of files that stations meet: read frame for frame as FFmpeg by itself reads them, checked, written and read again."""

import os
import shutil
import subprocess
from dataclasses import replace
from fractions import Fraction

import av
import numpy as np
import pytest
from PIL import Image

from bluffline.errors import MediaError, WriteError
from bluffline.media.carriage import rehearse
from bluffline.media.codecs import CODECS
from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from bluffline.media.writer import Writer
from bluffline.prove.render import render
from bluffline.rules.rulefile import load_rules
from bluffline.rules.shots import Shot
from bluffline.signal.matrix import Matrix
from bluffline.signal.siting import Siting
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import must_fix, run_survey, start_survey
from clips import make_clip, numbered, read_number

PAL = {
    "b": "30000000",
    "minrate": "30000000",
    "maxrate": "30000000",
    "bufsize": "1200000",
    "rc_init_occupancy": "1200000",
    "g": "1",
}


def sized(height, width):
    return lambda n: np.resize(numbered(n, height, width), (height, width, 3)).astype(float)


# name, codec, pixel format, options, size, rate, what is read: sampling, rate, interlaced
KINDS = [
    ("d10.mxf", "mpeg2video", "yuv422p", PAL | {"qmin": "1", "intra_vlc": "1"}, (576, 720), 25, "4:2:2"),
    ("long.ts", "mpeg2video", "yuv422p", PAL | {"g": "12", "qmin": "1", "bufsize": "1835008"}, (576, 720), 25, "4:2:2"),
    ("g.gxf", "mpeg2video", "yuv422p", {"b": "20000000"}, (576, 720), 25, "4:2:2"),
    ("n.dv", "dvvideo", "yuv411p", {}, (480, 720), Fraction(30000, 1001), "4:2:2"),
    ("p.dv", "dvvideo", "yuv420p", {}, (576, 720), 25, "4:2:0"),
    ("v410.mov", "v410", "yuv444p10le", {}, (96, 160), 25, "4:4:4"),
    ("f440.mkv", "ffv1", "yuv440p", {}, (96, 160), 25, "4:4:0"),
    ("f411.mkv", "ffv1", "yuv411p", {}, (96, 160), 25, "4:2:2"),
    ("f410.mkv", "ffv1", "yuv410p", {}, (96, 160), 25, "4:2:0"),
]


def make(folder, kind):
    name, codec, pixels, options, size, rate, _ = kind
    return make_clip(folder / name, sized(*size), 12, codec=codec, pixel_format=pixels, options=options, rate=rate)


def plain(path):
    """Every frame as FFmpeg decodes it by itself: the bytes of its planes, padding cut off."""
    with av.open(str(path)) as container:
        return [
            [
                np.frombuffer(plane, np.uint8)
                .reshape(-1, plane.line_size)[: plane.height, : plane.width * _bytes(frame)]
                .copy()
                for plane in frame.planes
            ]
            for frame in container.decode(video=0)
        ]


def _bytes(frame):
    return 4 if frame.format.name == "v30xle" else 1


@pytest.mark.parametrize("kind", KINDS, ids=lambda kind: kind[0])
def test_every_frame_is_read_as_ffmpeg_reads_it_and_comes_back(tmp_path, kind):
    made = make(tmp_path, kind)
    expected = plain(made)
    programme = probe(made)
    assert programme.frame_count == len(expected) == 12 and programme.index.missing == 0
    assert programme.frame_rate == kind[5] and programme.format.sampling == kind[6]
    width, height = programme.format.width, programme.format.height
    with Reader(programme) as reader:
        for frame, other in zip(reader.frames(), expected, strict=True):
            assert frame.planes is not None, frame.number
            if programme.pixel_format != "v30xle":
                assert np.array_equal(frame.planes[0][:height, :width], other[0])
    # Nothing in it is illegal, and written without loss every sample comes back.
    survey = run_survey(start_survey(programme, load_rules("r103")), Monitor())
    assert not [f for f in must_fix(survey.findings()) if f.rule in {"unreadable", "missing", "reserved"}]
    target = tmp_path / "o.mkv"
    if kind[0] == "g.gxf":  # it holds its timecode in a track of its own kind
        with pytest.raises(WriteError, match="can't carry"):
            rehearse(programme, programme.format, CODECS["ffv1"], target)
    carriage = rehearse(programme, programme.format, CODECS["ffv1"], target, drop_tracks=True)
    written, digest = render(
        programme, programme.format, [Shot(0, 11)], {}, target, CODECS["ffv1"], Monitor(), tracks=carriage.tracks
    )
    assert survey.read == [digest] and written.frame_rate == programme.frame_rate
    assert written.format.interlaced == programme.format.interlaced
    assert written.format.top_field_first == programme.format.top_field_first
    if programme.pixel_format != "v30xle":
        for one, other in zip(expected, plain(target), strict=True):
            assert all(np.array_equal(a, b) for a, b in zip(one, other, strict=True)), "sample for sample"


def test_v410_words_are_unpacked_to_the_samples_that_were_packed(tmp_path):
    rng = np.random.default_rng(3)
    picture = rng.uniform(0.1, 0.9, (96, 160, 3))
    v410 = probe(make_clip(tmp_path / "v.mov", lambda n: picture, 2, codec="v410", pixel_format="yuv444p10le"))
    ffv1 = probe(make_clip(tmp_path / "f.mkv", lambda n: picture, 2, codec="ffv1", pixel_format="yuv444p10le"))
    with Reader(v410) as one, Reader(ffv1) as other:
        for packed, straight in zip(one.frame(1).planes, other.frame(1).planes, strict=True):
            assert np.array_equal(packed[:96, :160], straight[:96, :160])


@pytest.mark.parametrize(
    ("ending", "codec", "pixels"),
    [
        ("png", "png", "rgb24"), ("png", "png", "pal8"), ("tif", "tiff", "rgb48le"), ("dpx", "dpx", "gbrp10le"),
        ("exr", "exr", "gbrpf32le"), ("jpg", "mjpeg", "yuvj444p"),
    ],
)  # fmt: skip
def test_numbered_pictures_and_stills(tmp_path, ending, codec, pixels):
    folder = tmp_path / "shots"
    folder.mkdir()
    rgb = np.zeros((48, 64, 3), np.uint8)
    rgb[:, :32] = (200, 100, 50)
    for number in range(7, 12):
        if pixels == "pal8":
            Image.fromarray(rgb).quantize(4).save(folder / f"s_{number:04d}.png")
            continue
        frame = av.VideoFrame.from_ndarray(rgb, format="rgb24").reformat(format=pixels)
        context = av.CodecContext.create(codec, "w")
        context.width, context.height, context.pix_fmt, context.time_base = 64, 48, pixels, Fraction(1, 25)
        if codec == "mjpeg":
            context.color_range = 2
        data = b"".join(bytes(packet) for packet in [*context.encode(frame), *context.encode(None)])
        (folder / f"s_{number:04d}.{ending}").write_bytes(data)
    for named, rate in ((folder, None), (folder / f"s_%04d.{ending}", Fraction(24))):
        programme = probe(named, rate=rate)
        assert programme.frame_count == 5 and programme.frame_rate == (rate or 25)
        with Reader(programme) as reader:
            frames = [*reader.frames(), reader.frame(4), reader.frame(0)]
        assert all(frame.planes is not None for frame in frames)
    if pixels != "yuvj444p":
        levels = programme.format.levels
        seen = [levels.percent(float(plane[24, 8])) for plane in frames[0].planes]
        assert seen == pytest.approx([200 / 2.55, 100 / 2.55, 50 / 2.55], abs=1.0), "palettes and numbers are R′G′B′"
    still = probe(folder / f"s_0009.{ending}")
    assert still.frame_count == 1
    (folder / f"s_0009.{ending}").unlink()
    with pytest.raises(MediaError, match=r"1 of the numbers 7 to 11 are missing \(9\)"):
        probe(folder)


def test_names_that_look_like_something_else(tmp_path, monkeypatch):
    made = make_clip(tmp_path / "m.mkv", numbered, 2)
    monkeypatch.chdir(tmp_path)
    for name in ("http:m.mkv", "concat:a|b.mkv", "-m.mkv", os.fsdecode(b"caf\xe9.mkv"), "100%d.mkv"):
        shutil.copy(made, name)
        programme = probe(name)
        assert programme.frame_count == 2
        programme.name.encode("utf-8")
    os.mkfifo("pipe")
    for name, words in (("pipe", "is a pipe"), ("/dev/null", "is a device"), ("-", "read from a pipe")):
        with pytest.raises(MediaError, match=words) as caught:
            probe(name)
        assert str(caught.value).count(".") <= 2


def test_of_several_video_tracks_one_is_taken_and_the_others_are_told(tmp_path):
    with av.open(str(tmp_path / "two.mkv"), "w") as container:
        streams = []
        for width in (64, 96):
            stream = container.add_stream("ffv1", rate=25)
            stream.width, stream.height, stream.pix_fmt = width, 48, "yuv420p"
            streams.append(stream)
        for stream in streams:
            for number in range(3):
                frame = av.VideoFrame(stream.width, 48, "yuv420p")
                frame.pts, frame.time_base = number, Fraction(1, 25)
                container.mux(stream.encode(frame))
            container.mux(stream.encode(None))
    first, second = probe(tmp_path / "two.mkv"), probe(tmp_path / "two.mkv", track=1)
    assert (first.format.width, second.format.width) == (64, 96)
    assert [track.kind for track in first.tracks] == ["video"] and "there are others: 1" in first.notes[0]
    with pytest.raises(MediaError, match="has no video track 5; its video tracks: 0, 1"):
        probe(tmp_path / "two.mkv", track=5)


@pytest.mark.parametrize("name", ["cut.mkv", "cut.mxf", "cut.mov", "cut.avi"])
def test_what_is_declared_and_missing_is_told_to_the_frame(tmp_path, name):
    codec, pixels = {
        "cut.mxf": ("mpeg2video", "yuv420p"),
        "cut.mov": ("mjpeg", "yuvj422p"),
        "cut.avi": ("mjpeg", "yuvj422p"),
    }.get(name, ("ffv1", "yuv422p10le"))
    options = {"movflags": "faststart"} if name == "cut.mov" else {}
    with av.open(str(tmp_path / name), "w", options=options) as container:
        stream = container.add_stream(codec, rate=25)
        stream.width, stream.height, stream.pix_fmt = 160, 96, pixels
        for number in range(24):
            frame = av.VideoFrame(160, 96, pixels)
            for plane in frame.planes:
                plane.update(np.random.default_rng(number).integers(60, 200, plane.buffer_size).astype(np.uint8).tobytes())
            frame.pts, frame.time_base = number, Fraction(1, 25)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    whole = (tmp_path / name).read_bytes()
    (tmp_path / name).write_bytes(whole[: int(len(whole) * 0.6)])
    programme = probe(tmp_path / name)
    assert programme.frame_count == 24 and 5 < programme.index.missing < 15
    survey = run_survey(start_survey(programme, load_rules("r103")), Monitor())
    (missing,) = [finding for finding in survey.findings() if finding.rule == "missing"]
    assert (missing.last_frame, missing.length) == (23, programme.index.missing)


@pytest.mark.parametrize("cut", [1, 5])
def test_what_an_edit_list_cuts_away_is_neither_a_frame_nor_missing(tmp_path, cut):
    made = make_clip(tmp_path / "m.mp4", numbered, 24, codec="libx264", pixel_format="yuv420p", options={"bf": "2", "g": "12"})
    with (
        av.open(str(made)) as source,
        av.open(str(tmp_path / "cut.mov"), "w", options={"avoid_negative_ts": "disabled"}) as target,
    ):
        copy = target.add_stream_from_template(source.streams.video[0], opaque=None)
        for packet in source.demux(video=0):
            if packet.dts is not None:
                packet.pts -= cut * round(Fraction(1, 25) / packet.time_base)
                packet.dts -= cut * round(Fraction(1, 25) / packet.time_base)
                packet.stream = copy
                target.mux(packet)
    programme = probe(tmp_path / "cut.mov")
    assert programme.frame_count == len(plain(tmp_path / "cut.mov")) == 24 - cut and programme.index.missing == 0
    with Reader(programme) as reader:
        seen = [read_number(frame.planes[0], 160, 96, 128) for frame in [*reader.frames(), reader.frame(7), reader.frame(0)]]
    assert seen == [*range(cut, 24), cut + 7, cut]


@pytest.mark.parametrize("ending", [".mov", ".mp4", ".mkv", ".mxf"])
def test_chapters_a_cover_and_a_forced_track_are_kept_or_told(tmp_path, ending):
    made = make_clip(tmp_path / "s.mp4", numbered, 6, codec="libx264", pixel_format="yuv420p", sound=True)
    cover = av.CodecContext.create("mjpeg", "w")
    cover.width, cover.height, cover.pix_fmt, cover.time_base = 32, 32, "yuvj420p", Fraction(1, 25)
    drawn = av.VideoFrame.from_ndarray(np.full((32, 32, 3), 90, np.uint8), format="rgb24").reformat(format="yuvj420p")
    drawn.pts = 0
    with av.open(str(made)) as source, av.open(str(tmp_path / "t.mp4"), "w") as target:
        copies = {stream.index: target.add_stream_from_template(stream, opaque=None) for stream in source.streams}
        copies[1].disposition = copies[1].disposition.__class__.forced
        image = target.add_stream("mjpeg")
        image.width, image.height, image.pix_fmt = 32, 32, "yuvj420p"
        image.disposition = image.disposition.__class__.attached_pic
        image.metadata.update({"filename": "cover.jpg", "mimetype": "image/jpeg"})
        spans = [{"id": n, "start": n * 100, "end": n * 100 + 100, "time_base": Fraction(1, 1000)} for n in range(2)]
        target.set_chapters([span | {"metadata": {"title": f"Part {span['id']}"}} for span in spans])
        for packet in [*cover.encode(drawn), *cover.encode(None)]:
            packet.stream = image
            target.mux(packet)
        for packet in source.demux():
            if packet.dts is not None:
                packet.stream = copies[packet.stream_index]
                target.mux(packet)
    programme = probe(tmp_path / "t.mp4")
    assert programme.carried.chapters == 2 and {t.kind for t in programme.tracks} == {"audio", "cover", "chapters"}
    target = tmp_path / f"o{ending}"
    codec = {".mov": "prores", ".mp4": "h264", ".mkv": "ffv1", ".mxf": "prores"}[ending]
    carriage = rehearse(programme, programme.format, CODECS[codec], target, drop_tracks=True)
    told = " ".join(carriage.losses)
    written, _ = render(programme, programme.format, [Shot(0, 5)], {}, target, CODECS[codec], Monitor(), tracks=carriage.tracks)
    assert written.carried.chapters == 2 or "chapters are not carried" in told
    assert "cover" in {t.kind for t in written.tracks} or "is left out, as asked" in told or "Track 3" in told
    sound = [t for t in written.tracks if t.kind == "audio"]
    assert not sound or "forced" in sound[0].flags or "loses its flags" in told


@pytest.mark.parametrize(("code", "word"), [(8, "YCgCo"), (10, "constant luminance"), (14, "ICtCp"), (7, "SMPTE 240M")])
def test_matrices_that_are_not_known_are_named_and_refused(tmp_path, code, word):
    made = make_clip(tmp_path / "m.mkv", numbered, 2, tags=False)
    with av.open(str(made)) as source, av.open(str(tmp_path / "t.mkv"), "w") as target:
        stream = target.add_stream("ffv1", rate=25)
        stream.width, stream.height, stream.pix_fmt, stream.codec_context.colorspace = 160, 96, "yuv422p10le", code
        for frame in source.decode(video=0):
            frame.colorspace = code
            target.mux(stream.encode(frame))
        target.mux(stream.encode(None))
    with pytest.raises(MediaError, match=word):
        probe(tmp_path / "t.mkv")


def test_untagged_primaries_beside_a_wide_matrix_are_wide(tmp_path):
    with av.open(str(tmp_path / "w.mkv"), "w") as target:
        stream = target.add_stream("ffv1", rate=25)
        stream.width, stream.height, stream.pix_fmt, stream.codec_context.colorspace = 160, 96, "yuv422p10le", 9
        frame = av.VideoFrame(160, 96, "yuv422p10le")
        frame.pts, frame.time_base, frame.colorspace = 0, Fraction(1, 25), 9
        target.mux([*stream.encode(frame), *stream.encode(None)])
    found = probe(tmp_path / "w.mkv").format
    assert (found.matrix, found.primaries, found.transfer) == (Matrix.BT2020, "bt2020", "bt2020")
    assert {"primaries", "transfer"} <= found.assumed


def test_chroma_location_is_read_and_kept(tmp_path):
    made = make_clip(tmp_path / "l.mkv", numbered, 2, pixel_format="yuv420p", options={"chroma_sample_location": "topleft"})
    programme = probe(made)
    assert programme.format.siting is Siting.TOP_LEFT and "chroma location" not in programme.format.assumed
    written, _ = render(programme, programme.format, [Shot(0, 1)], {}, tmp_path / "o.mkv", CODECS["ffv1"], Monitor())
    assert written.format.siting is Siting.TOP_LEFT


def test_what_is_not_carried_is_told_before_it_is_written(tmp_path):
    made = make_clip(tmp_path / "s.mkv", numbered, 4, timecode="00:00:00:00", sound=True)
    with av.open(str(made)) as source, av.open(str(tmp_path / "t.mkv"), "w") as target:
        copies = {stream.index: target.add_stream_from_template(stream, opaque=None) for stream in source.streams}
        copies[1].metadata["language"] = "cym"
        target.metadata.update({"title": "Glaze Fair", "timecode": "00:00:00:00"})
        for packet in source.demux():
            if packet.dts is not None:
                packet.stream = copies[packet.stream_index]
                target.mux(packet)
    programme = probe(tmp_path / "t.mkv")
    assert programme.timecode.told and programme.carried.metadata == (("title", "Glaze Fair"),)
    kept = rehearse(programme, programme.format, CODECS["ffv1"], tmp_path / "o.mkv")
    assert kept.losses == () and len(kept.tracks) == 1
    mxf = rehearse(programme, programme.format, CODECS["dnxhr"], tmp_path / "o.mxf") if programme.format.height > 200 else None
    assert mxf is None or any("language" in loss for loss in mxf.losses)
    turned = replace(programme, carried=replace(programme.carried, alpha=True, mastering="r(0.7 0.3)", chapters=3))
    losses = " ".join(rehearse(turned, programme.format, CODECS["prores"], tmp_path / "o.mov").losses)
    assert "alpha" in losses and "Mastering-display" in losses
    assert not list(tmp_path.glob("o.*"))


def test_tracks_that_do_not_fit_are_dropped_only_if_asked(tmp_path):
    made = make_clip(tmp_path / "s.mkv", numbered, 4, sound=True)
    with av.open(str(made)) as source, av.open(str(tmp_path / "t.mkv"), "w") as target:
        picture = target.add_stream_from_template(source.streams.video[0], opaque=None)
        sound = target.add_stream("vorbis", rate=48000, layout="stereo", options={"strict": "experimental"})
        block = av.AudioFrame.from_ndarray(np.zeros((2, 7680), np.float32), format="fltp", layout="stereo")
        block.sample_rate = 48000
        target.mux(sound.encode(block))
        target.mux(sound.encode(None))
        for packet in source.demux(video=0):
            if packet.dts is not None:
                packet.stream = picture
                target.mux(packet)
    programme = probe(tmp_path / "t.mkv")
    with pytest.raises(WriteError, match="can't carry"):
        rehearse(programme, programme.format, CODECS["prores"], tmp_path / "o.mov")
    carriage = rehearse(programme, programme.format, CODECS["prores"], tmp_path / "o.mov", drop_tracks=True)
    assert carriage.tracks == frozenset() and "is left out, as asked" in carriage.losses[0]


@pytest.mark.parametrize("name", ["o.mov", "o.mkv"])
def test_sound_keeps_its_offset(tmp_path, name):
    with av.open(str(tmp_path / "late.mkv"), "w") as container:
        picture = container.add_stream("ffv1", rate=25)
        picture.width, picture.height, picture.pix_fmt = 64, 48, "yuv422p10le"
        sound = container.add_stream("pcm_s16le", rate=48000, layout="mono")
        for number in range(25):
            frame = av.VideoFrame(64, 48, "yuv422p10le")
            frame.pts, frame.time_base = number, Fraction(1, 25)
            container.mux(picture.encode(frame))
            if number >= 12:
                block = av.AudioFrame.from_ndarray(np.ones((1, 1920), np.int16), format="s16", layout="mono")
                block.sample_rate, block.pts, block.time_base = 48000, number * 1920, Fraction(1, 48000)
                container.mux(sound.encode(block))
        container.mux(picture.encode(None))
        container.mux(sound.encode(None))
    programme = probe(tmp_path / "late.mkv")
    assert programme.tracks[0].offset == pytest.approx(0.48, abs=0.002)
    codec = CODECS["ffv1" if name == "o.mkv" else "prores"]
    written, _ = render(programme, programme.format, [Shot(0, 24)], {}, tmp_path / name, codec, Monitor())
    assert written.tracks[0].offset == pytest.approx(0.48, abs=0.002)
    with av.open(str(tmp_path / name)) as container:
        assert sum(frame.samples for frame in container.decode(audio=0)) == 13 * 1920
    with pytest.raises(WriteError, match=r"can't hold sound that begins \+0.480 s beside the picture"):
        Writer(tmp_path / "o.mxf", programme, replace(programme.format, matrix=Matrix.BT709), CODECS["mpeg2"])


@pytest.mark.skipif(shutil.which("ffprobe") is None, reason="needs the ffprobe program")
def test_an_independent_reader_agrees_on_fields(tmp_path):
    dv = probe(make(tmp_path, KINDS[4]))
    assert dv.format.interlaced and not dv.format.top_field_first
    for codec, name in (("prores", "o.mov"), ("mpeg2", "o.mxf"), ("h264", "o.mp4"), ("ffv1", "o.mkv")):
        render(dv, dv.format, [Shot(0, 11)], {}, tmp_path / name, CODECS[codec], Monitor())
        asked = ["ffprobe", "-v", "error", "-select_streams", "v", "-show_entries", "stream=field_order", "-of", "csv=p=0"]
        told = subprocess.run([*asked, tmp_path / name], capture_output=True, text=True, check=True).stdout.strip(" \n,")
        assert told in {"bb", "tb"}, (name, told)


def test_mastering_display_and_content_light_are_kept_by_h264_and_told_of_by_others(tmp_path):
    display = "master-display=G(13250,34500)B(7500,3000)R(34000,16000)WP(15635,16450)L(10000000,1):max-cll=1000,400"
    options = {"x265-params": f"log-level=none:{display}"}
    made = make_clip(tmp_path / "hdr.mp4", numbered, 4, codec="libx265", pixel_format="yuv420p10le", options=options)
    programme = probe(made)
    assert "max_luminance=1000" in programme.carried.mastering and programme.carried.light == "MaxCLL=1000, MaxFALL=400"
    assert not rehearse(programme, programme.format, CODECS["h264"], tmp_path / "o.mp4").losses
    losses = rehearse(programme, programme.format, CODECS["prores"], tmp_path / "o.mov").losses
    assert {"Mastering-display metadata are not carried.", "Content-light metadata are not carried."} <= set(losses)


def test_a_copy_that_fails_to_keep_the_shape_of_pixels_is_no_file(tmp_path, monkeypatch):
    dv = probe(make(tmp_path, KINDS[4]))
    monkeypatch.setattr("bluffline.media.writer.shutil.which", lambda _: "/bin/false")
    with pytest.raises(WriteError, match="shape of its pixels could not be written"):
        render(dv, dv.format, [Shot(0, 11)], {}, tmp_path / "o.mkv", CODECS["ffv1"], Monitor())
    assert not list(tmp_path.glob("*shaped*"))
