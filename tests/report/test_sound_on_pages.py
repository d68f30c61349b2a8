"""What a certificate says of sound that was judged, and of sound that was not."""

import json

import numpy as np
import pytest

from bluffline.cli.main import main
from bluffline.report.check import rules_report
from bluffline.report.worst import worst_of
from bluffline.rules.finding import Finding
from bluffline.rules.rulefile import SHIPPED, load_rules, parse_rules
from bluffline.rules.severity import Severity
from clips import blocks
from sounds import tone, with_sounds


def test_a_page_tells_what_the_sound_came_to_and_a_picture_of_it_is_none(clip, tmp_path):
    picture = clip("picture.mkv", lambda number: blocks(number // 25, 0.9), 100)
    path = with_sounds(picture, tmp_path / "good.mkv", [np.stack([tone(-23, 4)] * 2, 1)])
    assert main(["check", str(path), "--certificate", "--rules", "delivery"]) == 0
    page = next(tmp_path.glob("good*.html")).read_text("utf-8")
    assert "Sound track 1: 4.0 s, −23.0 LUFS" in page and "programme sound" in page
    assert "levels and content are not measured" not in page
    heard = Finding("loudness", Severity.MUST_FIX, 0, 0, 99, 0, -18.0, "LUFS", 0.0, "Track 1 is −18.0 LUFS")
    seen = Finding("luma-high", Severity.LOOK, 0, 0, 9, 3, 104.0, "%", 2.0, "Luma over 103 %")
    assert worst_of([heard, seen], 3) == [seen]


@pytest.mark.parametrize(
    "more", ["", "[sound]", '[chart]\nreference = "glaze-24"\nmean = 2.0', "[length]\nleast = 1.0", "[shape]", "[flash]"]
)
@pytest.mark.parametrize("name", SHIPPED)
def test_whatever_rules_leave_free_a_report_of_them_is_json(name, more):
    text = load_rules(name).text
    rules = load_rules(name) if not more or more.split("\n")[0] in text else parse_rules(f"{text}\n{more}\n", "own")
    assert json.loads(json.dumps(rules_report(rules), allow_nan=False))["asked"]
