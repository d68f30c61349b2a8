import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from bluffline.folders import UserFolder
from bluffline.gauges.catalogue import gauge_named
from bluffline.gauges.graticule import Guide
from bluffline.session.event import Event
from bluffline.session.gauges import GaugeModel, GaugeSetup
from bluffline.session.history import History
from bluffline.session.settings import Settings


def test_undo_and_redo_name_what_they_do():
    history = History(0)
    assert history.undoes is None and history.redoes is None
    history.push(1, "one")
    history.push(2, "two")
    history.undo()
    assert (history.state, history.undoes, history.redoes) == (1, "one", "two")
    history.push(3, "three")
    assert history.redoes is None, "a new act forgets what had been undone"
    history.undo()
    history.undo()
    history.undo()
    assert history.state == 0


def test_acts_of_one_gesture_are_one_entry():
    history = History(0)
    for value in (1, 2, 3):
        history.push(value, "drag", gesture="limit")
    history.push(4, "other", gesture="knee")
    history.undo()
    assert history.state == 3
    history.undo()
    assert history.state == 0


@given(st.lists(st.one_of(st.integers(0, 99), st.sampled_from(["undo", "redo"])), max_size=40))
def test_history_behaves_as_a_list_with_a_place(acts):
    history, states, place = History(-1), [-1], 0
    for act in acts:
        if act == "undo":
            history.undo()
            place = max(place - 1, 0)
        elif act == "redo":
            history.redo()
            place = min(place + 1, len(states) - 1)
        else:
            history.push(act, "act")
            states[place + 1 :] = [act]
            place += 1
        assert history.state == states[place]
        assert (history.undoes is None) == (place == 0)
        assert (history.redoes is None) == (place == len(states) - 1)


def test_an_event_calls_everybody_in_order():
    event, heard = Event(), []
    for name in "ab":
        event.connect(lambda name=name: heard.append(name))
    event.tell()
    assert heard == ["a", "b"]


def test_settings_come_back(tmp_path):
    settings = Settings.load(tmp_path / "deep" / "settings.json")
    for number in range(10):
        settings.opened(tmp_path / f"{number}.mov")
    settings.opened(tmp_path / "5.mov")
    settings.rules = "strict"
    settings.save()
    again = Settings.load(tmp_path / "deep" / "settings.json")
    assert again.rules == "strict" and len(again.recent) == 8
    assert [name.rsplit("/", 1)[1] for name in again.recent[:3]] == ["5.mov", "9.mov", "8.mov"]


@pytest.mark.parametrize(("place", "kept"), [(99_999, True), (100_000, False), (-100_000, False)])
def test_a_window_that_lies_beyond_any_screen_is_forgotten(tmp_path, place, kept):
    settings = Settings(tmp_path / "settings.json")
    settings.window = (place, 0, 1280, 800)
    settings.save()
    assert list(Settings.load(settings.path).window) == list(settings.window) * kept


@pytest.mark.parametrize(
    "text", ["", "[]", "{}", '{"version": 99, "recent": [], "rules": "r103"}', '{"version": 1, "recent": 3}']
)
def test_settings_that_can_not_be_read_count_as_none(tmp_path, text):
    (tmp_path / "settings.json").write_text(text)
    settings = Settings.load(tmp_path / "settings.json")
    assert settings.recent == [] and settings.rules == "r103"


def test_settings_live_in_the_users_configuration(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path))
    Settings.load().save()
    assert json.loads((tmp_path / "bluffline" / "settings.json").read_text())["version"] == 2
    monkeypatch.delenv("XDG_CONFIG_HOME")
    monkeypatch.setenv("HOME", "/home/somebody")
    assert str(UserFolder.SETTINGS.path) == "/home/somebody/.config/bluffline"
    monkeypatch.setenv("XDG_CONFIG_HOME", "beside/the/programme")
    assert str(UserFolder.SETTINGS.path) == "/home/somebody/.config/bluffline"


def test_settings_of_version_1_are_read_and_the_gauges_of_version_2_come_back(tmp_path):
    path = tmp_path / "settings.json"
    path.write_text('{"version": 1, "recent": ["/a.mov"], "rules": "strict"}')
    old = Settings.load(path)
    assert (old.recent, old.rules, old.gauges) == (["/a.mov"], "strict", GaugeSetup())
    model = GaugeModel(old.gauges)
    model.put(2, gauge_named("chromaticity", "1976"))
    model.add_guide("faces", 62.04)
    model.next_unit()
    model.change(shown=4, gamut="p3")
    old.gauges = model.setup
    old.save()
    assert Settings.load(path).gauges == model.setup and model.setup.guides == (Guide("faces", 62.0),)
    path.write_text(path.read_text().replace('"waveform"', '"theremin"'))
    left = Settings.load(path)
    assert left.gauges == GaugeSetup(), "a gauge that is not here costs the setup of gauges"
    assert (left.recent, left.rules) == (["/a.mov"], "strict"), "and nothing else"


def test_a_folder_that_can_not_be_written_to_costs_only_the_memory(tmp_path):
    (tmp_path / "file").write_text("in the way")
    Settings(tmp_path / "file" / "settings.json").save()
    assert (tmp_path / "file").read_text() == "in the way"
