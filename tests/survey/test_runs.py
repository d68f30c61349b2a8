"""A programme that is measured in runs comes out as one process measures it, to the bit."""

import itertools
from concurrent.futures import Executor, Future
from dataclasses import replace

import numpy as np
import pytest

from bluffline.errors import ElsewhereError, MediaError
from bluffline.media.probe import probe
from bluffline.rules.rulefile import load_rules
from bluffline.rules.shots import Shot
from bluffline.shift.workers import Workers
from bluffline.survey import runs
from bluffline.survey.checking import check
from bluffline.survey.monitor import Monitor
from bluffline.survey.runs import Hands, RunAsked, measure_run, run_survey_in_runs, runs_of
from bluffline.survey.survey import run_survey, start_survey
from clips import make_clip

RULES = load_rules("r103")


class Backwards(Executor):
    """Does what it is given when its result is asked for, and forgets nothing."""

    def submit(self, function, /, *arguments, **named):
        future = Future()
        future.set_result(function(*arguments))
        return future


def moving(number):
    """Two shots, something bright that moves, and frames that repeat."""
    rng = np.random.default_rng(number // 31)
    picture = np.full((96, 128, 3), 0.3 + 0.2 * (number >= 60)) + rng.normal(0, 0.02, (96, 128, 1))
    at = number // 2 % 100
    picture[20:50, at : at + 20] = 1.05
    return np.clip(picture, 0, 1.09)


@pytest.fixture(params=["ffv1", "libx264", "mpeg2video", "interlaced", "damaged"])
def programme(request, tmp_path):
    name = {"interlaced": "mpeg2video", "damaged": "ffv1"}.get(request.param, request.param)
    path = tmp_path / f"film.{'mov' if name == 'libx264' else 'mkv'}"
    options = {"g": "12", "bf": "2"} if name != "ffv1" else {"g": "1"}
    make_clip(
        path, moving, 121, codec=name, pixel_format="yuv422p10le" if name != "mpeg2video" else "yuv422p", options=options,
        top_first=True if request.param == "interlaced" else None,
    )  # fmt: skip
    if request.param == "damaged":
        data = bytearray(path.read_bytes())
        for at in (len(data) // 3, len(data) // 3 + 9000, len(data) // 2):
            data[at : at + 300] = b"\0" * 300
        path.write_bytes(data)
    return probe(path)


@pytest.mark.parametrize("shortest", [8, 17, 50])
def test_runs_are_joined_to_the_table_of_one_process_to_the_bit(programme, shortest, monkeypatch):
    monkeypatch.setattr(runs, "SHORTEST", shortest)
    begun = [replace(start_survey(programme, RULES), exact=(Shot(60, 120),)) for _ in range(2)]
    whole = run_survey(begun[0], Monitor())
    parted = runs_of(programme, 99)
    assert len(parted) > 1 and parted[0][0] == 0 and parted[-1][1] == programme.frame_count
    assert all(one[1] == other[0] for one, other in itertools.pairwise(parted))
    joined = run_survey_in_runs(begun[1], Hands(Backwards(), 99), Monitor())
    assert joined.table.rows.tobytes() == whole.table.rows.tobytes() and joined.table.formats == whole.table.formats
    assert joined.read == whole.read and joined.riding == whole.riding and joined.complete
    assert joined.findings() == whole.findings() and joined.shots() == whole.shots()


def test_processes_share_one_file_and_its_check_is_that_of_one(tmp_path, monkeypatch):
    film = make_clip(tmp_path / "film.mkv", moving, 450, codec="ffv1")
    workers = Workers(2)
    hands = Hands(workers, 2)
    checked = check(start_survey(probe(film), RULES), Monitor(), lambda survey, m: run_survey_in_runs(survey, hands, m))
    workers.shutdown()
    alone = check(start_survey(probe(film), RULES), Monitor())
    assert checked.sha256 == alone.sha256 and checked.findings == alone.findings and checked.survey.read == alone.survey.read
    assert checked.survey.table.rows.tobytes() == alone.survey.table.rows.tobytes()


def test_a_file_that_changes_under_way_is_refused(tmp_path):
    film = make_clip(tmp_path / "film.mkv", moving, 20, codec="ffv1")
    programme = probe(film)
    survey = start_survey(programme, RULES)
    film.write_bytes(film.read_bytes() + b"more")
    with pytest.raises(MediaError, match="is not what was opened any more"):
        measure_run(RunAsked(programme, RULES, survey.region, 0, 20))


@pytest.mark.parametrize("blind", [2, 3])
def test_a_run_goes_to_another_machine_where_one_does_not_see_the_file(blind, tmp_path, monkeypatch):
    monkeypatch.setattr(runs, "SHORTEST", 8)
    programme = probe(make_clip(tmp_path / "film.mkv", moving, 40, codec="ffv1"))
    elsewhere = replace(programme, identity=replace(programme.identity, stats=((0, 0, 0),)))

    class Blind(Backwards):
        given = 0

        def submit(self, function, /, asked):
            self.given += asked.first == 0
            sees = asked.first or self.given > blind
            try:
                return super().submit(function, asked if sees else replace(asked, programme=elsewhere))
            except ElsewhereError as error:
                future = Future()
                future.set_exception(error)
                return future

    survey = start_survey(programme, RULES)
    if blind == runs.TRIES:
        with pytest.raises(ElsewhereError, match="is not what was opened any more on"):
            run_survey_in_runs(survey, Hands(Blind(), 99), Monitor())
        return
    joined = run_survey_in_runs(survey, Hands(Blind(), 99), Monitor())
    assert joined.table.rows.tobytes() == run_survey(start_survey(programme, RULES), Monitor()).table.rows.tobytes()
