from dataclasses import replace

import numpy as np
import pytest

from bluffline.errors import MediaError
from bluffline.gauges.catalogue import gauge_named
from bluffline.measure.areas import Area, Shape, Taken
from bluffline.measure.counted import Limits
from bluffline.measure.outside import GAMUT, LUMA_HIGH, LUMA_LOW, RGB_HIGH, RGB_LOW, mark_outside
from bluffline.measure.region import Region
from bluffline.media.codecs import CODECS
from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from bluffline.prove.prove import propose_all
from bluffline.rules.rulefile import load_rules, parse_rules
from bluffline.signal.format import Model, Overrides
from bluffline.signal.levels import Range
from bluffline.signal.matrix import Matrix
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import run_survey, start_survey
from bluffline.treat.catalogue import KINDS
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.level_remap import LevelRemap, RemapMode
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.soft_floor import SoftFloor
from bluffline.view import preview_kernels, zones
from bluffline.view.overview import overview
from bluffline.view.preview import GaugeView, PinnedFrame, View, make_preview
from clips import make_clip, signal, to_planes

LIMITS = Limits((-1.0, 103.0), (-5.0, 105.0))


def test_a_bad_file_leaves_what_was_open(session, tmp_path):
    programme, findings = session.programme, session.findings
    with pytest.raises(MediaError):
        session.open(tmp_path / "missing.mov")
    assert session.programme is programme and session.findings is findings


def test_moving_by_finding_shot_and_frame(session):
    told = []
    session.place.changed.connect(lambda: told.append(session.place.frame))
    session.place.go_to(-5)
    session.place.go_to(999)
    assert told == [0, 23]
    session.place.go_to(0)
    session.place.next_finding(1)
    assert session.place.selected is session.findings[0] and session.place.shot == 1
    session.place.go_to(0)
    assert session.place.selected is None, "a finding is left by leaving its frames"
    session.place.next_finding(-1)
    assert session.place.selected is None, "there is no finding before the first frame"
    session.place.go_to(23)
    session.place.next_finding(-1)
    assert session.place.selected is session.findings[-1]
    session.place.go_to(15)
    session.place.next_shot(-1)
    assert session.place.frame == 12
    session.place.next_shot(-1)
    assert session.place.frame == 0
    session.place.next_shot(1)
    session.place.next_shot(1)
    assert session.place.frame == 12, "there is no shot after the last"


@pytest.mark.parametrize("kind", [kind for kind in KINDS.values() if kind.by_hand])
def test_new_steps_take_their_figures_from_the_shot_and_the_rules(session, kind):
    session.place.go_to(14)
    session.document.add_step(kind)
    (step,) = session.document.treatment
    if isinstance(step, SoftCeiling):
        assert step.limit == 103 and step.peak == pytest.approx(session.source_columns()["y_p999"][12:].max())
    elif isinstance(step, SoftFloor):
        assert step.limit == -1 and step.knee > step.limit
    elif isinstance(step, ChromaRein):
        assert (step.low, step.high) == (-5, 105)
    elif isinstance(step, LevelRemap):
        assert step.mode is RemapMode.FULL_TO_NARROW
        extremes = step.chosen("mode", RemapMode.EXTREMES_TO_LIMITS, session.document.measured())
        assert (extremes.low_out, extremes.high_out) == (-1, 103)


def test_accepted_proposals_are_undone_one_by_one(session):
    proposals = propose_all(session.survey, session.shots, session.findings)
    session.document.set_treatment(0, (ChromaRein(-5, 105),), "by hand")
    session.document.accept(proposals)
    assert set(session.document.treatments) == {0, 1} and session.document.undoes == "Legalise shot 2"
    session.document.undo()
    assert set(session.document.treatments) == {0} and session.document.redoes == "Legalise shot 2"
    session.document.redo()
    assert session.document.treatments[1] == proposals[0].treatment


def test_the_operators_word_begins_another_survey(session):
    told = []
    session.survey_changed.connect(lambda: told.append(len(session.survey.table)))
    session.survey_again(overrides=Overrides(range=Range.FULL), region=Region(0, 0, 128, 64), rules=load_rules("strict"))
    assert told == [0] and session.source.range is Range.FULL and session.survey.region.width == 128
    run_survey(session.survey, Monitor())
    session.refresh()
    assert session.surveyed and session.rules.name == "strict"


def view(source, steps=(), **kwargs):
    return View(
        source,
        Region.whole(source),
        LIMITS,
        FrameTreatment(steps, source),
        (32, 24),
        (GaugeView(gauge_named("waveform"), (16, 40)),),
        **kwargs,
    )


def bytes_of(picture):
    """(H, W, 4): blue, green, red, 255."""
    return picture.image.view(np.uint8).reshape(*picture.image.shape, 4)


@pytest.mark.parametrize("sampling", ["420", "422", "444"])
@pytest.mark.parametrize("model", list(Model))
def test_the_screen_picture_has_the_colours_of_the_signal(sampling, model):
    source = signal(sampling="444" if model is Model.RGB else sampling, model=model)
    colour = np.array([0.75, 0.4, 0.2])
    preview = make_preview(3, to_planes(np.broadcast_to(colour, (48, 64, 3)), source), view(source))
    assert preview.frame == 3 and preview.treated is None
    assert np.abs(bytes_of(preview.original)[..., 2::-1].astype(int) - np.rint(colour * 255)).max() <= 1
    assert not preview.original.marks.any()


def test_what_is_outside_is_marked_and_hatched_both_ways():
    source = signal()
    rgb = np.full((48, 64, 3), 0.5)
    rgb[:, :16], rgb[:, 48:] = 1.08, -0.06
    planes = to_planes(rgb, source)
    hatched, plain = (make_preview(0, planes, view(source, hatching=on)).original for on in (True, False))
    assert (hatched.marks[:, 1:7] == LUMA_HIGH | RGB_HIGH).all() and (hatched.marks[:, 26:] == LUMA_LOW | RGB_LOW).all()
    assert not hatched.marks[:, 10:22].any() and not plain.marks.any()
    assert np.array_equal(hatched.image[:, 10:22], plain.image[:, 10:22])
    assert (hatched.image[:, 1:7] != plain.image[:, 1:7]).any() and (hatched.image[:, 26:] != plain.image[:, 26:]).any()


@pytest.mark.parametrize("high", [True, False])
def test_a_frame_that_breaks_no_limit_but_one_of_rgb_is_hatched(high):
    source = signal(sampling="444")
    rgb = np.full((48, 64, 3), 0.5)
    rgb[:, 16:48] = (1.09, 0.4, 0.4) if high else (0.6, 0.6, -0.09)
    preview = make_preview(0, to_planes(rgb, source), view(source))
    assert preview.measure.luma_high_area == preview.measure.luma_low_area == 0
    assert (preview.original.marks[:, 9:23] == (RGB_HIGH if high else RGB_LOW)).all()


OTHER_LIMITS = Limits((-1.0, 60.0), (-5.0, 105.0))


@pytest.mark.parametrize(
    "changed",
    [
        {}, {"window": Region(8, 8, 32, 24)}, {"zones": True}, {"line_field": 1}, {"hatching": False},
        {"limits": OTHER_LIMITS}, {"picture_size": (16, 12)}, {"source": signal(matrix=Matrix.BT601)},
        {"rules": load_rules("strict")},
    ],
    ids=str,
)  # fmt: skip
def test_a_picture_that_was_made_before_serves_only_where_it_would_be_made_alike(changed):
    source = signal()
    rgb = np.random.default_rng(8).uniform(0.0, 1.1, (48, 64, 3))
    planes, first = to_planes(rgb, source), view(source)
    before = make_preview(0, planes, first)
    second = replace(first, **changed)
    again, fresh = make_preview(0, planes, second, (first, before)), make_preview(0, planes, second)
    assert np.array_equal(again.original.image, fresh.original.image)
    assert np.array_equal(again.original.marks, fresh.original.marks)
    assert (again.original is before.original) is not bool(changed)
    assert make_preview(1, planes, first, (first, before)).original is not before.original


def test_gauges_read_the_treated_frame_or_the_source_while_it_is_held():
    source = signal()
    planes = to_planes(np.broadcast_to(np.linspace(0, 1.08, 64)[None, :, None], (48, 64, 3)), source)
    steps = (SoftCeiling(90, 108, 60),)
    treated, held = (make_preview(0, planes, view(source, steps, gauges_show_source=on)) for on in (False, True))
    assert source.levels.percent(treated.measure.y_max) == pytest.approx(90, abs=0.1)
    assert source.levels.percent(held.measure.y_max) == pytest.approx(108, abs=0.1)
    assert treated.gauges[0][0].counts.sum() == held.gauges[0][0].counts.sum() == 48 * 64
    assert treated.original.marks.any() and not treated.treated.marks.any()


def test_a_preview_of_nothing_says_so():
    assert not make_preview(7, None, view(signal())).readable


def test_halves_worked_on_at_once_make_the_whole_treated_frame(over_clip, session):
    steps = (SoftCeiling(80, 110, 60), ChromaRein(0, 90))
    with Reader(session.programme) as reader:
        planes = reader.frame(15).planes
        whole = FrameTreatment(steps, session.source).apply(planes)
        preview = make_preview(15, planes, view(session.source, steps))
    luma = whole[0][:128, :256]
    assert preview.measure.y_max == luma.max() and preview.measure.y_mean == pytest.approx(luma.mean())


def test_a_window_shows_its_pixels_one_to_one():
    source = signal()
    planes = to_planes(np.random.default_rng(4).uniform(0.1, 0.9, (48, 64, 1)).repeat(3, 2), source)
    zoomed = replace(view(source), window=Region(10, 6, 8, 6))
    shown = bytes_of(make_preview(0, planes, zoomed).original)[..., 1]
    grey = np.rint((planes[0][6:12, 10:18].astype(float) - 64) / 876 * 255)
    assert np.abs(shown.reshape(6, 4, 8, 4).astype(int) - grey[:, None, :, None]).max() <= 1, "each pixel is a 4 by 4 block"


def test_marks_are_the_pixels_that_the_survey_counts(over_clip, session):
    """One pixel outside is seen on a picture a quarter of its size, and all together are the survey's area."""
    with Reader(session.programme) as reader:
        planes = reader.frame(20).planes
    marks = mark_outside(planes, session.source, LIMITS)
    row = session.survey.table.rows[20]
    for bit, name in ((LUMA_HIGH, "luma_high"), (LUMA_LOW, "luma_low"), (RGB_HIGH, "rgb_high"), (RGB_LOW, "rgb_low")):
        assert 100 * float((marks & bit > 0).mean()) == pytest.approx(float(row[f"{name}_area"]), abs=1e-4)
    source = signal()
    rgb = np.full((48, 64, 3), 0.5)
    rgb[21, 33] = 1.08
    small = make_preview(0, to_planes(rgb, source), replace(view(source), picture_size=(16, 12))).original
    assert small.marks[5, 8] & LUMA_HIGH and np.count_nonzero(small.marks) <= 2  # its chroma site is its neighbour's too


def test_shrink_compiled_and_plain_are_the_mean_of_what_is_covered():
    plane = np.random.default_rng(0).integers(0, 1024, (12, 20)).astype(np.uint16)
    expected = plane[:, :16].reshape(4, 3, 8, 2).mean(axis=(1, 3)) * 0.5 - 1.0
    columns, rows = (np.stack([np.arange(n), np.arange(n) + 1]).astype(np.uint32) * step for n, step in ((8, 2), (4, 3)))
    for kernel in (preview_kernels.shrink, preview_kernels.shrink.py_func):
        assert np.allclose(kernel(plane, columns, rows, np.float32(0.5), np.float32(2.0)), expected, atol=1e-3)


def test_areas_of_the_rules_are_hatched_by_their_own(tmp_path):
    text = '[limits]\nluma = [-1, 103]\nrgb = [-5, 105]\ngamut = "bt709"\n'
    text += '[[area]]\nbox = [0, 0, 50, 50]\nuse = "leave out"\n[[area]]\nbox = [50, 50, 50, 50]\nluma = [0, 90]\n'
    source = replace(signal(sampling="444"), primaries="bt2020")
    rgb = np.full((48, 64, 3), 0.95)
    rgb[:24] = 1.2
    rgb[24:, :32] = (0.05, 0.7, 0.05)
    rules = parse_rules(text, "house")
    marks = make_preview(0, to_planes(rgb, source), replace(view(source), rules=rules, picture_size=(64, 48))).original.marks
    assert not marks[:24, :32].any(), "left out"
    assert (marks[:24, 32:] & LUMA_HIGH).all() and (marks[24:, 32:] == LUMA_HIGH).all(), "its own limit is lower"
    assert (marks[24:, :32] == GAMUT).all()


def test_the_zone_map_paints_each_zone_as_its_key_shows_it():
    source = signal(256, 48, depth=12, sampling="444")
    planes = to_planes(np.linspace(-0.05, 1.08, 256)[None, :, None].repeat(48, 0).repeat(3, 2), source)
    image = make_preview(0, planes, replace(view(source), zones=True, hatching=False, picture_size=(256, 48))).original.image
    for zone, above in zip(zones.ZONES[1:], [*zones.ZONES[2:], None], strict=True):
        top = 107 if above is None else above.low
        columns = [round((level / 100 + 0.05) / 1.13 * 255) for level in np.linspace(zone.low + 0.8, top - 0.8, 5)]
        inks = {zone.ground | 0xFF000000, zone.strokes | 0xFF000000}
        assert set(np.unique(image[:, columns]).tolist()) <= inks | {0xFF000000}, zone
        assert set(np.unique(zones.swatch(zone, 20, 20)).tolist()) <= inks | {0xFF000000}


def test_a_single_field_shows_only_its_own_lines():
    source = replace(signal(sampling="420"), interlaced=True)
    rgb = np.full((48, 64, 3), 0.2)
    rgb[1::2] = 0.8
    planes = to_planes(rgb, source)
    for field, level in ((0, 0.2), (1, 0.8)):
        shown = make_preview(0, planes, replace(view(source), line_field=field, picture_size=(64, 48))).original
        assert np.abs(bytes_of(shown)[..., 1].astype(float) - 255 * level).max() <= 2


def test_a_pinned_frame_is_shown_outlined_and_its_difference_told():
    source = signal()
    one, other = (to_planes(np.full((48, 64, 3), level), source) for level in (0.5, 0.6))
    area = Area("card", Shape.RECTANGLE, ((4, 4), (20, 20)))
    compared = replace(view(source), pinned=PinnedFrame("then", other, source), areas=(area,), taken=Taken.AREAS)
    preview = make_preview(0, one, compared)
    assert bytes_of(preview.pinned)[5, 5, 1] == pytest.approx(153, abs=1) and preview.gauges[0][0].counts.sum() == 256
    card, whole = preview.readings
    assert (card.name, whole.name) == ("card", "whole picture") and card.now.pixels == 256
    change = source.levels.percent(card.now.luma) - source.levels.percent(card.other.luma)
    assert change == pytest.approx(-10, abs=0.1)


def test_a_line_or_column_is_isolated_for_the_waveform():
    source = signal()
    planes = to_planes(np.random.default_rng(0).uniform(0, 1, (48, 64, 3)), source)
    for isolated, count in (((5, None), 48), ((None, 7), 64), ((None, None), 48 * 64)):
        preview = make_preview(0, planes, replace(view(source), isolated=isolated))
        assert preview.gauges[0][0].counts.sum() == count


def test_every_shot_has_its_card(session):
    session.document.accept(propose_all(session.survey, session.shots, session.findings))
    told = []
    cards = overview(session.survey, session.shots, session.findings, session.document.treatments, told.append)
    assert [card.number for card in cards] == [0, 1] and told == [1, 2]
    assert cards[0].worst is None and len(cards[0].pictures) == 1
    assert cards[1].worst.rule == "luma-high" and len(cards[1].pictures) == len(cards[1].waves) == 2
    assert (cards[1].pictures[0] != cards[1].pictures[1]).any()
    assert cards[0].skin is cards[1].skin is None, "nobody named a face"
    grey = [Area("face", Shape.RECTANGLE, ((0, 40), (60, 90)))]
    again = overview(session.survey, session.shots, session.findings, {}, told.append, lambda _: grey)
    assert again[0].skin is None, "what is grey is no skin, whatever it is called"


def test_skin_is_what_is_named_a_face_and_can_be_one(tmp_path):
    def picture(_):
        rgb = np.full((96, 160, 3), (0.6, 0.3, 0.2))  # bricks
        rgb[20:60, 40:80] = (0.66, 0.47, 0.38)
        return rgb

    survey = start_survey(probe(make_clip(tmp_path / "face.mkv", picture, 4)), load_rules("r103"))
    run_survey(survey, Monitor())
    face = Area(" Face", Shape.RECTANGLE, ((44, 24), (76, 56)))
    shots = survey.shots()
    (bare,) = overview(survey, shots, [], {}, lambda _: None)
    (named,) = overview(survey, shots, [], {}, lambda _: None, lambda _: [face])
    assert bare.skin is None and named.skin == pytest.approx(50.5, abs=0.7)


def test_areas_are_drawn_moved_named_removed_and_undone(session):
    session.document.drawn.add(Shape.RECTANGLE, ((0, 0), (10, 10)))
    session.document.drawn.add(Shape.ELLIPSE, ((20, 20), (40, 30)))
    assert [area.name for area in session.document.areas] == ["area 1", "area 2"]
    session.place.go_to(15)
    session.document.drawn.move(0, 3, 4, only_here=True, gesture="drag")
    session.document.drawn.move(0, 1, 1, only_here=True, gesture="drag")
    assert session.document.areas[0].points[0] == (4, 5)
    session.place.go_to(0)
    assert session.document.areas[0].points[0] == (0, 0), "moved in the other shot only"
    session.document.drawn.rename(0, "logo")
    session.document.drawn.remove(1)
    assert [area.name for area in session.document.areas] == ["logo"] and session.document.undoes == "Remove area 2"
    for _ in range(3):
        session.document.undo()
    session.place.go_to(15)
    assert session.document.areas[0].points[0] == (0, 0), "one drag is one undo"


def test_the_sources_picture_serves_again_when_only_the_treatment_changed():
    source = signal()
    planes = to_planes(np.full((48, 64, 3), 0.9), source)
    first = view(source, (SoftCeiling(90, 100, 60),))
    made = make_preview(4, planes, first)
    second = view(source, (SoftCeiling(70, 100, 50),))
    again = make_preview(4, planes, second, (first, made))
    assert again.original is made.original and (again.treated.image != made.treated.image).any()
    for other, frame in ((replace(second, hatching=False), 4), (replace(second, picture_size=(20, 10)), 4), (second, 5)):
        assert make_preview(frame, planes, other, (first, made)).original is not made.original


def test_what_is_around_the_frame_is_the_same_until_more_is_known(session):
    """Frames made ahead while the programme plays are thrown away for another view."""
    before = session.around(treated=True)
    session.place.go_to(9)
    assert session.around(treated=True) is before and len(before.at(9, 0.2).levels["y_mean"]) == 5
    session.place.go_to(18)
    session.document.add(SoftCeiling(60.0, 109.0, 50.0), "Add")
    after = session.around(treated=True)
    assert after is not before and "y_mean" not in after.at(9, 0.2).levels, "of what is treated no mean is known"
    assert session.around(treated=False).at(18, 1).levels["y_max"].max() > after.at(18, 1).levels["y_max"].max()


def test_what_is_tried_is_what_is_written_where_the_codec_is_known_or_changes_nothing(session):
    assert not session.as_written, "nobody has said in what"
    session.codec = CODECS["ffv1"]
    assert session.as_written and session.coding is None
    session.codec = CODECS["prores"]
    assert session.as_written and session.coding is not None
