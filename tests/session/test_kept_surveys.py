"""What was measured before is there at once, and only where it is the same that would be measured."""

import os
import shutil
from dataclasses import replace

import numpy as np
import pytest

from bluffline.media import index
from bluffline.rules.rulefile import load_rules, parse_rules
from bluffline.session import kept_surveys
from bluffline.session.fingerprint import fingerprint, stamped
from bluffline.session.kept_surveys import SurveyStore
from bluffline.session.store import DocumentStore
from bluffline.session.taking_in import take_in
from bluffline.signal.format import Overrides
from bluffline.signal.levels import Range
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import run_survey, start_survey

RULES = load_rules("r103")
LOOSE = parse_rules('title = "Loose"\n[limits]\nluma = [-1, 103]\nrgb = [-5, 105]\n[tolerance]\narea = 90\n', "loose")
LOGO = '[[area]]\nname = "logo"\nbox = [0, 0, 50, 50]\nuse = "leave out"\n'
AREA = parse_rules('title = "Logo"\n[limits]\nluma = [-1, 103]\nrgb = [-5, 105]\n' + LOGO, "area")


@pytest.fixture
def store(tmp_path):
    return SurveyStore(tmp_path / "surveys")


@pytest.fixture
def programme(over_clip, tmp_path):
    return shutil.copy2(over_clip, tmp_path / "programme.mkv")


def mark_of(path):
    return stamped(fingerprint([path]), [path])


def begun(path, store, rules=RULES):
    opened = take_in(path, rules, DocumentStore(path.parent / "work.sqlite"), store)
    opened.hold.release()
    return opened


def kept(path, store, rules=RULES):
    opened = begun(path, store, rules)
    store.keep(run_survey(opened.survey, Monitor()), opened.mark)
    return opened.survey


def test_a_programme_that_was_surveyed_is_there_without_being_decoded_wherever_it_lies(programme, store, monkeypatch):
    before = kept(programme, store)
    moved = programme.rename(programme.with_name("aired.mkv"))
    for module, name in ((index, "frame_index"), (kept_surveys, "frame_index"), (kept_surveys, "find_region")):
        monkeypatch.setattr(module, name, None)
    opened = begun(moved, store)
    assert store.fill(opened.survey, opened.mark) and opened.survey.complete
    assert np.array_equal(opened.survey.table.rows, before.table.rows)
    assert opened.survey.findings() == before.findings() and opened.survey.read == before.read != []
    assert opened.survey.region == before.region and opened.programme.tracks == before.programme.tracks
    assert np.array_equal(opened.programme.index.times, before.programme.index.times)


def test_other_rules_are_judged_from_it_where_they_measure_the_same(programme, store):
    kept(programme, store)
    opened = begun(programme, store, LOOSE)
    assert store.fill(opened.survey, opened.mark)
    fresh = run_survey(start_survey(opened.programme, LOOSE), Monitor())
    assert opened.survey.findings() == fresh.findings() != kept(programme, store).findings()
    assert not store.fill(begun(programme, store, AREA).survey, opened.mark), "an area that is left out was measured"


def test_they_are_kept_in_the_users_cache(tmp_path):
    assert SurveyStore().folder == tmp_path / "cache" / "bluffline" / "surveys" and SurveyStore(tmp_path).folder == tmp_path


def test_sound_that_was_heard_comes_back_and_what_was_not_is_heard_anew(programme, store):
    heard = parse_rules('title = "S"\n[limits]\nluma = [-1, 103]\nrgb = [-5, 105]\n[sound]\nprogrammes = [[1]]\n', "s")
    silent = kept(programme, store)
    assert silent.complete and not silent.heard
    opened = begun(programme, store, heard)
    assert not store.fill(opened.survey, opened.mark), "nobody has listened to it"
    whole = kept(programme, store, heard)
    again = begun(programme, store, heard)
    assert store.fill(again.survey, again.mark) and again.survey.complete and any(again.survey.heard)
    assert all(one.same(other) for one, other in zip(again.survey.sounds, whole.sounds, strict=True)) and whole.sounds
    assert again.survey.findings() == whole.findings()


def test_what_would_measure_otherwise_is_measured_anew(programme, store, monkeypatch):
    survey = kept(programme, store)
    mark = mark_of(programme)
    empty = start_survey(survey.programme, RULES)
    for other in (
        start_survey(survey.programme.read_as(Overrides(range=Range.FULL)), RULES),
        replace(empty, region=replace(survey.region, height=64)),
        replace(empty, rules=replace(RULES, limits=replace(RULES.limits, luma=(0.0, 100.0)))),
        replace(empty, rules=replace(RULES, low_pass=True)),
        replace(empty, rules=replace(RULES, gamut="bt709")),
    ):
        assert not store.fill(other, mark) and len(other.table) == 0
    with monkeypatch.context() as patch:
        patch.setattr(kept_surveys, "_program", lambda: "another version of it")
        assert not store.fill(empty, mark)
    assert store.fill(empty, mark)
    facts = programme.stat()
    data = bytearray(programme.read_bytes())
    data[len(data) // 2] ^= 1
    programme.write_bytes(data)
    assert mark_of(programme) != mark
    os.utime(programme, ns=(facts.st_atime_ns, facts.st_mtime_ns))
    assert mark_of(programme) != mark


@pytest.mark.parametrize("damage", ["cut", "empty", "another kind", "no zip", "fewer frames"])
def test_a_damaged_one_goes_and_is_measured_anew(programme, store, damage):
    kept(programme, store)
    (path,) = store.folder.glob("*.survey")
    whole = path.read_bytes()
    if damage in ("another kind", "fewer frames"):
        with np.load(path) as archive:
            columns = dict(archive)
        columns["y_max"] = columns["y_max"].astype(np.float64) if damage == "another kind" else columns["y_max"][:-1]
        with path.open("wb") as file:
            np.savez(file, **columns)
    else:
        path.write_bytes({"cut": whole[: len(whole) // 2], "empty": b"", "no zip": b"picture" * 99}[damage])
    opened = begun(programme, store)
    assert not store.fill(opened.survey, opened.mark) and not path.exists()
    assert not opened.survey.table.rows.size and not opened.survey.read


def test_the_least_recently_used_go_where_there_is_no_room(programme, store, tmp_path):
    first = kept(programme, store)
    size = sum(path.stat().st_size for path in store.folder.iterdir())
    small = SurveyStore(store.folder, 2 * size)
    for path in store.folder.iterdir():
        os.utime(path, (1, 1))
    mark = mark_of(programme)
    small.keep(replace(first, region=replace(first.region, height=64)), mark)
    small.keep(replace(first, region=replace(first.region, height=32)), mark)
    assert sum(path.stat().st_size for path in store.folder.iterdir()) <= 2 * size
    assert not small.fill(start_survey(first.programme, RULES), mark), "that which was used last longest ago went"
    assert small.fill(replace(start_survey(first.programme, RULES), region=replace(first.region, height=32)), mark)


def test_where_nothing_can_be_kept_nothing_breaks(programme):
    store = SurveyStore(programme / "under-a-file")
    survey = kept(programme, store)
    assert survey.complete and not store.fill(start_survey(survey.programme, RULES), "mark")


def test_an_unfinished_survey_and_one_whose_file_has_changed_are_not_kept(programme, store):
    opened = begun(programme, store)
    store.keep(opened.survey, opened.mark)
    survey = run_survey(opened.survey, Monitor())
    os.utime(programme)
    store.keep(survey, opened.mark)
    assert not list(store.folder.glob("*.survey"))


def test_what_was_kept_of_formats_that_it_does_not_name_is_measured_anew(programme, store):
    survey = kept(programme, store)
    mark, (path,) = mark_of(programme), list(store.folder.glob("*.survey"))
    with np.load(path) as whole:
        columns = dict(whole)
    columns["format"][3] = 7
    path.write_bytes(kept_surveys._packed(columns))
    again = start_survey(survey.programme, RULES, region=survey.region)
    assert not store.fill(again, mark) and len(again.table) == 0 and not path.exists()


def test_work_on_an_earlier_delivery_is_looked_for_only_where_there_is_none_on_this_one(programme, store, monkeypatch):
    asked = []
    monkeypatch.setattr(DocumentStore, "delivered_before", lambda _, known: asked.append(known))
    begun(programme, store)
    assert len(asked) == 1
    monkeypatch.setattr(DocumentStore, "recall", lambda *_: (object(), []))
    begun(programme, store)
    assert len(asked) == 1
