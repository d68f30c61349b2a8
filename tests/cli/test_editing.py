"""Markers out, edit lists in, on the command line; and reports in the shots that were asked for."""

import json
from dataclasses import replace

import pytest

from bluffline.cli.main import main
from bluffline.media.probe import probe
from bluffline.report.markers import MARKERS
from bluffline.rules.shots import Shot
from bluffline.session.work import Cuts, Work
from bluffline.session.workfile import save_work

LIST = """TITLE: over
FCM: NON-DROP FRAME
001  AX       V     C        00:00:00:00 00:00:00:06 09:59:58:00 09:59:58:06
002  AX       V     C        00:00:00:00 00:00:00:18 09:59:58:06 09:59:58:24
"""


def report_of(words, capfd, code=1):
    assert main([*map(str, words), "--json", "-"]) == code
    return json.loads(capfd.readouterr().out)


def spans(report):
    """The shots of a report, and that every finding is in the one that it says."""
    shots = [(shot["first_frame"], shot["last_frame"]) for shot in report["shots"]]
    for finding in report["findings"]:
        first, last = shots[finding["shot"]]
        assert first <= finding["first_frame"] <= finding["last_frame"] <= last
    return shots


@pytest.fixture
def listed(tmp_path):
    path = tmp_path / "list.edl"
    path.write_text(LIST)
    return path


def test_shots_begin_where_a_list_says(over_clip, listed, capfd):
    assert spans(report_of(["check", over_clip], capfd)) == [(0, 11), (12, 23)]
    assert spans(report_of(["check", over_clip, "--cuts", listed], capfd)) == [(0, 5), (6, 23)]
    assert main(["check", str(over_clip), "--cuts", str(listed)]) == 1
    assert "list.edl: shots begin at 1 frame after the first." in capfd.readouterr().err


def test_a_written_file_and_its_certificate_keep_to_the_list(over_clip, listed, tmp_path, capfd):
    report = report_of(["legalise", over_clip, tmp_path / "out.mkv", "--codec", "ffv1", "--cuts", listed], capfd, 0)
    assert spans(report["before"]) == spans(report["after"]) == [(0, 5), (6, 23)]
    assert main(["verify", str(tmp_path / "out.mkv"), "--measure"]) == 0


def test_reports_are_in_the_shots_of_the_work(over_clip, tmp_path, capfd):
    programme = probe(over_clip)
    found = [Shot(0, 11), Shot(12, 23)]
    save_work(tmp_path / "w.bluffline", programme, found, replace(Work(), cuts=Cuts(frozenset({18}))))
    assert spans(report_of(["check", over_clip, "--work", tmp_path / "w.bluffline"], capfd)) == [(0, 11), (12, 17), (18, 23)]


@pytest.mark.parametrize("ending", MARKERS)
def test_markers_are_written_for_an_editor(over_clip, tmp_path, capfd, ending):
    target = tmp_path / f"m{ending}"
    assert main(["check", str(over_clip), "--markers", str(target)]) == 1
    text = target.read_text(encoding="utf-8")
    assert "uma over" in text and text.count("must fix") >= 3
    assert main(["check", str(over_clip), "--markers", str(target)]) == 2 and "--force replaces it" in capfd.readouterr().err
    assert main(["check", str(over_clip), "--markers", str(tmp_path / "m.txt")]) == 2
    assert "Markers are written in files that end with .otio" in capfd.readouterr().err


def test_what_is_about_one_file_is_not_taken_for_two(over_clip, listed, tmp_path, capfd):
    for words in (["--markers", "m.csv"], ["--cuts", str(listed)]):
        assert main(["check", str(over_clip), str(over_clip), *words]) == 2
        assert f"{words[0]} is about one file; name one." in capfd.readouterr().err
