"""propose and match from the command line."""

import json

import numpy as np
import pytest

from bluffline.demo import demo_clip
from bluffline.entry import main
from bluffline.signal.colorimetry import camera_light, camera_signal
from bluffline.treat.stored import load_treatment
from clips import make_clip


def run(capfd, *words):
    code = main([str(word) for word in words])
    out, err = capfd.readouterr()
    return code, out, err


@pytest.fixture(scope="module")
def two_lights(tmp_path_factory):
    """Two shots of the same things, the second under warm light and darker."""
    random = np.random.default_rng(8)
    scene = np.clip(random.uniform(0.05, 0.9, (12, 16, 3)) * 0.5 + random.uniform(0, 0.5, (12, 16, 1)), 0, 0.95)
    scene = scene.repeat(12, axis=0).repeat(12, axis=1)
    warm = camera_signal(camera_light(scene, "bt709") * [0.8, 0.6, 0.35], "bt709")
    pictures = (scene, warm)
    return make_clip(
        tmp_path_factory.mktemp("lights") / "two.mkv", lambda n: pictures[n // 6], 12, codec="ffv1", pixel_format="yuv444p10le"
    )


def test_a_proposal_is_a_treatment_with_its_reasons(tmp_path, capfd):
    out = tmp_path / "potter.json"
    words = "propose", demo_clip(), "--shot", 6, "--what", "exposure,balance", "--treatment", out, "--json", "-"
    code, told, err = run(capfd, *words)
    report = json.loads(told)
    assert code == 0 and err == "" and report["schema"] == "bluffline.proposal/1" and report["what"] == ["exposure", "balance"]
    _, treatment = load_treatment(out)
    kinds = [step.kind for step in treatment]
    assert kinds == [step["kind"] for step in report["steps"]] and kinds[0] == "tone"
    assert kinds[1:] == ["soft-ceiling", "soft-floor", "chroma-rein"], "what would be outside, on less than the rules tolerate"
    assert any("not sure" in left for left in report["left"]) and any("→" in reason for reason in report["reasons"])
    lights = report["offered"]
    assert len(lights) == 3 and all(each["step"]["kind"] == "balance" and each["light"] and each["why"] for each in lights)


def test_what_nothing_shows_to_be_wrong_is_left_as_it_is(capfd):
    code, told, _ = run(capfd, "propose", demo_clip(), "--shot", 6, "--json", "-")
    report = json.loads(told)
    assert code == 0 and report["what"] == ["bearable"] and report["steps"] == []
    assert any("bearable as it is" in left for left in report["left"])


def test_only_what_is_asked_for_is_proposed(tmp_path, capfd):
    code, told, _ = run(capfd, "propose", demo_clip(), "--shot", 7, "--what", "log,balance", "--json", tmp_path / "r.json")
    steps = json.loads((tmp_path / "r.json").read_text())["steps"]
    assert code == 0 and [step["kind"] for step in steps] == ["log"] and "left alone: balance" in told


@pytest.mark.parametrize(
    ("words", "sentence"),
    [
        (["--what", "grade"], "--what must be of levels, exposure, balance, log, skin, bearable, legal"),
        (["--what", ""], "--what must be of"),
        (["--shot", 99], "There is no shot 99"),
        (["--shot", 0], "There is no shot 0"),
        (["--aims", "none.toml"], "The aims none.toml can't be read"),
        (["--treatment", "nowhere/t.json"], "there is no folder nowhere"),
    ],
)
def test_what_can_not_be_proposed_is_told_in_a_sentence(over_clip, capfd, words, sentence):
    code, out, err = run(capfd, "propose", over_clip, *words)
    assert code == 2 and out == "" and sentence in err and err.count("\n") == 1


def test_a_shot_is_brought_to_a_frame_and_to_another_file(two_lights, tmp_path, capfd):
    out = tmp_path / "m.json"
    code, told, _ = run(capfd, "match", two_lights, "--shot", 2, "--to", 0, "--treatment", out, "--json", "-")
    report = json.loads(told)
    assert code == 0 and report["before"] > 10 and report["after"] < 0.3 * report["before"]
    assert {step.kind for step in load_treatment(out)[1]} >= {"balance", "tone"}
    written = tmp_path / "matched.mkv"
    assert run(capfd, "apply", two_lights, written, "--treatment", out)[0] == 0, "the treatment is one that can be applied"
    code, told, _ = run(capfd, "match", written, "--shot", 2, "--to", two_lights)
    assert code == 0 and "distance" in told


@pytest.mark.parametrize(("to", "sentence"), [(99, "There is no frame 99"), ("no.mov", "no.mov")])
def test_a_reference_that_is_none_is_told(two_lights, capfd, to, sentence):
    code, out, err = run(capfd, "match", two_lights, "--shot", 1, "--to", to)
    assert code == 2 and out == "" and sentence in err
