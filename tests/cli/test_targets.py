"""What commands may write, and what they refuse before any work begins."""

import contextlib
import json
import shutil

import numpy as np
import pytest

from bluffline.cli.main import main
from bluffline.errors import MediaError, WriteError
from bluffline.media.codecs import CODECS
from bluffline.media.opening import Identity
from bluffline.media.probe import probe
from bluffline.media.target import Claim, certificate_paths
from bluffline.prove.render import render
from bluffline.rules.shots import Shot
from bluffline.survey.monitor import Monitor
from clips import make_clip


def run(capfd, *words):
    code = main([str(word) for word in words])
    out, err = capfd.readouterr()
    return code, out, err


@pytest.fixture
def mine(tmp_path, over_clip):
    return shutil.copy(over_clip, tmp_path / "p.mkv")


@pytest.mark.parametrize("option", ["--frames", "--json"])
def test_a_report_never_replaces_the_programme_or_a_file_of_another_kind(mine, tmp_path, capfd, option, monkeypatch):
    before = mine.read_bytes()
    (tmp_path / "other.mov").write_bytes(b"a film")
    (tmp_path / "link.csv").symlink_to(mine)
    monkeypatch.setattr("bluffline.cli.main.run_survey", lambda *_: pytest.fail("refused before the survey"))
    for target in (mine, tmp_path / "other.mov", tmp_path / "link.csv", tmp_path / "nowhere" / "x.csv", tmp_path):
        code, out, err = run(capfd, "check", mine, option, target, "--force")
        assert code == 2 and out == "" and err.count("\n") == 1, target
    assert mine.read_bytes() == before and (tmp_path / "other.mov").read_bytes() == b"a film"


def test_what_is_there_is_replaced_only_by_force(mine, tmp_path, capfd):
    report, target = tmp_path / "r.json", tmp_path / "legal.mkv"
    assert run(capfd, "check", mine, "--json", report)[0] == 1
    code, _, err = run(capfd, "check", mine, "--json", report)
    assert code == 2 and "--force replaces it" in err
    assert run(capfd, "check", mine, "--json", report, "--force")[0] == 1
    assert run(capfd, "legalise", mine, target)[0] == 0
    code, _, err = run(capfd, "legalise", mine, target)
    assert code == 2 and "is there already" in err
    target.unlink()
    assert run(capfd, "legalise", mine, target)[0] == 2, "its certificate is there"
    assert run(capfd, "legalise", mine, target, "--force")[0] == 0
    code, _, err = run(capfd, "check", mine, "--json", tmp_path / "a.json", "--frames", tmp_path / "a.json")
    assert code == 2 and "named twice" in err


def test_unreadable_frames_are_refused_or_kept_and_told(tmp_path, capfd):
    made = make_clip(
        tmp_path / "w.mkv", lambda n: np.random.default_rng(n).uniform(0.2, 0.7, (128, 256, 3)), 10,
        options={"slicecrc": "1", "g": "1", "level": "3"},
    )  # fmt: skip
    data = bytearray(made.read_bytes())
    data[len(data) // 2] ^= 0xFF
    made.write_bytes(data)
    assert run(capfd, "check", made)[0] == 1
    code, _, err = run(capfd, "legalise", made, tmp_path / "o.mkv")
    assert code == 2 and "1 of 10 frames" in err and not (tmp_path / "o.mkv").exists()
    code, out, _ = run(capfd, "legalise", made, tmp_path / "o.mkv", "--keep-unreadable", "black", "--json", tmp_path / "r.json")
    assert code == 1 and "not proved: 1 frame could not be read" in out
    report = json.loads((tmp_path / "o.mkv.certificate.json").read_text())
    assert report["proved"] is False and report["kept_unreadable"] == "black" and len(report["unreadable_frames"]) == 1
    assert "Not proved" in (tmp_path / "o.mkv.certificate.html").read_text()


def test_a_rule_file_titled_like_a_shipped_one_does_not_pass_for_it(mine, tmp_path, capfd):
    loose = 'title = "EBU R 103"\n[limits]\nluma = [-1, 103]\nrgb = [-5, 105]\n[tolerance]\narea = 90\n'
    (tmp_path / "r103.toml").write_text(loose)
    code, out, _ = run(capfd, "check", mine, "--rules", tmp_path / "r103.toml")
    assert code == 0 and "not the shipped one" in out
    assert "not the shipped one" not in run(capfd, "check", mine)[1]


def test_a_source_that_changes_is_noticed(mine, tmp_path, monkeypatch):
    programme = probe(mine)
    arguments = (programme, programme.format, [Shot(0, 23)], {}, tmp_path / "o.mkv", CODECS["ffv1"])
    told = []

    def change(progress):
        if progress.done == 10 and not told:
            told.append(progress)
            with mine.open("ab") as file:
                file.write(b"\0")

    with pytest.raises(MediaError, match="was changed while it was worked on"):
        render(*arguments, Monitor(change))
    again = probe(mine)
    assert not again.changed()
    shutil.copy(mine, tmp_path / "copy.mkv")
    (tmp_path / "copy.mkv").replace(mine)
    assert again.changed(), "another file under the same name"


def test_file_and_certificate_appear_together_or_not_at_all(tmp_path, monkeypatch):
    """Wherever it stops, no file stands beside a certificate of another."""
    target = tmp_path / "t.mkv"
    certificate = certificate_paths(target)[0]
    real = type(target).replace

    for stop in range(5):
        target.write_text("old")
        certificate.write_text("of old")
        working = tmp_path / ".w.mkv"
        working.write_text("new")
        calls = []

        def fail(self, other, calls=calls, stop=stop):
            if len(calls) == stop:
                calls.append(other)
                raise OSError(28, "No space left on device")
            calls.append(other)
            return real(self, other)

        monkeypatch.setattr(type(target), "replace", fail)
        with contextlib.suppress(WriteError):
            Claim(target, working, Identity.of((target,))).settle({certificate: b"of new"})
        monkeypatch.setattr(type(target), "replace", real)
        told = certificate.read_text() if certificate.exists() else None
        assert told in (None, f"of {target.read_text()}"), stop
        for rest in tmp_path.iterdir():
            rest.unlink()
