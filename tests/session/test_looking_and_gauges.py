"""The models behind looking and gauges, without a window."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from bluffline.errors import SettingsError
from bluffline.gauges.graticule import Guide
from bluffline.gauges.scale import Unit
from bluffline.session.event import Event
from bluffline.session.gauges import LAYOUTS, GaugeModel, GaugeSetup
from bluffline.view.looking import Compare, Field, LookingModel
from gauging import GAUGES


def told(model):
    count = []
    model.changed.connect(lambda: count.append(1))
    return count


def test_listeners_come_and_go():
    event, heard = Event(), []

    def listener():
        heard.append(1)

    event.connect(listener)
    event.tell()
    event.disconnect(listener)
    event.tell()
    assert heard == [1]


@given(st.lists(st.sampled_from(GAUGES), min_size=8, max_size=8), st.sampled_from(LAYOUTS), st.sampled_from(list(Unit)))
def test_any_setup_comes_back_from_its_stored_form(slots, shown, unit):
    setup = GaugeSetup(slots=tuple(slots), shown=shown, unit=unit, guides=(Guide("white text", 90.0),), gamut="p3")
    assert GaugeSetup.restored(setup.stored()) == setup


@pytest.mark.parametrize(
    ("field", "value"),
    [
        ("shown", 3), ("shown", True), ("unit", "furlong"), ("gamut", "all"), ("slots", []), ("taken", "some"),
        ("slots", [["parade", "sideways"]] * 8), ("look", {"strength": math.nan, "log": False}), ("look", {"strength": 7}),
        ("luma", math.nan), ("luma", "50"), ("guides", [{"name": "base", "level": math.inf}]), ("guides", [{"name": "base"}]),
        ("probe_size", 2), ("beneath", "no"), ("thickness", 3),
    ],
)  # fmt: skip
def test_a_setup_that_makes_no_sense_is_refused(field, value):
    with pytest.raises(SettingsError, match="must be 8" if value == [] else field):
        GaugeSetup.restored(GaugeSetup().stored() | {field: value})


def test_every_change_is_told_once():
    model = GaugeModel()
    count = told(model)
    model.put(0, GAUGES[5])
    model.next_unit()
    model.next_layout()
    model.strengthen(5)
    model.shift_luma(-80)
    model.add_guide("black base", 3)
    model.move_guide(0, 3.44)
    model.set_guide(0, Guide("base", 4))
    assert len(count) == 8
    setup = model.setup
    assert (setup.slots[0], setup.unit, setup.shown) == (GAUGES[5], Unit.MILLIVOLT, 4)
    assert setup.look.strength == 1 and setup.luma == 0 and setup.guides == (Guide("base", 4),)


def test_looking_changes_by_turns_and_is_told():
    model = LookingModel()
    count = told(model)
    assert [model.next_of("compare") or model.state.compare for _ in Compare] == [Compare.SIDE, Compare.FLIP, Compare.WIPE]
    model.toggle("zones")
    model.next_of("field")
    assert model.state.zones and model.state.field is Field.FIRST and len(count) == 5


@given(
    st.integers(16, 4096), st.integers(16, 2160), st.integers(50, 2000), st.integers(50, 1200), st.floats(-50, 5000),
    st.floats(-50, 5000), st.sampled_from([1, 4]),
)  # fmt: skip
def test_a_zoomed_window_lies_in_the_picture_and_fills_the_room(width, height, wide, high, x, y, zoom):
    model = LookingModel()
    model.change(zoom=zoom, centre=(x, y))
    window = model.state.window(width, height, (wide, high))
    assert window.x >= 0 and window.x + window.width <= width and window.y >= 0 and window.y + window.height <= height
    assert window.width == max(min(-(-wide // zoom), width), 2) and window.height == max(min(-(-high // zoom), height), 2)


def test_zooming_stops_at_its_ends():
    model = LookingModel()
    for steps, zoom in ((-1, 0), (1, 1), (1, 4), (1, 4), (-5, 0)):
        model.zoom_by(steps, (10, 10))
        assert model.state.zoom == zoom
    assert model.state.window(100, 100, (50, 50)) is None
