"""The chart in hand, carrying steps on, stock treatments, baking in the session."""

import numpy as np
import pytest

from bluffline.charts.fit import Aim, Wishes
from bluffline.charts.frame import ChartFrame
from bluffline.demo import demo_clip
from bluffline.errors import CancelledError, ChartError, SettingsError, WriteError
from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from bluffline.prove.prove import propose_all
from bluffline.rules.shots import Shot
from bluffline.session.chart import ChartModel, ChartRequest, ChartSetup, read_and_fit, same_light
from bluffline.session.stock import StockShelf
from bluffline.survey.monitor import Monitor
from bluffline.treat.bake import baked, worst_off
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.hue_nudge import HueNudge
from bluffline.treat.kinds.lut import Lut
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.straighten import Straighten
from clips import signal, to_planes

CHART_SHOT = (60, 129)
BENT = ((0.05, 0.02), (0.4, 0.46), (0.9, 0.93))


@pytest.fixture(scope="module")
def result():
    programme = probe(demo_clip())
    return read_and_fit(ChartRequest(programme, programme.format, 75, CHART_SHOT, ChartSetup()), Monitor())


def test_reading_tells_its_stages_and_can_be_stopped(result):
    told = []
    read_and_fit(result.request, Monitor(lambda progress: told.append((progress.stage, progress.done))))
    assert [stage for stage, _ in told][:3] == ["Chart: finding the chart", "Chart: sampling", "Chart: neutral"]
    assert [done for _, done in told] == sorted(done for _, done in told)
    stopped = Monitor()
    stopped.cancel()
    with pytest.raises(CancelledError):
        read_and_fit(result.request, stopped)


def test_the_model_drops_what_no_longer_holds(result):
    model, told = ChartModel(), []
    model.changed.connect(lambda: told.append(model.setup))
    model.take(result)
    assert model.result is result and model.chart_frame is result.chart_frame
    model.wish(aim=Aim.MATRIX)
    assert model.result is result, "the chart is where it was"
    model.take(result)
    model.change(reference="grey-11")
    assert model.result is None and model.chart_frame is None
    model.take(result)
    assert model.result is None, "a stale result is dropped"
    model.change(reference="glaze-24", wishes=Wishes())
    model.take(result)
    model.place(result.chart_frame.moved(5, 0))
    assert model.result is None and model.chart_frame.confidence is None
    model.place_in_middle(1280, 720)
    (x0, y0), _, (x2, y2), _ = model.chart_frame.corners
    assert (x0 + x2, y0 + y2) == pytest.approx((1280, 720)) and (x2 - x0) / (y2 - y0) == pytest.approx(1.5)
    model.place_in_middle(600, 4000)
    (x0, _), (x1, _), *_ = model.chart_frame.corners
    assert x1 - x0 == pytest.approx(0.6 * 600), "as wide as a narrow picture allows"
    assert len(told) == 8


def test_patches_come_to_what_they_ought_to_be_through_the_fit(result):
    off = [np.abs(result.through(steps) - result.wanted).mean() for steps in ((), result.fit.steps)]
    assert off[0] > 0.05 and off[1] < 0.012, "what is left is the light that falls off over the chart"


def test_a_chart_placed_beyond_the_picture_is_refused(result):
    placed = ChartFrame.of([1100, 100, 1400, 100, 1400, 400, 1100, 400])
    request = ChartRequest(result.request.programme, result.request.source, 75, CHART_SHOT, ChartSetup(), placed)
    with pytest.raises(ChartError, match="beyond the picture"):
        read_and_fit(request, Monitor())


def test_shots_under_the_same_light_are_proposed_and_no_others(result):
    with Reader(result.request.programme) as reader:
        warm = reader.frame(100).planes
    source = result.request.source
    rng = np.random.default_rng(2)
    neutral = to_planes(np.clip(rng.uniform(0.2, 0.8, (720, 1280, 1)).repeat(3, axis=2), 0, 1), source)
    green = to_planes(np.broadcast_to([0.2, 0.6, 0.3], (720, 1280, 3)), source)
    shots = [Shot(0, 59), Shot(*CHART_SHOT), Shot(130, 139), Shot(140, 149), Shot(150, 159)]
    pictures = {29: neutral, 134: tuple(plane.copy() for plane in warm), 144: green, 154: None}
    told = []
    assert same_light(result, shots, pictures.__getitem__, Monitor(lambda at: told.append((at.done, at.total)))) == [1, 2]
    assert told == [(number, 5) for number in range(1, 6)]
    for one in (Shot(75, 80), Shot(70, 75), Shot(75, 75)):
        assert same_light(result, [one], lambda _: None) == [0], "that of the chart itself, wherever it stands in it"


def test_a_fit_is_given_to_shots_as_one_act_and_their_own_steps_follow(session):
    session.document.set_treatment(1, (Balance((2.0, 1.0, 1.0)), SoftCeiling(100, 109, 90)), "own")
    steps = (Straighten(BENT), Balance((1.1, 1.0, 0.9)))
    session.document.calibrate([0, 1], steps, "Chart fit")
    assert session.document.treatments[0] == steps
    assert session.document.treatments[1] == (*steps, SoftCeiling(100, 109, 90))
    session.document.undo()
    assert 0 not in session.document.treatments and isinstance(session.document.treatments[1][0], Balance)


def test_pasting_takes_the_place_of_its_kind_and_is_one_undo(session):
    session.document.set_treatment(0, (Straighten(BENT), ChromaRein(-5, 105)), "own")
    nudge = HueNudge(120, 30, 5, 5, 80)
    session.document.paste([0, 1], (nudge, ChromaRein(0, 100)), "Paste steps")
    assert session.document.treatments[0] == (Straighten(BENT), nudge, ChromaRein(0, 100))
    assert session.document.treatments[1] == (nudge, ChromaRein(0, 100))
    session.document.undo()
    assert session.document.treatments[0] == (Straighten(BENT), ChromaRein(-5, 105)) and 1 not in session.document.treatments


def test_steps_are_moved_and_baked(session):
    with pytest.raises(SettingsError, match="nothing to bake"):
        baked(session.document.treatment, session.source)
    session.document.set_treatment(0, (Straighten(BENT), Balance((1.1, 1.0, 0.9)), ChromaRein(-5, 105)), "own")
    session.document.move_step(0, 1)
    assert [type(step) for step in session.document.treatment] == [Balance, Straighten, ChromaRein]
    after = baked(session.document.treatment, session.source)
    assert worst_off(session.document.treatment[:2], after[:1], session.source) < 0.5
    session.document.set_treatment(0, after, "Bake")
    assert [type(step) for step in session.document.treatment] == [Lut, ChromaRein]
    session.document.undo()
    assert len(session.document.treatment) == 3


def test_legalise_keeps_a_shots_calibration_and_answers_for_it(session):
    bright = Balance((1.9, 1.9, 1.9), light=False)
    session.document.calibrate([0], (bright,), "Chart fit")
    proposals = propose_all(session.survey, session.shots, [], None, session.document.treatments)
    assert proposals == [], "bright as it is, it is legal"
    session.document.calibrate([0], (Balance((3.5, 3.5, 3.5), light=False),), "Chart fit")
    (proposal,) = propose_all(session.survey, session.shots, [], None, session.document.treatments)
    assert proposal.treatment[0].calibrates and len(proposal.treatment) > 1
    assert proposal.reasons


def test_stock_treatments_stand_on_a_shelf(tmp_path):
    shelf = StockShelf(tmp_path / "stock")
    assert shelf.names() == []
    treatment = (Straighten(BENT), ChromaRein(-5, 105))
    shelf.keep("Warm lamps", treatment)
    shelf.keep("Moor", ())
    assert shelf.names() == ["Moor", "Warm lamps"] and shelf.take("Warm lamps").steps == treatment
    for name in ("", "../x", "a/b", ".hidden"):
        with pytest.raises(SettingsError, match="can't be called"):
            shelf.keep(name, treatment)
    with pytest.raises(SettingsError, match="can't be read"):
        shelf.take("nothing")


def test_a_shelf_that_can_not_be_used_is_told(tmp_path):
    (tmp_path / "file").write_text("")
    shelf = StockShelf(tmp_path / "file" / "stock")
    assert shelf.names() == []
    with pytest.raises(WriteError, match="can't be kept in"):
        shelf.keep("Moor", ())


def test_the_chart_needs_a_frame_that_can_be_decoded():
    programme = probe(demo_clip())
    assert signal().primaries == programme.format.primaries
    with pytest.raises(ChartError, match="No chart like this one"):
        read_and_fit(ChartRequest(programme, programme.format, 30, (0, 59), ChartSetup()), Monitor())
