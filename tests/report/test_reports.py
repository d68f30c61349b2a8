import csv
import io
import json
import re
from dataclasses import replace
from functools import partial
from html.parser import HTMLParser
from pathlib import Path

import numpy as np
import pytest

from bluffline.errors import WriteError
from bluffline.measure.counted import Limits
from bluffline.measure.table import SurveyTable
from bluffline.media.codecs import codec_for
from bluffline.media.probe import probe
from bluffline.media.target import certificate_paths
from bluffline.prove.prove import ProveRequest, propose_all, prove
from bluffline.report.certify import certificate_files
from bluffline.report.check import check_report, findings_csv, frames_csv
from bluffline.report.files import save_text
from bluffline.report.keys import Keys
from bluffline.report.pages import hdr_facts, skyline_svg
from bluffline.rules.rulefile import load_rules
from bluffline.rules.shots import Shot
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import run_survey, start_survey
from bluffline.treat.bake import bake_cube
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.lut import Lut
from bluffline.treat.kinds.matrix import ColourMatrix
from bluffline.treat.stored import step_from
from bluffline.view.small import hatched


def signed():
    return partial(certificate_files, key=Keys().own(), monitor=Monitor(), draw=hatched)


@pytest.fixture(scope="module")
def survey(over_clip):
    return run_survey(start_survey(probe(over_clip), load_rules("r103")), Monitor())


def test_check_report_holds_the_contract(survey, over_clip):
    report = json.loads(json.dumps(check_report(survey)))
    assert report["schema"] == "bluffline.check/2" and report["must_fix"]
    expected = {
        "path": str(over_clip),
        "width": 256,
        "height": 128,
        "frame_rate": "25/1",
        "frame_count": 24,
        "pixel_format": "yuv422p10le",
        "bit_depth": 10,
        "range": "narrow",
        "range_assumed": False,
        "matrix": "bt709",
        "matrix_assumed": False,
        "start_timecode": "09:59:58:00",
        "active_picture": [0, 0, 256, 128],
    }
    assert expected.items() <= report["file"].items()
    told = report["rules"]
    assert (told["name"], told["title"], told["shipped"], told["luma"]) == ("r103", "EBU R 103", "r103", [-1, 103])
    assert report["shots"] == [{"first_frame": 0, "last_frame": 11}, {"first_frame": 12, "last_frame": 23}]
    (over,) = [f for f in report["findings"] if f["rule"] == "luma-high"]
    assert (over["severity"], over["shot"], over["first_frame"], over["last_frame"]) == ("must fix", 1, 12, 23)
    assert (over["timecode_in"], over["timecode_out"], over["unit"]) == ("09:59:58:12", "09:59:58:23", "%")


def test_frames_table_has_a_row_a_frame(survey):
    rows = list(csv.DictReader(io.StringIO(frames_csv(survey))))
    assert len(rows) == 24 and rows[0]["timecode"] == "09:59:58:00" and rows[23]["frame"] == "23"
    head = "frame,timecode,y_min,y_max,y_mean,cb_min,cb_max,cr_min,cr_max,"
    head += "rgb_min,rgb_max,luma_high_area,luma_low_area,rgb_high_area,rgb_low_area"
    assert frames_csv(survey).startswith(head)
    assert int(rows[20]["y_max"]) == survey.table.column("y_max")[20] > 966
    assert float(rows[20]["luma_high_area"]) > 1 > float(rows[2]["luma_high_area"])


def test_findings_table(survey):
    rows = list(csv.DictReader(io.StringIO(findings_csv(survey.findings(), survey.programme))))
    assert [row["rule"] for row in rows] == [f.rule for f in survey.findings()]


class _Page(HTMLParser):
    def __init__(self):
        super().__init__()
        self.open, self.text = [], []

    def handle_starttag(self, tag, attrs):
        assert not any(key in {"src", "href"} and "://" in (value or "") for key, value in attrs), "the page needs no network"
        if tag not in {"meta", "br", "link", "line", "polygon", "rect", "path", "img", "col"}:
            self.open.append(tag)

    def handle_endtag(self, tag):
        if self.open and tag not in {"line", "polygon", "rect", "path"}:
            assert self.open.pop() == tag

    def handle_data(self, data):
        self.text.append(data)


def test_certificate_says_what_was_wrong_done_and_measured(survey, tmp_path):
    shots = survey.shots()
    treatments = {p.shot: p.treatment for p in propose_all(survey, shots, survey.findings(shots))}
    target = tmp_path / "legal <&> file.mkv"
    proof = prove(ProveRequest(survey, shots, treatments, target, codec_for(target)), Monitor(), signed())
    paths = certificate_paths(proof.request.target)
    assert all(path.exists() for path in paths)
    report = json.loads(paths[0].read_text("utf-8"))
    assert report["schema"] == "bluffline.certificate/2" and report["rounds"] == 1 and report["output"] == str(target)
    assert report["before"]["must_fix"] and report["after"]["must_fix"] == 0
    assert report["after"]["file"]["path"] == str(target)
    page = _Page()
    page.feed(paths.page.read_text("utf-8"))
    text = " ".join(" ".join(page.text).split())
    for words in (
        "Proved legal",
        "read back and measured again",
        "EBU R 103",
        "legal <&> file.mkv",
        proof.source_checksum,
        proof.written_checksum,
        "Soft ceiling",
        "Luma over",
    ):
        assert words in text, words
    assert page.open == []
    told = text.replace(str(target), "").replace("09:59", "").replace("SHA-256", "")
    assert not re.search(r"[^\d…]-\d", told), "minus signs are true minus signs"


def test_what_is_left_is_in_the_certificate(survey, tmp_path):
    impossible = replace(survey.rules, limits=Limits((0.0, 1.0), (0.0, 1.0)), area=0.0)
    asked = run_survey(start_survey(survey.programme, impossible), Monitor())
    shots, target = asked.shots(), tmp_path / "t.mkv"
    proof = prove(ProveRequest(asked, shots, {}, target, codec_for(target)), Monitor(), signed())
    assert not proof.legal and proof.after_findings
    paths = {path.suffix: path for path in certificate_paths(target)}
    told = json.loads(paths[".json"].read_text("utf-8"))
    assert told["after"]["must_fix"]
    assert [finding["rule"] for finding in told["after"]["findings"]] == [finding.rule for finding in proof.after_findings]
    page = _Page()
    page.feed(paths[".html"].read_text("utf-8"))
    text = " ".join(" ".join(page.text).split())
    before = {finding.reason for finding in proof.before}
    for finding in proof.after_findings:
        assert text.count(finding.reason) >= 1 + (finding.reason in before), "after, and before"


def test_skyline_marks_only_what_is_outside(survey):
    svg = skyline_svg(survey, [Shot(0, 11), Shot(12, 23)])
    over = re.findall(r'points="([^"]+)" fill="url', svg)[0]
    places = [tuple(map(float, point.split(","))) for point in over.split()]
    top, foot = [y for _, y in places[:24]], [y for _, y in places[24:]]
    assert len(places) == 2 * 2 * 12 and min(x for x, _ in places) == 500
    assert max(top) < min(foot) == max(foot), "over the limit, and down to it; the shot that is within has no mark"


def test_an_hdr_file_tells_its_light_and_that_nobody_held_it_against_the_picture(survey):
    programme, hdr = survey.programme, replace(survey.source, transfer="pq")
    assert hdr_facts(programme, survey.source) == []
    assert (
        hdr_facts(programme, hdr)[0].endswith("mastering display: not said")
        and "MaxCLL, MaxFALL: not said" in hdr_facts(programme, hdr)[1]
    )
    carried = replace(
        programme.carried, mastering="… min_luminance=0.005000, max_luminance=1000.000000", light="MaxCLL=998, MaxFALL=203"
    )
    display, light, pictures = hdr_facts(replace(programme, carried=carried), hdr)
    assert display.endswith("mastering display: 0.005 to 1000 cd/m²")
    assert light == "MaxCLL 998 cd/m², MaxFALL 203 cd/m², as in the file; not held against the picture"
    assert "tone-mapped" in pictures and hdr_facts(programme, hdr, "MaxCLL 5")[1].endswith("in the file; MaxCLL 5")


def test_saving_is_whole_or_not_at_all(tmp_path, monkeypatch):
    path = tmp_path / "report.json"
    save_text(path, "first")
    assert path.stat().st_mode & 0o400

    def fail(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(Path, "replace", fail)
    with pytest.raises(WriteError, match="No space left"):
        save_text(path, "second")
    assert path.read_text() == "first" and [p.name for p in tmp_path.iterdir() if p.name != "config"] == ["report.json"]
    with pytest.raises(WriteError, match="could not be written"):
        save_text(tmp_path / "nowhere" / "a.json", "text")


def test_a_calibrated_shot_is_proved_and_its_certificate_names_and_holds_the_steps(survey, tmp_path):
    matrix = ColourMatrix(((1.1, -0.1, 0.0), (0.0, 1.0, 0.0), (0.0, -0.1, 1.1)))
    cube = bake_cube((Balance((1.05, 1.0, 0.9)),), survey.source, 17, name="warm")
    shots = survey.shots()
    given = {0: (cube, matrix), 1: (matrix,)}
    proposals = propose_all(survey, shots, survey.findings(shots), None, given)
    treatments = given | {proposal.shot: proposal.treatment for proposal in proposals}
    assert treatments[1][0] is matrix and len(treatments[1]) > 1, "its calibration is kept, its limits held"
    request = ProveRequest(survey, shots, treatments, tmp_path / "t.mkv", codec_for(tmp_path / "t.mkv", None))
    proof = prove(request, Monitor(), signed())
    assert proof.legal
    paths = {path.suffix: path for path in certificate_paths(proof.request.target)}
    told = json.loads(paths[".json"].read_text())["treatments"][0]["steps"]
    assert [step["step"] for step in told] == ["LUT", "Matrix"]
    kept = step_from({"kind": "Lut"} | {name: value for name, value in told[0].items() if name != "step"})
    assert isinstance(kept, Lut) and (kept.table == cube.table).all()
    page = paths[".html"].read_text()
    assert "warm, 17³ cube" in page and "1.100 −0.100 0.000" in page


def test_the_skyline_of_a_long_programme_takes_no_more_room(survey):
    """It is drawn at the width of the page, and no extreme is lost by that."""
    table, which = SurveyTable(30_000), np.zeros(30_000, np.intp)
    which[12_345] = 20
    table.fill({name: survey.table.column(name)[which] for name in table.names})
    long = skyline_svg(replace(survey, table=table), [Shot(first, first + 6) for first in range(0, 30_000, 7)])
    assert len(long) < 400_000, "that of 750 frames is not much shorter"
    heights = [float(point.split(",")[1]) for point in re.findall(r'points="([^"]+)" fill="#8c8c8c"', long)[0].split()]
    peak = survey.source.levels.percent(float(survey.table.column("y_max")[20]))
    assert min(heights) == pytest.approx(115 * (125 - peak) / 137, abs=0.1)
