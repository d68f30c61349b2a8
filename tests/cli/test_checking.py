"""What a check says: of which file, what was looked at and what was not; and the certificate of a file that is good."""

import errno
import gc
import hashlib
import itertools
import json
import os
import subprocess
import sys
from types import SimpleNamespace

import av
import numpy as np
import pytest

from bluffline import entry
from bluffline.cli import main as command_line
from bluffline.errors import MediaError, WriteError
from bluffline.media import riders
from bluffline.media.carriage import rehearse
from bluffline.media.codecs import codec_for
from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from bluffline.prove.prove import ProveRequest, prove
from bluffline.report.check import plain_cell
from bluffline.report.looked_at import judged, not_judged
from bluffline.rules.rulefile import load_rules
from bluffline.survey import checking, runs
from bluffline.survey.checking import check, check_again
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import run_survey, start_survey
from clips import make_clip, numbered, two_pictures

GREY = np.full((96, 128, 3), 0.5)
CAPTION, FORMAT = bytes([0xFC, 0x94, 0x2C, 0xFC, 0x48, 0x69]), bytes([10])


@pytest.fixture
def good(tmp_path):
    return make_clip(tmp_path / "good.mov", lambda n: GREY, 6, codec="prores_ks", sound=True, timecode="10:00:00:00")


def run(capsys, *words):
    code = command_line.main([str(word) for word in words])
    return code, *capsys.readouterr()


def test_a_check_names_its_file_and_what_its_word_is_about(good, capsys, tmp_path):
    code, out, _ = run(capsys, "check", good, "--json", tmp_path / "r.json")
    report = json.loads((tmp_path / "r.json").read_text())
    assert code == 0 and "Nothing to fix in the picture under EBU R 103" in out
    assert report["file"]["sha256"] == hashlib.sha256(good.read_bytes()).hexdigest() in out
    assert report["file"]["size"] == good.stat().st_size and report["checked"] and report["versions"]["bluffline"]
    assert "not judged  Track 1, sound (pcm_s16le, 48000 Hz, 1 ch): its levels and content are not measured" in out
    assert any("programme sound" in each for each in report["not_judged"]) and "6 of 6 frames" in report["judged"][0]


def test_each_read_of_the_checksum_that_fails_leaves_no_verdict_and_no_certificate(good, capsys, tmp_path, monkeypatch):
    monkeypatch.setattr(checking, "_BLOCK", good.stat().st_size // 6)
    reads = len(range(0, good.stat().st_size, checking._BLOCK))
    assert reads >= 6

    def failing(at):
        count = itertools.count()

        def made():
            def update(block):
                if next(count) == at:
                    raise OSError(errno.EIO, "Input/output error")

            return SimpleNamespace(update=update, hexdigest=lambda: "0" * 64)

        return SimpleNamespace(sha256=made)

    for at in range(reads):
        monkeypatch.setattr(checking, "hashlib", failing(at))
        code, out, err = run(capsys, "check", good, "--certificate", "--json", tmp_path / "r.json")
        assert code == 2 and "could not be read for its checksum: Input/output error" in err and "to fix" not in out
        assert not [path for path in tmp_path.iterdir() if "certificate" in path.name]
        told = json.loads((tmp_path / "r.json").read_text())
        assert told["schema"] == "bluffline.error/1" and "verdict" not in told
        (tmp_path / "r.json").unlink()
    monkeypatch.setattr(checking, "hashlib", failing(reads))
    assert run(capsys, "check", good)[0] == 0, "it was the read that failed"


def test_a_file_that_changes_or_grows_while_it_is_checked_gets_no_verdict(good):
    class Growing(Monitor):
        def at(self, stage, done, total, unit="frames"):
            super().at(stage, done, total, unit)
            if done == 3 and unit == "frames":
                with good.open("ab") as file:
                    file.write(b"more")

    survey = start_survey(probe(good), load_rules("r103"))
    with pytest.raises(MediaError, match="was changed while it was checked, so nothing is said of it"):
        check(survey, Growing())


def test_a_good_file_is_certified_without_being_written_anew(good, capsys, tmp_path):
    before, made = good.read_bytes(), good.stat().st_mtime_ns
    code, _, _ = run(capsys, "check", good, "--certificate")
    certificate = json.loads((tmp_path / "good.mov.certificate.json").read_text())
    page = (tmp_path / "good.mov.certificate.html").read_text()
    assert code == 0 and certificate["must_fix"] == 0 and certificate["file"]["sha256"] in page
    assert "Good as it stands" in page and "Not judged" in page and "BT.709" in page
    noted = [line for line in page.splitlines() if "<th>Notes</th>" in line]
    assert noted == [], "there is nothing to note of it"
    assert good.read_bytes() == before and good.stat().st_mtime_ns == made
    code, _, err = run(capsys, "check", good, "--certificate")
    assert code == 2 and "is there already; --force replaces it" in err
    assert run(capsys, "check", good, "--certificate", "--force")[0] == 0


def test_a_bad_file_gets_none(capsys, tmp_path):
    bad = make_clip(tmp_path / "bad.mkv", lambda n: np.full((96, 128, 3), 1.09), 3)
    code, _, err = run(capsys, "check", bad, "--certificate")
    assert code == 1 and "no certificate is written" in err and [path.name for path in tmp_path.glob("*.*")] == ["bad.mkv"]


def test_a_survey_is_certified_only_of_the_very_file_that_was_measured(good):
    survey = run_survey(start_survey(probe(good), load_rules("r103")), Monitor())
    checked = check_again(survey, Monitor())
    assert checked.sha256 == hashlib.sha256(good.read_bytes()).hexdigest() and checked.good
    data = bytearray(good.read_bytes())
    with av.open(str(good)) as container:
        place = next(packet.pos + packet.size // 2 for packet in container.demux(video=0))
    data[place] ^= 1
    good.write_bytes(data)
    with pytest.raises(MediaError, match="is not what was surveyed"):
        check_again(survey, Monitor())


def test_several_files_and_a_folder_of_them(good, capsys, tmp_path):
    make_clip(tmp_path / "over.mkv", lambda n: np.full((96, 128, 3), 1.09), 3)
    (tmp_path / "text.mp4").write_text("no video at all\n" * 40)
    code, out, err = run(capsys, "check", tmp_path)
    assert code == 2 and "good.mov:" in out and "over.mkv:" in out and "text.mp4 can't be opened" in err
    code, out, _ = run(capsys, "check", good, tmp_path / "over.mkv", "--json", "-")
    reports = json.loads(out)["checks"]
    assert code == 1 and [report["must_fix"] > 0 for report in reports] == [False, True]
    (tmp_path / "empty").mkdir()
    assert "no programme in it" in run(capsys, "check", tmp_path / "empty")[2]
    assert "name one" in run(capsys, "check", good, good, "--frames", tmp_path / "f.csv")[2]


def test_one_file_is_shared_by_processes_and_its_report_is_the_same(capsys, tmp_path, monkeypatch):
    monkeypatch.setattr(runs, "SHORTEST", 30)
    film = make_clip(tmp_path / "film.mkv", lambda n: np.full((96, 128, 3), 0.2 + 0.9 * (n > 60)), 130, options={"g": "1"})
    reports = []
    for words in ((), ("--jobs", "2")):
        code, out, _ = run(capsys, "check", film, "--json", "-", "--frames", tmp_path / "f.csv", "--force", *words)
        reports.append((code, json.loads(out) | {"checked": ""}, (tmp_path / "f.csv").read_text()))
    assert reports[0] == reports[1] and reports[0][0] == 1
    code, _, err = run(capsys, "check", film, "--jobs", "0")
    assert code == 2 and "--jobs must be between 1 and 1024" in err


def test_overrides_by_command_stand_in_the_report(good, capsys):
    code, out, _ = run(
        capsys, "check", good, "--json", "-", "--matrix", "bt601", "--transfer", "hlg", "--range", "full", "--fields",
        "top-first", "--primaries", "bt2020", "--chroma-location", "centre",
    )  # fmt: skip
    report = json.loads(out)
    assert code == 0 and report["file"]["overrides"] == {
        "range": "narrow read as full", "matrix": "BT.709 read as BT.601", "primaries": "BT.709 read as BT.2020",
        "transfer": "BT.709 read as HLG", "fields": "progressive read as top-first", "chroma location": "left read as centre",
    }  # fmt: skip
    assert "HLG" in run(capsys, "check", good, "--transfer", "hlg")[1]


def test_a_second_picture_is_refused_or_left_out_never_written_unjudged(tmp_path):
    one = make_clip(tmp_path / "one.mkv", lambda n: GREY, 4)
    programme, out = probe(two_pictures(one, tmp_path / "two.mkv")), tmp_path / "o.mkv"
    with pytest.raises(WriteError, match="is a second picture, which is not judged"):
        rehearse(programme, programme.format, codec_for(out), out)
    carriage = rehearse(programme, programme.format, codec_for(out), out, drop_tracks=True)
    assert carriage.tracks == frozenset() and "second picture, is left out, as asked" in carriage.losses[0]
    survey = start_survey(programme, load_rules("r103"))
    assert any("second picture" in each and "not measured" in each for each in not_judged(survey)) and judged(survey)


def ridden(path, encoder, pixels, options):
    """A clip on each of whose frames captions and an active format ride."""
    with av.open(str(path), "w") as container:
        stream = container.add_stream(encoder, rate=25, options=options)
        stream.width, stream.height, stream.pix_fmt = 720, 576, pixels
        for number in range(8):
            frame = av.VideoFrame.from_ndarray((numbered(number, 576, 720) * 255).astype(np.uint8), format="rgb24")
            frame = frame.reformat(format=pixels)
            frame.pts = number
            for packet in stream.encode(frame):
                container.mux(riders.with_riders(packet, {"A53_CC": CAPTION, "AFD": FORMAT}, encoder))
        for packet in stream.encode(None):
            container.mux(riders.with_riders(packet, {"A53_CC": CAPTION, "AFD": FORMAT}, encoder))
    return path


def riding(path):
    """What bare FFmpeg finds on each frame."""
    with av.open(str(path)) as container:
        return [
            {each.type.name: bytes(each) for each in frame.side_data if each.type.name in ("A53_CC", "AFD")}
            for frame in container.decode(video=0)
        ]


@pytest.mark.parametrize(
    ("encoder", "name", "options"),
    [("libx264", "c.mp4", {"x264-params": "log-level=-1", "bf": "2"}), ("mpeg2video", "c.ts", {"g": "4", "bf": "2"})],
)
@pytest.mark.parametrize(("target", "codec"), [("o.mp4", "h264"), ("o.mov", "mpeg2"), ("o.mov", "prores"), ("o.mkv", "ffv1")])
def test_what_rides_on_frames_is_carried_where_the_codec_can_else_named(tmp_path, encoder, name, options, target, codec):
    source = ridden(tmp_path / name, encoder, "yuv420p", options)
    assert riding(source) == [{"A53_CC": CAPTION, "AFD": FORMAT}] * 8
    survey = run_survey(start_survey(probe(source), load_rules("r103")), Monitor())
    assert any("Captions on its frames (A53): not read" in each for each in not_judged(survey))
    chosen = codec_for(tmp_path / target, codec)
    carriage = rehearse(survey.programme, survey.source, chosen, tmp_path / target)
    proof = prove(ProveRequest(survey, survey.shots(), {}, tmp_path / target, chosen, None, carriage), Monitor())
    if codec in ("h264", "mpeg2"):
        assert riding(tmp_path / target) == riding(source) and not [each for each in proof.losses if "captions" in each]
    else:
        assert "Not carried: captions on its frames (A53)." in proof.losses
        assert "Not carried: active format description (AFD)." in proof.losses


def test_names_of_channels_and_titles_of_sound_that_are_lost_are_told(tmp_path):
    path = tmp_path / "s.mkv"
    with av.open(str(path), "w") as container:
        stream = container.add_stream("ffv1", rate=25)
        stream.width, stream.height, stream.pix_fmt = 64, 48, "yuv420p"
        sound = container.add_stream("flac", rate=48000, layout="5.1(side)")
        sound.metadata["title"] = "Pottery fair, ambience"
        for number in range(5):
            frame = av.VideoFrame(64, 48, "yuv420p")
            frame.pts = number
            container.mux(stream.encode(frame))
            block = av.AudioFrame.from_ndarray(np.zeros((1, 6 * 1920), np.int16), format="s16", layout="5.1(side)")
            block.sample_rate, block.pts = 48000, number * 1920
            container.mux(sound.encode(block))
        container.mux(stream.encode(None))
        container.mux(sound.encode(None))
    programme = probe(path)
    (track,) = programme.tracks
    assert track.layout == "5.1(side)" and track.title == "Pottery fair, ambience"
    with av.open(str(path)) as source, av.open(str(tmp_path / "bare.mkv"), "w") as bare:
        copy = bare.add_stream_from_template(source.streams.video[0], opaque=None)
        for packet in source.demux(video=0):
            if packet.dts is not None:
                packet.stream = copy
                bare.mux(packet)
    told = " ".join(rehearse(programme, programme.format, codec_for(tmp_path / "o.mkv"), tmp_path / "o.mkv").losses)
    assert "is not carried" not in told, told


def test_cells_that_a_table_program_would_run_are_text():
    assert [plain_cell(each) for each in ("=1+1", "+x", "-x", "@x", "Luma over 105 %", -3.5)] == [
        "'=1+1", "'+x", "'-x", "'@x", "Luma over 105 %", -3.5,
    ]  # fmt: skip


def test_a_mistyped_command_is_an_error_and_no_file_name(capsys):
    assert entry.main(["chekc", "x.mov"]) == 2 and "chekc is no command and no file" in capsys.readouterr().err


def test_what_a_terminal_can_not_show_does_not_change_the_verdict(good):
    done = subprocess.run(
        [sys.executable, "-m", "bluffline", "check", str(good)],
        env=os.environ | {"PYTHONIOENCODING": "ascii"}, capture_output=True, check=False,
    )  # fmt: skip
    assert done.returncode == 0 and b"Nothing to fix in the picture" in done.stdout and b"Traceback" not in done.stderr


def test_notes_stand_in_the_certificate(tmp_path, capsys):
    times = [0, 40, 80, 200, 240, 500]
    made = make_clip(tmp_path / "v.mkv", lambda n: GREY, 6, times=lambda n: times[n])
    assert run(capsys, "check", made, "--certificate")[0] == 0
    assert "<th>Notes</th><td>Variable frame rate</td>" in (tmp_path / "v.mkv.certificate.html").read_text()


def test_looking_at_what_rides_keeps_no_picture(tmp_path):
    """The binding's side data hold on to their frame, which a search for garbage alone would let go of."""
    source = ridden(tmp_path / "c.ts", "mpeg2video", "yuv420p", {"g": "4"})
    programme = probe(source)
    gc.collect()
    gc.disable()
    try:
        with Reader(programme) as reader:
            seen = [frame.riders.keys() for frame in reader.frames()]
        kept = [each for each in gc.get_objects() if isinstance(each, av.VideoFrame) and each.width == 720]
    finally:
        gc.enable()
    assert len(seen) == 8 and all({"A53_CC", "AFD"} <= names for names in seen) and len(kept) <= 1
