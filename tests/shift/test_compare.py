"""A delivery that comes again: with a shot inserted, one cut, one mended and one made worse."""

import json

import numpy as np
import pytest

from bluffline.cli.main import main
from clips import make_clip


def shot(seed, *, peak=0.8):
    """A picture of its own, tones and hues in blocks."""
    rng = np.random.default_rng(seed)
    blocks = rng.uniform(0.15, 0.7, (6, 8, 3)).repeat(16, 0).repeat(16, 1)
    blocks[:20, :60] = peak
    return blocks


def film(path, *shots):
    pictures = [picture for picture, count in shots for _ in range(count)]
    noise = np.random.default_rng(3)
    grain = [noise.normal(0, 0.004, (96, 128, 1)) for _ in pictures]
    return make_clip(path, lambda n: np.clip(pictures[n] + grain[n], 0, 1.09), len(pictures), codec="ffv1")


@pytest.fixture
def deliveries(tmp_path):
    old = film(tmp_path / "v1.mkv", (shot(1, peak=1.08), 14), (shot(2), 14), (shot(3), 14), (shot(4, peak=1.08), 14))
    new = film(
        tmp_path / "v2.mkv",
        (shot(1), 14), (shot(9, peak=1.08), 14), (shot(3), 14), (shot(4, peak=1.08), 10),
    )  # fmt: skip
    return old, new


def test_what_is_answered_still_there_new_and_gone_is_told_shot_by_shot(deliveries, tmp_path, capfd):
    old, new = deliveries
    assert main(["compare", str(old), str(new), "--json", str(tmp_path / "c.json")]) == 1
    told = json.loads((tmp_path / "c.json").read_text())
    was = {each["shot"]: each["was"] for each in told["shots"]}
    inside = {each["first_frame"]: number for number, each in enumerate(told["new"]["shots"])}
    assert was[inside[0]] == 0 and was[inside[14]] is None and was[inside[28]] == 2 and was[max(was)] == 3

    def must_fix(name):
        return {each["shot"] for each in told[name] if each["severity"] == "must fix"}

    assert (must_fix("answered"), must_fix("still_there"), must_fix("new_findings")) == ({0}, {max(was)}, {inside[14]})
    assert {each["shot"] for each in told["gone_with_their_shots"]} == {1} and told["changed_frames"] == [[0, 13]]
    assert told["longer_by_frames"][str(max(was))] == -4
    out = capfd.readouterr().out
    assert "  answered     must fix  shot 1" in out and "4 frames shorter" in out and "1 no more" in out


def test_a_part_of_the_picture_that_is_another_is_told_with_its_frames(tmp_path, capfd):
    changed = shot(3)
    changed[60:80, 40:70] -= 0.08
    old = film(tmp_path / "v1.mkv", (shot(2), 14), (shot(3), 20))
    new = film(tmp_path / "v2.mkv", (shot(2), 14), (shot(3), 12), (changed, 8))
    assert main(["compare", str(old), str(new), "--json", str(tmp_path / "c.json")]) == 0
    assert json.loads((tmp_path / "c.json").read_text())["changed_frames"] == [[26, 33]]
    assert main(["compare", str(old), str(old), "--json", str(tmp_path / "c.json"), "--force"]) == 0
    same = json.loads((tmp_path / "c.json").read_text())
    assert same["changed_frames"] == [] and [each["was"] for each in same["shots"]] == [0, 1]
