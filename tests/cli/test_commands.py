import csv
import hashlib
import json
import subprocess
import sys

import av
import numpy as np
import pytest
from PIL import Image

from bluffline.demo import demo_clip
from bluffline.entry import main
from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from bluffline.session.faults import log_path, logger
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.stored import steps_from, treatment_text

RULES = """
title = "House rules"
[limits]
luma = [-7.0, 112.0]
rgb = [-20.0, 130.0]
"""


def run(capfd, *words):
    code = main([str(word) for word in words])
    out, err = capfd.readouterr()
    return code, out, err


def test_check_tells_json_on_standard_output(over_clip, capfd):
    code, out, err = run(capfd, "check", over_clip, "--json", "-")
    assert code == 1 and err == "" and json.loads(out)["schema"] == "bluffline.check/2"


def test_check_writes_files_and_a_summary(over_clip, tmp_path, capfd):
    code, out, _ = run(capfd, "check", over_clip, "--json", tmp_path / "r.json", "--frames", tmp_path / "f.csv")
    assert code == 1 and "Luma over" in out and "that must be fixed in the picture under EBU R 103" in out
    assert json.loads((tmp_path / "r.json").read_text())["must_fix"]
    assert len(list(csv.reader((tmp_path / "f.csv").read_text().splitlines()))) == 25


def test_house_rules_decide(over_clip, tmp_path, capfd):
    (tmp_path / "house.toml").write_text(RULES)
    code, out, _ = run(capfd, "check", over_clip, "--rules", tmp_path / "house.toml", "--json", "-")
    report = json.loads(out)
    assert code == 0 and report["must_fix"] == 0
    told = report["rules"]
    assert (told["name"], told["title"], told["shipped"], told["reserved"]) == ("house", "House rules", None, "forbidden")
    assert told["sha256"] == hashlib.sha256(RULES.encode()).hexdigest()


def test_a_profile_says_by_which_rules_how_it_is_read_and_as_what_it_is_written(over_clip, tmp_path, capfd):
    (tmp_path / "house.toml").write_text(RULES)
    profile = tmp_path / "import.toml"
    profile.write_text('rules = "house.toml"\ncodec = "ffv1"\ncontainer = ".mkv"\n[read]\nrange = "full"\n')
    code, out, _ = run(capfd, "check", over_clip, "--profile", profile, "--json", "-")
    report = json.loads(out)
    assert code == 0 and report["rules"]["title"] == "House rules" and report["file"]["range"].startswith("full")
    other = run(capfd, "check", over_clip, "--profile", profile, "--rules", "r103", "--range", "narrow", "--json", "-")
    told = json.loads(other[1])
    assert told["rules"]["name"] == "r103" and told["file"]["range"].startswith("narrow"), "what is said beside it counts more"
    code, out, err = run(capfd, "legalise", over_clip, tmp_path / "out.mov", "--profile", profile)
    assert code == 2 and "FFV1" in err
    strict = tmp_path / "strict.toml"
    strict.write_text('rules = "strict"\ncodec = "mpeg2"\n')
    code, out, _ = run(capfd, "legalise", over_clip, tmp_path / "out.mov", "--profile", strict)
    with av.open(str(tmp_path / "out.mov")) as written:
        assert code in (0, 1) and written.streams.video[0].codec_context.name == "mpeg2video" and "strict" in out.lower()
    code, _, err = run(capfd, "check", over_clip, "--profile", "nobody")
    assert code == 2 and "There is no profile named nobody" in err


def test_legalise_proves_and_says_so(over_clip, tmp_path, capfd):
    target = tmp_path / "legal.mkv"
    code, out, err = run(capfd, "legalise", over_clip, target, "--json", "-")
    report = json.loads(out)
    assert code == 0 and err == ""
    assert (
        report["schema"] == "bluffline.certificate/2" and report["after"]["must_fix"] == 0 and report["output"] == str(target)
    )
    assert run(capfd, "check", target)[0] == 0


@pytest.mark.parametrize(
    "words",
    [
        ["chart", "CLIP", "--reference", "nothing.txt"], ["chart", "CLIP", "--reference", "glaze-24"],
        ["chart", "CLIP", "--reference", "cards-3", "--corners", "1,2,3"], ["apply", "CLIP", "out.mkv", "--lut", "none.cube"],
        ["chart", "CLIP", "--reference", "cards-3", "--frame", "999"], ["apply", "CLIP", "CLIP", "--lut", "none.cube"],
        ["check", "missing.mov"], ["check", "CLIP", "--rules", "nobody"], ["check", "CLIP", "--json", "nowhere/r.json"],
        ["legalise", "CLIP", "CLIP"], ["legalise", "CLIP", "out.gif"], ["legalise", "CLIP", "out.mkv", "--codec", "prores"],
        ["legalise", "CLIP", "nowhere/out.mkv"], ["scope", "CLIP", "g.gif"], ["scope", "CLIP", "g.png", "--frame", "99"],
        ["scope", "CLIP", "g.png", "--area", "1,2,3"], ["scope", "CLIP", "g.png", "--area", "900,0,9,9"],
        ["scope", "CLIP", "g.png", "--size", "big"], ["scope", "CLIP", "g.png", "--mode", "plaid"],
        ["bars", "CLIP", "--frame", "3"], ["signal", "plaid", "o.mkv"], ["signal", "ramp", "o.mkv", "--rate", "fast"],
        ["signal", "ramp", "o.mkv", "--rate", "1e999999999"],
        ["signal", "ramp", "nowhere/o.mkv"], ["signal", "ramp", "o.mov", "--depth", "12"],
    ],
)  # fmt: skip
def test_what_can_not_be_done_is_one_sentence_and_code_2(words, over_clip, tmp_path, monkeypatch, capfd):
    monkeypatch.chdir(tmp_path)
    code, out, err = run(capfd, *[over_clip if word == "CLIP" else word for word in words])
    assert code == 2 and out == "" and err.startswith("bluffline: ") and err.count("\n") == 1, err


def test_the_core_and_its_commands_need_no_qt(over_clip):
    script = (
        "import sys; sys.modules['PyQt6'] = None\n"
        "from bluffline.entry import main\n"
        f"code = main(['check', {str(over_clip)!r}, '--json', '-'])\n"
        "desk = main([])\n"
        "sys.exit(10 * code + desk)"
    )
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, timeout=300, check=False)
    assert done.returncode == 12, done.stderr
    assert "the desk can't be opened" in done.stderr


def test_check_on_the_demo(capfd):
    code, out, _ = run(capfd, "check", demo_clip(), "--json", "-")
    assert code == 1 and json.loads(out)["file"]["start_timecode"] == "10:00:00:00"


@pytest.mark.parametrize("gauge", ["waveform", "parade", "vectorscope", "histogram", "chromaticity"])
def test_scope_saves_every_gauge(over_clip, tmp_path, capfd, gauge):
    out = tmp_path / "g.png"
    words = ["scope", over_clip, "--frame", 15, "--gauge", gauge, "--area", "0,0,128,64", "--size", "400x300", out]
    code, text, err = run(capfd, *words)
    assert (code, text, err) == (0, "", "")
    with Image.open(out) as image:
        assert image.size == (400, 300)


def test_scope_counts_only_the_area(over_clip, tmp_path, capfd):
    run(capfd, "scope", over_clip, "--gauge", "histogram", "--area", "10,20,30,40", tmp_path / "g.csv")
    rows = csv.DictReader((tmp_path / "g.csv").read_text().splitlines())
    assert sum(int(row["count"]) for row in rows) == 30 * 40


def test_signal_makes_bars_that_bars_finds_right(tmp_path, capfd):
    clip = tmp_path / "bars.mkv"
    made = run(capfd, "signal", "rp219", clip, "--size", "640x360", "--rate", "30000/1001", "--depth", 8, "--duration", 0.2)
    assert made == (0, "", "")
    code, out, _ = run(capfd, "bars", clip, "--json", "-")
    report = json.loads(out)
    assert code == 0 and report["schema"] == "bluffline.bars/1" and report["right"] and report["pattern"] == "RP 219"
    assert run(capfd, "check", clip)[0] == 0


def test_bars_on_the_demo_and_where_there_are_none(capfd, over_clip):
    code, out, _ = run(capfd, "bars", demo_clip())
    assert code == 0 and "sit where they should" in out and "magenta" in out
    code, out, err = run(capfd, "bars", over_clip)
    assert code == 2 and "No colour bars were recognised" in err


def test_a_system_error_is_one_sentence(over_clip, tmp_path, capfd, monkeypatch):
    def refuse(*_):
        raise OSError(27, "File too large", "somewhere")

    monkeypatch.setattr("bluffline.cli.main.check", refuse)
    code, out, err = run(capfd, "check", over_clip)
    assert (code, out) == (2, "") and err == "bluffline: The system refused: somewhere: File too large.\n"


def test_rules_with_areas_and_gamut_work_from_the_command_line(over_clip, tmp_path, capfd):
    areas = '[[area]]\nname = "sky"\nbox = [0, 0, 100, 25]\nuse = "leave out"\n'
    (tmp_path / "house.toml").write_text(RULES.replace("112.0", "103.0").replace("rgb", 'gamut = "bt709"\nrgb') + areas)
    code, out, _ = run(capfd, "check", over_clip, "--rules", tmp_path / "house.toml", "--json", "-")
    assert code == 0 and json.loads(out)["must_fix"] == 0, "what is over lies in the sky, which is left out"


def test_progress_is_drawn_on_a_terminal_and_nowhere_else(over_clip, capfd, monkeypatch):
    assert run(capfd, "check", over_clip)[2] == ""
    monkeypatch.setattr(sys.stderr, "isatty", lambda: True)
    code, _, err = run(capfd, "check", over_clip)
    assert code == 1 and "Survey" in err and "24 of 24" in err and err.endswith("\x1b[K")


@pytest.mark.parametrize(
    ("name", "codec", "pixels", "facts"),
    [
        ("a.mp4", "libx264", "yuv420p", ("4:2:0", 8, "narrow")),
        ("b.mkv", "ffv1", "yuv444p12le", ("4:4:4", 12, "narrow")),
        ("c.mkv", "ffv1", "gbrp10le", ("RGB", 10, "full")),
        ("d.mov", "prores", "yuv422p10le", ("4:2:2", 10, "narrow")),
        ("e.avi", "rawvideo", "bgr24", ("RGB", 8, "full")),
    ],
)
def test_every_kind_of_sample_is_checked_and_seen_on_gauges(clip, tmp_path, capfd, name, codec, pixels, facts):
    def picture(number):
        return np.random.default_rng(number).uniform(0.2, 0.7, (96, 160, 1)).repeat(3, 2)

    options = {"x264-params": "log-level=error"} if codec == "libx264" else {}
    full = facts[2] == "full"
    made = clip(name, picture, 4, codec=codec, pixel_format=pixels, options=options, full=full)
    code, out, err = run(capfd, "check", made, "--json", "-", "--frames", tmp_path / "f.csv")
    file = json.loads(out)["file"]
    assert code == 0 and err == ""
    assert (file["sampling"], file["bit_depth"], file["range"], file["frame_count"]) == (*facts, 4)
    rows = list(csv.DictReader((tmp_path / "f.csv").read_text().splitlines()))
    assert len(rows) == 4
    assert all(0 < float(row["rgb_min"]) < 40 and 50 < float(row["rgb_max"]) < 90 for row in rows), "and a codec's overshoot"
    for gauge, mode in (("waveform", "rgb"), ("parade", "ycbcr"), ("vectorscope", "2"), ("chromaticity", "1976")):
        target = tmp_path / f"{gauge}.svg"
        assert run(capfd, "scope", made, target, "--gauge", gauge, "--mode", mode)[0] == 0
        assert target.read_text().startswith("<svg")


def test_chart_measures_fits_and_writes_what_apply_takes(tmp_path, capfd):
    cube, treatment = tmp_path / "fit.cube", tmp_path / "fit.json"
    words = ["chart", demo_clip(), "--frame", 75, "--reference", "glaze-24", "--lut", cube, "--treatment", treatment]
    code, out, err = run(capfd, *words, "--json", "-")
    report = json.loads(out)
    assert code == 0 and err == "" and report["schema"] == "bluffline.chart/1"
    assert report["confidence"] > 0.9 and report["frames_averaged"] > 1 and report["placed"] == "found"
    stages = {stage["name"]: stage for stage in report["stages"]}
    assert stages["source"]["mean"] > 10 > 1.5 > stages[report["chosen"]]["mean"]
    assert report["lut"]["worst"] < 0.5
    patch = report["patches"][0]
    assert patch["name"] == "celadon" and len(patch["measured_lab"]) == 3 and set(patch["delta_e"]) == set(stages)
    corners = ",".join(str(number) for corner in report["corners"] for number in corner)
    code, out, _ = run(capfd, *words[:6], "--corners", corners, "--fit", "neutral")
    assert code == 0 and "placed by hand" in out and "celadon" in out and "straighten" not in out


def test_apply_writes_through_a_lut_or_a_treatment(over_clip, tmp_path, capfd):
    (tmp_path / "half.cube").write_text("LUT_1D_SIZE 2\n0 0 0\n0.5 0.5 0.5\n")
    target = tmp_path / "half.mkv"
    assert run(capfd, "apply", over_clip, target, "--lut", tmp_path / "half.cube")[0] == 0
    planes = [open_frame(path) for path in (over_clip, target)]
    before, after = ((luma.astype(float) - 64) / 876 for luma in planes)
    assert np.abs(after - np.clip(before, 0, 1) / 2).max() < 0.002
    (tmp_path / "t.json").write_text(treatment_text("half", (Balance((0.5, 0.5, 0.5), light=False),)))
    assert run(capfd, "apply", over_clip, tmp_path / "t.mkv", "--treatment", tmp_path / "t.json")[0] == 0
    assert np.abs(open_frame(tmp_path / "t.mkv").astype(float) - planes[1]).max() <= 1


def open_frame(path):
    with Reader(probe(path)) as reader:
        return reader.frame(0).planes[0].copy()


def test_an_error_that_nobody_foresaw_is_a_sentence_an_exit_code_of_its_own_and_a_log(over_clip, tmp_path, capfd, monkeypatch):
    def fail(*_):
        raise RecursionError("maximum depth\nexceeded")

    monkeypatch.setattr("bluffline.cli.main.check", fail)
    logger.cache_clear()
    code, out, err = run(capfd, "check", over_clip)
    logger.cache_clear()
    assert (code, out) == (3, "") and err.count("\n") == 1
    assert "not foreseen (RecursionError: maximum depth)" in err and str(log_path()) in err
    assert "Traceback" in log_path().read_text()


def test_output_that_nobody_reads_is_no_error(over_clip):
    command = f"{sys.executable} -m bluffline check {over_clip} --json - | head -c 10"
    shell = subprocess.run(["bash", "-c", f"{command}; echo ${{PIPESTATUS[0]}}"], capture_output=True, text=True, check=True)
    assert "Traceback" not in shell.stderr and "Exception" not in shell.stderr
    assert shell.stdout[10:].strip() in {"0", "1", "141"}, "the report may have fitted into the pipe"


def test_the_catalogue_is_listed(capfd, tmp_path):
    code, out, _ = run(capfd, "steps", "--json", "-")
    report = json.loads(out)
    assert code == 0 and report["schema"] == "bluffline.steps/1"
    kinds = {step["kind"]: step for step in report["steps"]}
    assert {"tone", "soft-ceiling", "level-remap", "root-polynomial"} <= kinds.keys() and kinds["tone"]["heading"] == "shot"
    contrast = next(value for value in kinds["tone"]["values"] if value["key"] == "contrast")
    assert contrast == {"key": "contrast", "label": "Contrast", "unit": "×", "least": 0, "greatest": 4, "neutral": 1.0}
    neutral = [{"kind": kind, "values": {v["key"]: v["neutral"] for v in step["values"]}} for kind, step in kinds.items()]
    assert all(type(step).__name__ for step in steps_from(neutral)), "what is listed as neutral is taken"
    assert "exposure" in run(capfd, "steps", "tone")[1] and run(capfd, "steps", "tone", "--json", tmp_path / "t.json")[0] == 0
    code, _, err = run(capfd, "steps", "glaze")
    assert code == 2 and "no step of the kind glaze" in err


@pytest.mark.parametrize(
    ("step", "words"),
    [
        ({"kind": "glaze", "values": {}}, "step 1: there is no step of the kind 'glaze'"),
        ({"kind": "tone", "values": {"contrast": 9}}, r"step 1 (tone): contrast must be between 0 and 4"),
        ({"kind": "tone", "values": {"lift": [0, 0, 0]}}, "step 1 (tone): lift must be a list of 4"),
        ({"kind": "tone", "values": {}, "reach": {"areas": [{"shape": "star", "points": []}]}}, "area 1: shape must be one of"),
        ({"kind": "tone", "values": {}, "reach": {"key": {"hue": [1, 2, "x"]}}}, "key: hue must be a number"),
        ({"kind": "soft-ceiling", "values": {"limit": None}}, "step 1 (soft-ceiling): limit must be a number"),
    ],
)
def test_a_treatment_that_can_not_be_used_is_one_sentence(over_clip, tmp_path, capfd, step, words):
    (tmp_path / "t.json").write_text(json.dumps({"schema": "bluffline.treatment/2", "title": "t", "steps": [step]}))
    code, _, err = run(capfd, "apply", over_clip, tmp_path / "out.mkv", "--treatment", tmp_path / "t.json")
    assert code == 2 and words in err and err.count("\n") == 1 and not (tmp_path / "out.mkv").exists()


def test_apply_keeps_to_the_reach_and_leaves_the_rest_to_the_code(over_clip, tmp_path, capfd):
    reach = {"areas": [{"shape": "rectangle", "points": [[25, 25], [75, 75]], "feather": 0}]}
    steps = [{"kind": "tone", "values": {}}, {"kind": "tone", "values": {"offset": [10, 0, 0, 0]}, "reach": reach}]
    (tmp_path / "t.json").write_text(json.dumps({"schema": "bluffline.treatment/2", "title": "t", "steps": steps}))
    assert run(capfd, "apply", over_clip, tmp_path / "out.mkv", "--treatment", tmp_path / "t.json")[0] == 0
    before, after = (open_frame(path).astype(int) for path in (over_clip, tmp_path / "out.mkv"))
    height, width = before.shape
    inside = np.zeros(before.shape, bool)
    inside[height // 4 : 3 * height // 4, width // 4 : 3 * width // 4] = True
    assert np.array_equal(before[~inside], after[~inside])
    assert np.abs(np.minimum(before[inside] + 87.6, 1023) - after[inside]).max() <= 0.6
