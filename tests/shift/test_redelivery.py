"""A file that comes again, under its own name or the next: what of it was answered."""

import base64
import io
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from bluffline.shift.redelivery import name_root
from bluffline.shift.states import State
from shift.test_compare import film, shot
from shift.test_hand import Desk


@pytest.mark.parametrize(
    ("one", "other", "share"),
    [
        ("harbour-report-v2.mov", "Harbour-Report-V3.mxf", True), ("kiln.mov", "kiln (2).mov", True),
        ("kiln_v1_final.mov", "kiln-fixed.mov", True), ("tide-tables-07.mxf", "tide-tables-08.mxf", False),
        ("new.mov", "old.mov", False), ("reviewing.mov", "viewing.mov", False), ("v2.mov", "v3.mov", False),
    ],
)  # fmt: skip
def test_names_that_tell_of_one_programme(one, other, share):
    assert (name_root(Path(one)) == name_root(Path(other))) is share


def before_of(desk):
    return {file.path.name: file.before for file in desk.shift.files}


def test_the_next_version_is_held_against_the_one_before_whichever_is_measured_first(tmp_path):
    folder = tmp_path / "in"
    folder.mkdir()
    film(folder / "fair-v3.mkv", (shot(1), 14), (shot(3, peak=1.08), 14), (shot(7, peak=1.08), 14))
    film(folder / "fair-v2.mkv", (shot(1, peak=1.08), 14), (shot(3, peak=1.08), 14), (shot(5, peak=1.08), 14))
    film(folder / "mill-v1.mkv", (shot(21), 14))
    desk = Desk(tmp_path / "l.sqlite")
    desk.shift.add([folder / "fair-v3.mkv"])
    desk.go_on()
    assert before_of(desk)["fair-v3.mkv"] is None
    desk.shift.add([folder])
    desk.go_on()
    before = before_of(desk)
    came = before["fair-v3.mkv"]
    assert before["fair-v2.mkv"] is None and before["mill-v1.mkv"] is None
    rules = came.answered  # of the shot that was mended: luma, R′G′B′ and the share outside
    assert came.name == "fair-v2.mkv" and rules >= 1
    assert (came.must_fix, came.still, came.new, came.gone) == (3 * rules, rules, rules, rules)
    assert "must fix" in str(came) and "still there" in str(came) and len(came.skyline) > 0
    again = Desk(tmp_path / "l.sqlite")
    again.go_on()
    assert before_of(again) == before, "it is there in the next sitting"


def test_a_file_that_is_replaced_is_held_against_what_it_was(tmp_path):
    path = tmp_path / "fair.mkv"
    desk = Desk(tmp_path / "l.sqlite")
    film(path, (shot(1, peak=1.08), 14), (shot(3), 14))
    desk.shift.add([path])
    assert desk.go_on() == {"fair.mkv": State.TO_FIX} and before_of(desk) == {"fair.mkv": None}
    told = desk.shift.files[0].told
    rules = [rule for rule, _, _ in told.pictures]
    assert rules and len(set(rules)) == len(rules) <= 3
    for _, frame, picture in told.pictures:
        image = np.asarray(Image.open(io.BytesIO(base64.b64decode(picture))).convert("L"))
        assert frame < 14 and image.shape == (120, 160)
        assert image[:25, :75].std() > 3 * image[60:80, 100:110].std(), "what is outside is hatched"
    desk.shift.legalise(path)
    assert desk.go_on() == {"fair.mkv": State.PROVED} and before_of(desk) == {"fair.mkv": None}, "it is the same file"
    film(path, (shot(1), 14), (shot(3), 14))
    assert desk.go_on() == {"fair.mkv": State.GOOD}
    came = before_of(desk)["fair.mkv"]
    assert came.answered == came.must_fix >= 1 and came.still == came.new == came.gone == 0
    film(path, (shot(31), 14), (shot(33), 14))
    assert desk.go_on() == {"fair.mkv": State.GOOD}
    assert before_of(desk)["fair.mkv"] is None, "another programme under the same name"
