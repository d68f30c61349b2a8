"""What a file says of itself: track and frames each have a say, on every frame."""

from dataclasses import replace

import av
import numpy as np
import pytest

from bluffline.errors import WriteError
from bluffline.media.carriage import rehearse
from bluffline.media.codecs import codec_for
from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from bluffline.prove.prove import ProveRequest, propose_all, prove
from bluffline.report.certificate import same_samples_written
from bluffline.rules.rulefile import load_rules, parse_rules
from bluffline.rules.severity import Severity
from bluffline.signal.format import Overrides, Scan
from bluffline.signal.levels import Range
from bluffline.signal.matrix import Matrix, ycbcr_to_rgb
from bluffline.signal.siting import Siting
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import must_fix, run_survey, start_survey
from clips import make_clip
from spliced import Part, spliced, with_frames_saying, with_silent_frames

HEIGHT, WIDTH = 64, 96


def picture(white=0.9):
    rgb = np.full((HEIGHT, WIDTH, 3), 0.5)
    rgb[:, : WIDTH // 2] = (0.6, 0.35, 0.3)
    rgb[: HEIGHT // 2, WIDTH // 2 :] = white
    return rgb


def surveyed(path, rules="r103", overrides=None):
    programme = probe(path) if overrides is None else probe(path).read_as(overrides)
    return run_survey(start_survey(programme, load_rules(rules)), Monitor())


def legalised(survey, target):
    shots, codec = survey.shots(), codec_for(target)
    proposals = propose_all(survey, shots, survey.findings(shots))
    carriage = rehearse(survey.programme, survey.source, codec, target)
    treatments = {each.shot: each.treatment for each in proposals}
    return prove(ProveRequest(survey, shots, treatments, target, codec, None, carriage), Monitor())


def colours(path):
    """(frames, 3) mean R′G′B′ of the coloured half, by each frame's own format."""
    programme = probe(path)
    with Reader(programme) as reader:
        found = []
        for frame in reader.frames():
            levels = frame.format.levels
            across = WIDTH // 4 // (2 if frame.format.halved[0] else 1)
            places = zip(frame.planes, (20, across, across), strict=True)
            codes = np.array([float(plane[HEIGHT // 4, place]) for plane, place in places])
            ycbcr = (codes - (levels.black, levels.zero, levels.zero)) / (levels.swing, levels.span, levels.span)
            found.append(ycbcr_to_rgb(ycbcr, frame.format.matrix))
    return np.array(found)


@pytest.fixture(scope="module")
def tagged_track(tmp_path_factory):
    """A track tagged BT.2020 and HLG whose ProRes frames say nothing."""
    folder = tmp_path_factory.mktemp("track")
    part = Part(5, Matrix.BT2020, primaries=9, transfer=18)
    loud = spliced(folder / "loud.mov", [part], picture(), codec="prores_ks", pixels="yuv422p10le")
    return with_silent_frames(loud, folder / "quiet.mov")


def test_what_the_track_says_is_read_before_a_decoder_writes_over_it(tagged_track, tmp_path):
    programme = probe(tagged_track)
    source = programme.format
    assert (source.matrix, source.primaries, source.transfer) == (Matrix.BT2020, "bt2020", "hlg")
    assert not source.assumed & {"matrix", "primaries", "transfer"}
    proof = legalised(surveyed(tagged_track), tmp_path / "o.mov")
    written = probe(proof.request.target)
    assert (written.tags.matrix, written.tags.primaries, written.tags.transfer) == (9, 9, 18) and proof.legal


def test_sd_sized_bt709_is_bt709(tmp_path):
    made = make_clip(tmp_path / "sd.mov", lambda n: picture(), 2, codec="prores_ks")
    quiet = with_silent_frames(made, tmp_path / "quiet.mov")
    source = probe(quiet).format
    assert (source.matrix, source.primaries, source.transfer) == (Matrix.BT709, "bt709", "bt709") and not source.assumed


FIELDS = {"flags": "+ildct", "x264-params": "tff=1:log-level=-1"}
CHANGES = {
    "matrix": (Part(), Part(matrix=Matrix.BT601), "matrix BT.601; before, matrix BT.709"),
    "range": (Part(), Part(range=Range.FULL), "full range; before, narrow range"),
    "fields": (Part(), Part(top_first=True, options=FIELDS), "top-first; before"),
    "transfer": (Part(), Part(transfer=16), "transfer characteristic pq"),
    "primaries": (Part(), Part(primaries=9), "primaries bt2020"),
    "location": (
        Part(options={"x264-params": "chromaloc=0:log-level=-1"}), Part(options={"x264-params": "chromaloc=2:log-level=-1"}),
        "chroma top-left; before, chroma left",
    ),
    "shape": (Part(), Part(options={"x264-params": "sar=4/3:log-level=-1"}), "pixels of 4/3"),
}  # fmt: skip


@pytest.mark.parametrize("name", CHANGES)
def test_each_change_is_a_finding_and_each_span_is_measured_by_its_own_format(tmp_path, name):
    before, after, words = CHANGES[name]
    survey = surveyed(spliced(tmp_path / "c.ts", [before, after, before], picture()))
    found = [finding for finding in survey.findings() if finding.rule == "tags"]
    assert [(each.first_frame, each.severity) for each in found] == [(15, Severity.MUST_FIX), (30, Severity.MUST_FIX)]
    assert words in found[0].reason and found[0].reason.startswith("From here its frames say")
    assert [shot.first for shot in survey.shots()] == [0, 15, 30], "a span is a shot of its own"
    # One picture, coded three times: it measures alike by each format.
    table = survey.table
    percent = [
        (float(table.column("y_max")[n]) - levels.black) / levels.swing * 100
        for n in (0, 20, 40)
        for levels in [table.formats[table.column("format")[n]].levels]
    ]
    assert max(percent) - min(percent) < 0.6, percent
    assert not [finding for finding in must_fix(survey.findings()) if finding.rule != "tags"]


@pytest.mark.parametrize("name", ["matrix", "range", "fields", "location"])
def test_legalise_brings_every_span_to_the_programmes_format(tmp_path, name):
    before, after, _ = CHANGES[name]
    survey = surveyed(spliced(tmp_path / "c.ts", [before, after], picture()))
    proof = legalised(survey, tmp_path / "o.mkv")
    assert proof.legal and not [finding for finding in proof.after_findings if finding.rule == "tags"]
    assert not same_samples_written(proof), "what was brought to another format is not said to be sample for sample"
    made = colours(tmp_path / "o.mkv")
    assert np.abs(made - made[0]).max() < 0.012 and np.abs(made[0] - (0.6, 0.35, 0.3)).max() < 0.02, made


@pytest.mark.parametrize("name", ["transfer", "primaries"])
def test_what_would_be_a_look_is_refused_in_a_sentence(tmp_path, name):
    before, after, _ = CHANGES[name]
    path = spliced(tmp_path / "c.ts", [before, after], picture())
    with pytest.raises(WriteError, match=r"From frame 15 on .* is not decided here"):
        legalised(surveyed(path), tmp_path / "o.mkv")
    assert not (tmp_path / "o.mkv").exists()
    word = Overrides(transfer="bt709", primaries="bt709")
    survey = surveyed(path, overrides=word)
    assert not [finding for finding in survey.findings() if finding.rule == "tags"], "the operator's word is for every frame"
    assert legalised(survey, tmp_path / "o.mkv").legal


def test_excess_in_a_span_of_another_range_is_told_in_its_own_percent(tmp_path):
    hot = picture(white=1.08)
    survey = surveyed(spliced(tmp_path / "c.ts", [Part(range=Range.FULL), Part()], hot))
    over = [finding for finding in must_fix(survey.findings()) if finding.rule == "luma-high"]
    assert [(each.first_frame, each.worst_value) for each in over] == [(15, pytest.approx(108, abs=0.6))]


def test_frames_of_another_size_are_told_as_what_they_are(tmp_path):
    small = np.repeat(np.repeat(picture()[:32, :48], 1, axis=0), 1, axis=1)
    one = spliced(tmp_path / "a.ts", [Part(5)], picture())
    other = spliced(tmp_path / "b.ts", [Part(5)], small)
    both = tmp_path / "both.h264"
    both.write_bytes(_annexb(one) + _annexb(other))
    findings = surveyed(both).findings()
    (found,) = [finding for finding in findings if finding.rule == "unreadable"]
    assert "another size or sampling" in found.reason and (found.first_frame, found.last_frame) == (5, 9)


def _annexb(path):
    with av.open(str(path)) as container:
        return b"".join(bytes(packet) for packet in container.demux(video=0))


def test_a_track_that_contradicts_its_frames_is_told_and_the_frames_are_believed(tmp_path):
    part = Part(4, Matrix.BT2020, primaries=9)
    loud = spliced(tmp_path / "l.mov", [part], picture(), codec="prores_ks", pixels="yuv422p10le")
    two = with_frames_saying(loud, tmp_path / "two.mov", "color_primaries=bt709:colorspace=bt709")
    programme = probe(two)
    assert programme.format.matrix is Matrix.BT709
    assert "The track says matrix BT.2020, its pictures BT.709, which are believed" in programme.notes


def test_every_fact_can_be_overridden_and_the_word_is_written(tmp_path):
    made = make_clip(tmp_path / "c.mkv", lambda n: picture(), 3, pixel_format="yuv420p")
    word = Overrides(Range.NARROW, Matrix.BT2020, "bt2020", "hlg", Scan.BOTTOM_FIRST, Siting.TOP_LEFT)
    programme = probe(made).read_as(word)
    source = programme.format
    assert (source.matrix, source.primaries, source.transfer) == (Matrix.BT2020, "bt2020", "hlg")
    assert source.scan is Scan.BOTTOM_FIRST and source.siting is Siting.TOP_LEFT and programme.tagged.matrix is Matrix.BT709
    survey = run_survey(start_survey(programme, load_rules("r103")), Monitor())
    proof = legalised(survey, tmp_path / "o.mkv")
    written = probe(tmp_path / "o.mkv").format
    assert (written.matrix, written.primaries, written.transfer) == (Matrix.BT2020, "bt2020", "hlg") and proof.legal
    assert written.interlaced and not written.top_field_first


def test_the_severity_of_a_change_is_the_rule_files(tmp_path):
    text = '[limits]\nluma = [-1, 103]\nrgb = [-5, 105]\n[tags]\nseverity = "note"\n'
    path = spliced(tmp_path / "c.ts", [Part(), Part(matrix=Matrix.BT601)], picture())
    survey = run_survey(start_survey(probe(path), parse_rules(text, "house")), Monitor())
    (found,) = [each for each in survey.findings() if each.rule == "tags"]
    assert found.severity is Severity.NOTE and not must_fix(survey.findings())


def test_lines_do_not_decide_the_matrix_of_rgb(tmp_path):
    made = make_clip(tmp_path / "c.mov", lambda n: picture(), 2, codec="png", pixel_format="rgb24", tags=False)
    source = probe(made).format
    assert source.matrix is Matrix.BT709 and source.primaries == "bt709"


def test_fields_that_come_and_go_are_one_finding_a_shot(tmp_path):
    fields = Part(2, top_first=True, options=FIELDS)
    survey = surveyed(spliced(tmp_path / "c.ts", [replace(fields, top_first=None, options={}), fields] * 8, picture()))
    found = [finding for finding in survey.findings() if finding.rule == "tags"]
    assert len(survey.shots()) == len(found) == 1 and found[0].runs == 15
