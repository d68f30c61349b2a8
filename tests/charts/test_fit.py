"""The chart fit against cameras whose curve, cast and matrix are known."""

from dataclasses import replace

import numpy as np
import pytest

from bluffline.charts.covered import covered
from bluffline.charts.fit import Aim, Wishes, fit_chart, measure_chart
from bluffline.charts.frame import ChartFrame
from bluffline.charts.locate import find_chart
from bluffline.charts.reference import Reference, load_reference
from bluffline.charts.sample import Samples, sample_frame
from bluffline.demo import demo_clip
from bluffline.demo.line_up import WARM_CAST, camera_curve
from bluffline.demo.paint import encode_709
from bluffline.errors import ChartError
from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from bluffline.signal.colorimetry import camera_light, camera_signal, lab_to_xyz, rgb_to_xyz, xyz_to_lab
from bluffline.signal.difference import delta_e_2000
from bluffline.signal.matrix import Matrix
from bluffline.treat.bake import baked, fitted_cdl, lab_of, residual
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.matrix import ColourMatrix
from bluffline.treat.kinds.root_polynomial import RootPolynomial
from clips import signal, to_planes
from filmed import Filming, camera

GLAZE = load_reference("glaze-24")
SOURCE = signal()
MIXING = ((0.86, 0.10, 0.04), (0.05, 0.90, 0.05), (0.02, 0.12, 0.86))
RNG = np.random.default_rng(8)
COLOURS = RNG.uniform(0.03, 0.9, (400, 3))  # light inside the range of the chart's greys
IN_CHART_SHOT = 75
MIDDLE_LIGHT = 0.94  # that the demo has on the middle of its chart


def seen_by(filming, reference=GLAZE, clipped=()):
    """Samples without noise of a chart in even light."""
    count = len(reference.names)
    rows = np.divmod(np.arange(count), reference.layout.columns)
    place = (np.stack(rows[::-1], axis=1) + 0.5) / (reference.layout.columns, reference.layout.rows)
    light = camera_light(camera(reference.light("bt709"), filming), "bt709")
    marks = np.isin(np.arange(count), clipped).astype(float)
    return Samples(light, np.zeros(count), marks, np.zeros((count, 2)), place)


def off_after(fit, filming):
    """ΔE of colours that are not on the chart, before and after the fit."""
    filmed = camera(COLOURS, filming)
    truth = xyz_to_lab(COLOURS @ rgb_to_xyz("bt709").T)
    treated = filmed
    for step in fit.steps:
        treated = step.apply(treated, SOURCE)
    return delta_e_2000(lab_of(filmed, SOURCE), truth).mean(), delta_e_2000(lab_of(treated, SOURCE), truth).mean()


def test_the_demo_chart_is_brought_to_its_reference_and_baking_keeps_it():
    programme = probe(demo_clip())
    with Reader(programme) as reader:
        planes = reader.frame(IN_CHART_SHOT).planes
    frame = find_chart(planes, programme.format, GLAZE)
    samples = sample_frame(planes, programme.format, frame, GLAZE.layout)
    fit = fit_chart(samples, GLAZE, programme.format)
    assert fit.stages[0].mean > 10
    assert fit.result.mean < 1.5
    assert fit.result.left_out_mean < 2.5
    assert not fit.worse
    assert any("brighter at the left" in note for note in fit.notes)
    light = COLOURS * MIDDLE_LIGHT * WARM_CAST
    treated = camera_curve(encode_709(light.astype(np.float32))).astype(float)
    for step in fit.steps:
        treated = step.apply(treated, SOURCE)
    off = delta_e_2000(lab_of(treated, SOURCE), xyz_to_lab(COLOURS @ rgb_to_xyz("bt709").T))
    assert off.mean() < 1, "the demo's cast and curve are undone for colours off the chart too"
    patches = camera_signal(samples.light, "bt709")
    (lut,) = baked(fit.steps, programme.format, 33)
    assert residual(fit.steps, (lut,), programme.format, patches).max() < 0.5
    assert residual(fit.steps, (fitted_cdl(fit.steps, programme.format),), programme.format, patches).mean() < 3


def test_a_matrix_is_recovered_as_the_inverse_of_the_cameras():
    fit = fit_chart(seen_by(Filming(gains=(1.25, 1.0, 0.7), matrix=MIXING)), GLAZE, SOURCE, Wishes(Aim.MATRIX))
    matrix = next(step for step in fit.steps if isinstance(step, ColourMatrix))
    assert np.array(matrix.rows) == pytest.approx(np.linalg.inv(np.array(MIXING)), abs=0.02)
    assert fit.result.mean < 0.1


@pytest.mark.parametrize(
    ("filming", "bound"),
    [
        (Filming(gains=(1.3, 1.0, 0.65)), 0.25),
        (Filming(gains=(1.1, 0.9, 0.8), gamma=0.8), 1.0),
        (Filming(gamma=1.3, contrast=0.25), 1.0),
        (Filming(gains=(0.8, 1.0, 1.2), gamma=1.1, contrast=0.2, matrix=MIXING), 1.5),
    ],
)
def test_cast_curve_and_matrix_are_undone_for_colours_off_the_chart(filming, bound):
    before, after = off_after(fit_chart(seen_by(filming), GLAZE, SOURCE), filming)
    assert after < bound < before


@pytest.mark.parametrize("seed", range(30))
def test_whatever_the_camera_does_the_fit_helps_and_tells_what_it_worsens(seed):
    samples = seen_by(Filming.drawn(seed))
    fit = fit_chart(samples, GLAZE, SOURCE)
    assert fit.result.mean < max(0.35 * fit.stages[0].mean, 1.0)
    lost = fit.result.difference.total - fit.stages[0].difference.total
    assert set(fit.worse) == {name for n, name in enumerate(GLAZE.names) if lost[n] > 0.1}


def test_each_stage_does_its_own_part():
    filming = Filming(gains=(1.2, 1.0, 0.7), gamma=0.8, contrast=0.2, matrix=MIXING)
    fit = fit_chart(seen_by(filming), GLAZE, SOURCE, Wishes(Aim.MATRIX))
    stages = {stage.name: stage for stage in fit.stages}
    neutral = list(GLAZE.layout.neutral)
    assert list(stages) == ["source", "neutral", "straighten", "matrix"]
    assert np.abs(stages["neutral"].lab[neutral, 1:] - GLAZE.lab[neutral, 1:]).max() < 0.5, "neutral at their own brightness"
    assert np.abs(stages["neutral"].lab[neutral, 0] - GLAZE.lab[neutral, 0]).max() > 3
    assert stages["straighten"].lab[neutral] == pytest.approx(GLAZE.lab[neutral], abs=0.3)
    assert stages["matrix"].mean < stages["straighten"].mean / 2


def test_auto_takes_the_highest_order_that_patches_left_out_bear_out():
    noisy = seen_by(Filming(gains=(1.2, 1.0, 0.8)))
    noisy = Samples(noisy.light * RNG.normal(1, 0.03, noisy.light.shape), noisy.spread, noisy.clipped, noisy.slope, noisy.place)
    fit = fit_chart(noisy, GLAZE, SOURCE)
    assert fit.result.name in ("straighten", "matrix"), "noise does not bear out a root polynomial"
    assert any(note.startswith(f"Taken: {fit.result.name}") for note in fit.notes)
    assert fit.result.left_out_mean > fit.result.mean

    def bent(light):
        root = np.sqrt(light[:, [0, 1, 2]] * light[:, [1, 2, 0]])
        return 0.55 * light + 0.45 * root

    curved = seen_by(Filming())
    curved = Samples(bent(GLAZE.light("bt709")), curved.spread, curved.clipped, curved.slope, curved.place)
    assert isinstance(fit_chart(curved, GLAZE, SOURCE).steps[-1], RootPolynomial)


def test_skin_first_serves_the_skin_patches():
    samples = seen_by(Filming(gains=(1.2, 1.0, 0.7), matrix=MIXING))
    samples = Samples(samples.light * RNG.normal(1, 0.05, samples.light.shape), *(
        getattr(samples, name) for name in ("spread", "clipped", "slope", "place")
    ))  # fmt: skip
    skin = list(GLAZE.layout.skin)
    plain, first = (fit_chart(samples, GLAZE, SOURCE, Wishes(Aim.MATRIX, skin)) for skin in (False, True))
    assert first.result.difference.total[skin].mean() < plain.result.difference.total[skin].mean()


def test_patches_are_weighed_by_name_and_the_matrix_may_have_the_least_squares():
    samples = seen_by(Filming(gains=(1.2, 1.0, 0.7), matrix=MIXING))
    samples.light[3] *= 1.6  # one patch was dirty
    taken = {GLAZE.names[3]: 1.0}  # though it looks covered
    plain = fit_chart(samples, GLAZE, SOURCE, Wishes(Aim.MATRIX, weights=taken))
    squares, without = (
        fit_chart(samples, GLAZE, SOURCE, Wishes(Aim.MATRIX, least_squares=True, weights=weights))
        for weights in (taken, {GLAZE.names[3]: 0.0})
    )
    others = np.arange(24) != 3
    assert without.result.difference.total[others].mean() < 0.1 < squares.result.difference.total[others].mean()
    assert not without.used[3]
    assert squares.result.mean > plain.result.mean, "the least mean difference is the aim of the other"
    off = [((lab_to_xyz(fit.result.lab) - GLAZE.xyz) ** 2).sum() for fit in (squares, plain)]
    assert off[0] < off[1]
    for weights, words in (({"nobody": 1.0}, "no patch “nobody”"), ({GLAZE.names[0]: -1.0}, "must be 0 or more")):
        with pytest.raises(ChartError, match=words):
            fit_chart(samples, GLAZE, SOURCE, Wishes(weights=weights))


def test_clipped_patches_and_those_outside_the_gamut_are_left_out_and_told():
    white = GLAZE.names.index("china white")
    fit = fit_chart(seen_by(Filming(), clipped=[white]), GLAZE, SOURCE)
    assert not fit.used[white]
    assert any("china white is clipped" in note for note in fit.notes)
    xyz = GLAZE.xyz.copy()
    xyz[3] = rgb_to_xyz("bt2020") @ [0.0, 0.7, 0.0]
    wide = Reference("wide", GLAZE.names, xyz, GLAZE.layout)
    fit = fit_chart(seen_by(Filming()), wide, SOURCE)
    assert not fit.used[3]
    assert any(f"{GLAZE.names[3]} lies outside" in note for note in fit.notes)


def test_grey_scales_and_cards_are_taken_as_far_as_they_go():
    scale, cards = load_reference("grey-11"), load_reference("cards-3")
    filming = Filming(gains=(1.2, 1.0, 0.75), gamma=0.85)
    fit = fit_chart(seen_by(filming, scale), scale, SOURCE)
    assert fit.result.name == "straighten"
    assert fit.result.mean < 0.3
    assert any("matrix" in note for note in fit.notes)
    assert fit_chart(seen_by(filming, cards), cards, SOURCE).result.mean < 0.5
    pair = fit_chart(seen_by(filming, cards, clipped=[1]), cards, SOURCE)
    assert np.isnan(pair.result.left_out_mean)
    assert any("too few patches to leave one out" in note for note in pair.notes)
    single = fit_chart(seen_by(filming, cards, clipped=[0, 2]), cards, SOURCE, Wishes(Aim.NEUTRAL))
    assert isinstance(single.steps[0], Balance)
    assert np.abs(single.result.lab[1, 1:]).max() < 0.5


@pytest.mark.parametrize(
    ("name", "clipped", "aim", "sentence"),
    [
        ("cards-3", [0, 1, 2], Aim.AUTO, "no neutral patch that is not clipped"),
        ("cards-3", [0, 2], Aim.STRAIGHTEN, "two neutral patches of different brightness"),
        ("cards-3", [], Aim.MATRIX, "needs 6 patches that are not clipped; the chart has 3"),
        ("grey-11", [], Aim.MATRIX, "its matrix is singular"),
        ("glaze-24", list(GLAZE.layout.neutral), Aim.AUTO, "no neutral patch that is not clipped"),
    ],
)
def test_what_a_chart_does_not_carry_is_refused_with_the_reason(name, clipped, aim, sentence):
    reference = load_reference(name)
    with pytest.raises(ChartError, match=sentence):
        fit_chart(seen_by(Filming(), reference, clipped), reference, SOURCE, Wishes(aim))


def test_covered_patches_are_told_and_left_out_and_no_camera_makes_them_seem_so():
    rng = np.random.default_rng(0)
    wanted = camera_signal(GLAZE.light("bt709"), "bt709")
    falsely = found = hidden = 0
    for seed in range(100):
        seen = camera(GLAZE.light("bt709"), Filming.drawn(seed))
        falsely += covered(seen, wanted).sum()
        under = rng.choice(24, 1 + seed % 5, replace=False)
        seen_under = seen.copy()
        seen_under[under] = np.array([0.55, 0.42, 0.36]) * rng.uniform(0.6, 1.3) if seed % 2 else rng.uniform(0.1, 0.8, 3)
        plain = under[np.abs(seen_under[under] - seen[under]).max(axis=1) > 0.3]
        found, hidden = found + covered(seen_under, wanted)[plain].sum(), hidden + len(plain)
    assert falsely <= 4 and found >= 0.95 * hidden
    samples = seen_by(Filming(gains=(1.2, 1, 0.8)))
    samples.light[3] = samples.light[10] = (0.2, 0.1, 0.08)
    fit = fit_chart(samples, GLAZE, SOURCE)
    told = "does not look like its patch in the reference (is it covered?) and is left out of the fit."
    assert [note for note in fit.notes if note.endswith(told)] == [f"{GLAZE.names[n]} {told}" for n in (3, 10)]
    assert not fit.used[[3, 10]].any() and np.delete(fit.result.difference.total, (3, 10)).max() < 0.5
    kept = fit_chart(samples, GLAZE, SOURCE, Wishes(weights={GLAZE.names[3]: 1.0}))
    assert kept.used[3], "a weight given by hand is the operator's word"
    samples.light[12:] = (0.2, 0.1, 0.08)
    assert any("patches don't look like theirs in" in note for note in fit_chart(samples, GLAZE, SOURCE).notes)


def test_a_perfect_hlg_chart_is_perfect():
    """Reference white is at 75 % there, not at the end of the range [BT2408]."""
    light = GLAZE.light("bt2020")
    rgb = camera_signal(np.repeat(np.repeat(light.reshape(4, 6, 3), 40, axis=0), 40, axis=1), "hlg")
    assert camera_signal(np.ones(3), "hlg") == pytest.approx(0.75, abs=1e-4)
    hlg = replace(signal(240, 160, sampling="444", matrix=Matrix.BT2020), transfer="hlg", primaries="bt2020")
    corners = ChartFrame(((0, 0), (240, 0), (240, 160), (0, 160)))
    stage = measure_chart(sample_frame(to_planes(rgb, hlg), hlg, corners, GLAZE.layout), GLAZE, hlg)
    assert stage.mean < 0.5, "0.2 ΔE of it is rounding to 10 bits"


@pytest.mark.parametrize("seed", range(6))
def test_the_cdl_of_a_fit_comes_near_to_the_reference(seed):
    samples = seen_by(Filming.drawn(seed) if seed < 4 else Filming(gains=(1.03, 1, 0.97), contrast=0.05 * (seed - 4)))
    fit = fit_chart(samples, GLAZE, SOURCE)
    filmed = camera_signal(samples.light, "bt709")
    means = [
        delta_e_2000(lab_of(np.nan_to_num(step.apply(filmed, SOURCE)), SOURCE), GLAZE.lab).mean()
        for step in (fitted_cdl(fit.steps, SOURCE, filmed), fitted_cdl(fit.steps, SOURCE))
    ]
    assert means[0] < min(means[1] + 0.01, 0.35 * fit.stages[0].mean), "nearer than by all colours alike, and than nothing"


def test_the_source_is_judged_as_it_was_filmed():
    stage = measure_chart(seen_by(Filming()), GLAZE, SOURCE)
    assert stage.mean == pytest.approx(0, abs=1e-6)
    assert measure_chart(seen_by(Filming(gains=(1.5, 1, 0.6))), GLAZE, SOURCE).mean > 5
