import hashlib
import os
import resource
import shutil
import signal
import subprocess
import sys
import time
from contextlib import suppress
from dataclasses import replace
from types import SimpleNamespace

import av
import numpy as np
import pytest

from bluffline import stopping
from bluffline.errors import CancelledError, MediaError, WriteError
from bluffline.measure.counted import Limits
from bluffline.measure.region import Region
from bluffline.media.codecs import codec_for
from bluffline.media.leftovers import remove_leftovers
from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from bluffline.media.signals import SIGNALS, write_signal
from bluffline.media.target import claimed
from bluffline.prove import prove as prove_module
from bluffline.prove import render as render_module
from bluffline.prove.pictures import KeepUnreadable
from bluffline.prove.prove import Proof, ProveRequest, frame_list, propose_all, prove
from bluffline.rules.finding import Waiver
from bluffline.rules.rulefile import load_rules, parse_rules
from bluffline.rules.rules import Rules
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot
from bluffline.signal.format import Overrides
from bluffline.signal.levels import Range
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import must_fix, run_survey, start_survey
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from clips import make_clip, numbered


def request(path, target, rules=None, treatments=None, codec=None):
    survey = run_survey(start_survey(probe(path), rules or load_rules("r103")), Monitor())
    shots = survey.shots()
    if treatments is None:
        treatments = {p.shot: p.treatment for p in propose_all(survey, shots, survey.findings(shots))}
    return ProveRequest(survey, shots, treatments, target, codec_for(target, codec))


def test_a_file_that_readers_would_mistake_is_not_kept(clip, tmp_path, monkeypatch):
    """Whatever of range, matrix or fields is read back otherwise than it was written."""
    source = clip("i.mov", numbered, 3, codec="prores_ks")
    wanted = request(source, tmp_path / "o.mov", treatments={}, codec="prores")
    read = probe(source)
    monkeypatch.setattr(render_module, "probe", lambda _: replace(read, tagged=replace(read.tagged, range=Range.FULL)))
    with pytest.raises(WriteError, match="Readers would mistake its range, so the file was not kept"):
        prove(wanted, Monitor())
    assert [path.name for path in tmp_path.iterdir()] == ["i.mov"]


def test_a_source_that_was_written_over_in_place_since_it_was_surveyed_is_not_proved(clip, tmp_path):
    """Though its name, size, time and place on the disk are what they were."""
    source = clip("i.mov", numbered, 6, codec="prores_ks")
    wanted = request(source, tmp_path / "o.mov", treatments={}, codec="prores")
    facts = source.stat()
    with av.open(str(source)) as container:
        place = [packet.pos for packet in container.demux(video=0) if packet.size][3] + 400
    with source.open("r+b") as file:
        file.seek(place)
        (before,) = file.read(1)
        file.seek(place)
        file.write(bytes([before ^ 1]))
    os.utime(source, ns=(facts.st_atime_ns, facts.st_mtime_ns))
    assert not wanted.survey.programme.changed()
    with pytest.raises(MediaError, match="is not what was surveyed any more"):
        prove(wanted, Monitor())
    assert [path.name for path in tmp_path.iterdir()] == ["i.mov"]


def luma(path):
    programme = probe(path)
    with Reader(programme) as reader:
        return [[plane.copy() for plane in frame.planes] for frame in reader.frames()]


def test_written_file_is_legal_and_untreated_frames_are_the_same_samples(over_clip, tmp_path):
    checksum = hashlib.sha256(over_clip.read_bytes()).hexdigest()
    target = tmp_path / "legal.mkv"
    proof = prove(request(over_clip, target), Monitor())
    assert proof.legal and proof.rounds == 1 and proof.source_checksum == checksum
    assert proof.written_checksum == hashlib.sha256(target.read_bytes()).hexdigest()
    before, after = luma(over_clip), luma(target)
    for number in range(12):
        assert all(np.array_equal(a, b) for a, b in zip(before[number], after[number], strict=True))
    assert any(not np.array_equal(a, b) for a, b in zip(before[12], after[12], strict=True))
    assert hashlib.sha256(over_clip.read_bytes()).hexdigest() == checksum
    assert [path.name for path in tmp_path.iterdir()] == ["legal.mkv"]


def test_what_is_written_is_read_back_in_the_picture_that_the_operator_told(over_clip, tmp_path):
    told = Region(0, 64, 256, 64)  # below what is too bright
    survey = run_survey(start_survey(probe(over_clip), load_rules("r103"), region=told), Monitor())
    shots = survey.shots()
    target = tmp_path / "o.mkv"
    proof = prove(ProveRequest(survey, shots, {}, target, codec_for(target)), Monitor())
    assert proof.after.region == told
    own = run_survey(start_survey(probe(target), load_rules("r103"), region=told), Monitor())
    assert (
        proof.after_findings
        == own.findings(shots)
        != run_survey(start_survey(probe(target), load_rules("r103")), Monitor()).findings(shots)
    )


def test_overshoot_of_the_codec_is_met_with_more_margin(tmp_path, monkeypatch):
    """A rule so narrow that ProRes breaks it at once is proved after more rounds, and the limits used are told."""
    rng = np.random.default_rng(8)
    noise = rng.uniform(0.2, 1.08, (128, 256, 1)).repeat(3, 2)
    source = make_clip(tmp_path / "noise.mkv", lambda n: np.roll(noise, n, 1), 6)
    narrow = Rules("narrow", "Narrow", load_rules("r103").limits, area=0.02, frames=1)
    proof = prove(request(source, tmp_path / "o.mov", narrow), Monitor())
    assert proof.rounds > 1 and proof.legal
    steps = [step for treatment in proof.treatments.values() for step in treatment]
    assert any((isinstance(s, SoftCeiling) and s.limit < 103) or (isinstance(s, ChromaRein) and s.high < 105) for s in steps)
    monkeypatch.setattr(prove_module, "MOST_ROUNDS", 1)
    wanted = request(source, tmp_path / "once.mov", narrow)
    once = prove(wanted, Monitor())
    assert (once.rounds, once.legal, once.treatments) == (1, False, wanted.treatments), "it tells what it wrote with"


def test_what_can_not_be_proved_is_written_and_said(tmp_path):
    """Limits that no treatment can meet, nor be tightened in: the file is there, and the proof says that it is not legal."""
    source = make_clip(tmp_path / "s.mkv", lambda n: np.random.default_rng(n).uniform(0.2, 0.8, (128, 256, 3)), 2)
    impossible = Rules("impossible", "Impossible", Limits((0.0, 1.0), (0.0, 1.0)), area=0.0, frames=1)
    proof = prove(request(source, tmp_path / "o.mov", impossible, {0: (SoftCeiling(1.0, 80.0, 0.5),)}), Monitor())
    assert proof.rounds == 1 and not proof.legal and (tmp_path / "o.mov").exists()


def test_what_was_to_be_left_as_it_is_is_not_treated_by_the_proof(over_clip, tmp_path):
    """A shot that breaks a limit, and has no treatment, or one that is bypassed: the proof says what remains."""
    for given in ({}, {1: (SoftCeiling(103, 109, 90, on=False),)}):
        target = tmp_path / f"{len(given)}.mkv"
        proof = prove(request(over_clip, target, treatments=given), Monitor())
        assert not proof.legal and proof.rounds == 1 and proof.treatments == given
        for before, after in zip(luma(over_clip), luma(target), strict=True):
            assert all(np.array_equal(a, b) for a, b in zip(before, after, strict=True))


def test_shots_divided_by_hand_are_treated_and_judged_by_themselves(over_clip, tmp_path):
    wanted = request(over_clip, tmp_path / "o.mkv")
    parts = [Shot(0, 11), Shot(12, 17), Shot(18, 23)]
    proof = prove(replace(wanted, shots=parts, treatments={2: wanted.treatments[1]}), Monitor())
    assert {finding.shot for finding in must_fix(proof.before)} == {1, 2}
    assert {finding.shot for finding in must_fix(proof.after_findings)} == {1} and not proof.legal
    before, after = luma(over_clip), luma(tmp_path / "o.mkv")
    assert np.array_equal(before[17][0], after[17][0]) and not np.array_equal(before[18][0], after[18][0])


def test_bars_are_written_as_they_are(tmp_path):
    source, target = tmp_path / "bars.mkv", tmp_path / "o.mkv"
    write_signal(SIGNALS["bars"], source, codec_for(source), size=(640, 360), depth=10, seconds=0.2)
    wanted = request(source, target, replace(load_rules("r103"), limits=Limits((5.0, 95.0), (-5.0, 105.0))))
    proof = prove(wanted, Monitor())
    assert wanted.treatments == {} == proof.treatments and not proof.legal
    assert all(np.array_equal(a, b) for a, b in zip(luma(source)[0], luma(target)[0], strict=True))


@pytest.mark.parametrize("stage", ["Render", "Read back", "Checksum"])
def test_cancel_leaves_nothing_and_keeps_what_was_there(over_clip, tmp_path, stage):
    target = tmp_path / "legal.mkv"
    target.write_bytes(b"an older file")
    wanted = request(over_clip, target)
    told = []
    monitor = Monitor(lambda p: (told.append(p.stage), monitor.cancel() if p.stage.startswith(stage) else None))
    with pytest.raises(CancelledError):
        prove(wanted, monitor)
    assert "Render" in told and not any("round" in each for each in told), "a first round is not counted"
    assert target.read_bytes() == b"an older file" and len(list(tmp_path.iterdir())) == 1


def test_the_source_is_refused_as_target(over_clip):
    with pytest.raises(WriteError, match="never written to"):
        prove(request(over_clip, over_clip, codec="ffv1"), Monitor())


def _legalise(source, target, **kwargs):
    return subprocess.Popen(
        [sys.executable, "-m", "bluffline", "legalise", str(source), str(target)],
        stderr=subprocess.PIPE,
        stdout=subprocess.PIPE,
        text=True,
        **kwargs,
    )


def test_a_full_disk_leaves_nothing(over_clip, tmp_path):
    def small_disk():
        signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
        resource.setrlimit(resource.RLIMIT_FSIZE, (200_000, 200_000))

    (tmp_path / "before").mkdir()
    _legalise(over_clip, tmp_path / "before" / "o.mkv").communicate(timeout=300)  # compiled kernels are kept, which needs room
    shutil.rmtree(tmp_path / "before")
    run = _legalise(over_clip, tmp_path / "o.mkv", preexec_fn=small_disk)
    _, errors = run.communicate(timeout=300)
    assert run.returncode == 2, errors
    assert "could not be written" in errors and "Traceback" not in errors and errors.count("\n") == 1
    assert [path.name for path in tmp_path.iterdir()] == ["data"], "the key to sign with, and nothing else"


def begun(run, folder):
    """Wait until a run writes, or has ended."""
    until = time.monotonic() + 200
    while run.poll() is None and not list(folder.glob(".*unproved*")) and time.monotonic() < until:
        with suppress(subprocess.TimeoutExpired):
            run.wait(0.01)


@pytest.mark.parametrize("how", [signal.SIGTERM, signal.SIGINT, signal.SIGHUP, signal.SIGKILL])
def test_a_kill_leaves_no_file_under_the_targets_name(tmp_path, how):
    source = make_clip(tmp_path / "long.mkv", lambda n: np.random.default_rng(n % 7).uniform(0, 1.07, (360, 640, 3)), 60)
    out = tmp_path / "out"
    out.mkdir()
    run = _legalise(source, out / "o.mkv", preexec_fn=lambda: [signal.signal(n, signal.SIG_DFL) for n in stopping.SIGNALS])
    begun(run, out)
    run.send_signal(how)
    _, errors = run.communicate(timeout=100)
    assert not (out / "o.mkv").exists() and probe(source).frame_count == 60
    if how is not signal.SIGKILL:
        assert list(out.iterdir()) == [], "a polite kill cleans up as well"
        assert run.returncode == 128 + how and errors == "bluffline: stopped; nothing was left behind.\n"


def test_a_hang_up_that_is_to_be_ignored_is_ignored(over_clip, tmp_path):
    run = _legalise(over_clip, tmp_path / "o.mkv", preexec_fn=lambda: signal.signal(signal.SIGHUP, signal.SIG_IGN))
    begun(run, tmp_path)
    run.send_signal(signal.SIGHUP)
    run.communicate(timeout=100)
    assert run.returncode == 0 and (tmp_path / "o.mkv").exists()


def test_what_a_killed_run_left_is_removed_by_the_next(over_clip, tmp_path):
    gone = subprocess.Popen([sys.executable, "-c", ""])
    gone.wait()
    left = [f".o.{gone.pid}.unproved.mkv", f".o.{gone.pid}.unproved.shaped.mkv", f".o.mkv.certificate.json.{gone.pid}.new"]
    others = [f".o.{os.getpid()}.unproved.txt", f".other.{gone.pid}.unproved.mkv", f".o.{gone.pid}.mine", "o.txt"]
    for name in left + others:
        (tmp_path / name).write_text("x")
    assert sorted(path.name for path in remove_leftovers(tmp_path / "o.mkv")) == sorted(left)
    assert sorted(path.name for path in tmp_path.iterdir()) == sorted(others)


def test_whoever_writes_alone_takes_away_what_is_left_of_its_target_and_nothing_of_another(tmp_path):
    """A process of another machine, or one that nobody has buried yet, has a number that tells nothing."""
    here = os.getpid()
    left = [f".o.{here}.unproved.mkv", f".o.{here}.delivery.mkv", f".o.mkv.certificate.json.{here}.new"]
    others = [f".o.{here}.unproved.mov", f".o.2.{here}.unproved.mkv", f".o.{here}.mine.mkv", ".o.mkv.lock", "o.txt"]
    runs = tmp_path / f".o.{here}.unproved.mkv.runs-abc"
    runs.mkdir()
    (runs / "0.mov").write_text("x")
    for name in left + others:
        (tmp_path / name).write_text("x")
    assert remove_leftovers(tmp_path / "o.mkv") == [], "it runs"
    with claimed(tmp_path / "o.mkv", "unproved"):
        assert sorted(path.name for path in tmp_path.iterdir()) == sorted(others)


def test_a_damaged_frame_is_told_and_replaced_by_the_one_before(tmp_path):
    made = make_clip(
        tmp_path / "w.mkv",
        lambda n: np.random.default_rng(n).uniform(0.2, 0.7, (128, 256, 3)),
        10,
        options={"slicecrc": "1", "g": "1", "level": "3"},
    )
    data = bytearray(made.read_bytes())
    data[len(data) // 2] ^= 0xFF
    hurt = tmp_path / "hurt.mkv"
    hurt.write_bytes(data)
    wanted = request(hurt, tmp_path / "o.mkv")
    with pytest.raises(MediaError, match=r"1 of 10 frames .* can't be read \(\d+\), so it can't be proved"):
        prove(wanted, Monitor())
    assert not (tmp_path / "o.mkv").exists()
    proof = prove(replace(wanted, keep_unreadable=KeepUnreadable.HOLD), Monitor())
    assert not proof.legal and proof.verdict == "not proved: 1 frame could not be read"
    (finding,) = [f for f in proof.before if f.rule == "unreadable"]
    written = luma(tmp_path / "o.mkv")
    assert len(written) == 10
    assert np.array_equal(written[finding.first_frame][0], written[finding.first_frame - 1][0])
    assert finding.severity is Severity.MUST_FIX and proof.unreadable == (finding.first_frame,)
    prove(replace(wanted, keep_unreadable=KeepUnreadable.BLACK), Monitor())
    assert (luma(tmp_path / "o.mkv")[finding.first_frame][0] == 64).all()


def test_what_no_step_answers_stays_in_the_proof(tmp_path):
    """A gamut finding is not for Legalise: one round of writing proves the rest, and the proof says what remains."""
    rgb = np.full((128, 256, 3), 0.5)
    rgb[:64] = (0.05, 0.75, 0.05)
    source = make_clip(tmp_path / "wide.mkv", lambda n: rgb, 3)
    text = '[limits]\nluma = [-1, 103]\nrgb = [-5, 105]\ngamut = "bt709"\n'
    wide = probe(source).read_as(Overrides(primaries="bt2020"))
    survey = run_survey(start_survey(wide, parse_rules(text, "house")), Monitor())
    proof = prove(ProveRequest(survey, survey.shots(), {}, tmp_path / "o.mkv", codec_for(tmp_path / "o.mkv")), Monitor())
    assert [finding.rule for finding in must_fix(proof.before)] == ["gamut"] and proof.treatments == {}
    assert proof.after.rules.gamut == "bt709" and (tmp_path / "o.mkv").exists()


def test_a_verdict_counts_what_was_waived(over_clip, tmp_path):
    wanted = request(over_clip, tmp_path / "o.mkv")
    open_, *_ = wanted.survey.findings()
    by_word = replace(open_, waiver=Waiver("", "as agreed", "Duty editor", "2026-11-29T16:41:00Z"))
    one, two = " but for 1 finding waived", " but for 2 findings waived"
    for found, words in (([open_], ""), ([open_, by_word], one), ([by_word] * 2, two)):
        proof = SimpleNamespace(unreadable=(), legal=True, after_findings=found, after=SimpleNamespace(sounds=[]))
        assert Proof.verdict.fget(proof) == f"picture proved legal{words}"


def test_what_no_step_answers_is_not_written_again_and_again(over_clip, tmp_path):
    """Under rules that ask for sound, of which there is none: the picture is legal after one round, and that is said."""
    survey = run_survey(start_survey(probe(over_clip), load_rules("delivery")), Monitor())
    shots = survey.shots()
    ladders = {each.shot: each.treatment for each in propose_all(survey, shots, survey.findings())}
    ladders = {0: (SoftCeiling(103, 109, 90),)} | ladders  # in the shot that is said to have no sound as well
    proof = prove(ProveRequest(survey, shots, ladders, tmp_path / "o.mkv", codec_for(tmp_path / "o.mkv")), Monitor())
    left = must_fix(proof.after_findings)
    assert [each.rule for each in left] == ["sound-unmeasured"] and ladders
    assert (proof.rounds, proof.verdict) == (1, "sound not legal")


def test_legalise_counts_the_shots_that_it_has_looked_at(over_clip):
    survey, told = run_survey(start_survey(probe(over_clip), load_rules("r103")), Monitor()), []
    propose_all(survey, survey.shots(), survey.findings(), Monitor(told.append))
    assert [(each.stage, each.done, each.total) for each in told if each.stage == "Legalise"][-1] == ("Legalise", 2, 2)


def test_frames_are_listed_as_runs():
    assert frame_list([3, 7, 8, 9, 11]) == "3, 7–9, 11" and frame_list([]) == ""


@pytest.mark.parametrize(("over", "margin"), [(0.2, 0.5), (2.0, 1.2), (9.0, 3.0)])
def test_a_round_more_tightens_by_a_part_of_what_is_over_within_bounds(over_clip, tmp_path, monkeypatch, over, margin):
    wanted, given = request(over_clip, tmp_path / "o.mkv"), []
    (found,) = (each for each in wanted.survey.findings() if each.rule == "luma-high")
    monkeypatch.setattr(prove_module, "tightened", lambda steps, rule, by, *_: given.append((rule, by)) or steps)
    left = replace(found, worst_value=wanted.survey.rules.limits.luma[1] + over)
    prove_module._with_margin(wanted, dict(wanted.treatments), [left])
    assert given == [("luma-high", pytest.approx(margin))]
