"""What is judged: everything that will be seen. One odd pixel, several errors at once, bars, parts of a programme."""

from dataclasses import replace

import numpy as np
import pytest

from bluffline.measure.active import find_active_picture
from bluffline.measure.counted import Limits
from bluffline.measure.frame_measure import measure_frame
from bluffline.measure.low_pass import low_passed
from bluffline.measure.region import Region
from bluffline.measure.table import SurveyTable
from bluffline.rules.evidence import Surveyed
from bluffline.rules.judging import judge
from bluffline.rules.rulefile import load_rules, parse_rules
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot, find_shots
from bluffline.signal.format import Model
from bluffline.signal.levels import Range
from clips import signal, to_planes

R103 = load_rules("r103")
SOURCE = signal(200, 100)


def grey(level=0.5, noise=0.01, seed=0, size=(100, 200)):
    return np.full((*size, 3), level) + np.random.default_rng(seed).normal(0, noise, (*size, 1))


def judged(frames, source=SOURCE, rules=R103, region=None, shots=None, rate=25.0):
    region = region or Region.whole(source)
    table = SurveyTable(len(frames))
    left_out = [area.region(source.width, source.height) for area in rules.left_out]
    for planes in frames:
        measure = None if planes is None else measure_frame(
            planes, source, region, rules.limits, left_out, low_pass=rules.low_pass
        )  # fmt: skip
        table.append(measure)
    shots = shots or [Shot(0, len(frames) - 1)]
    return judge(table, shots, source, rules, Surveyed(region, rate)), table


def named(findings, rule):
    return [finding for finding in findings if finding.rule == rule]


def test_four_errors_that_are_each_tolerated_are_not_tolerated_together():
    planes = to_planes(grey(noise=0), SOURCE)
    flat = planes[0].reshape(-1)
    for n, code in enumerate((1000, 40)):  # luma over and under, 0.9 % each: 180 of 20,000 pixels
        flat[n * 2000 : n * 2000 + 180] = code
    cb, cr = planes[1].reshape(-1), planes[2].reshape(-1)
    cr[5000:5090], cb[6000:6090] = 940, 100  # red over and blue under on 180 pixels each, luma legal
    findings, table = judged([planes])
    assert not [f for f in findings if f.rule in {"luma-high", "luma-low"}]
    (outside,) = named(findings, "outside")
    assert outside.severity is Severity.MUST_FIX and outside.worst_area == pytest.approx(3.6, abs=0.2)
    assert {"luma-high", "luma-low", "rgb-high"} <= dict(outside.made_of).keys()
    assert table.column("outside_area")[0] == pytest.approx(3.6, abs=0.2)


@pytest.mark.parametrize(
    ("depth", "codes", "inside"), [(8, (0, 255), (1, 254)), (10, (3, 1020), (4, 1019)), (12, (15, 4080), (16, 4079))]
)
def test_one_reserved_code_anywhere_must_be_fixed(depth, codes, inside):
    source = signal(200, 100, depth, "420")
    for wanted, several in ((codes, True), (inside, False)):
        for plane, code in ((0, wanted[0]), (1, wanted[1]), (2, wanted[0])):
            planes = to_planes(grey(), source)
            planes[plane][10, 20] = code
            found = named(judged([planes], source)[0], "reserved")
            assert bool(found) is several
            if several:
                place = (20, 10) if plane == 0 else (40, 20)
                assert found[0].worst_area == pytest.approx(100 / 20_000), "of all samples of luma"
                assert found[0].worst_value == 1 and f"x {place[0]}, y {place[1]}" in found[0].reason
    planes[0][10, 20] = codes[0]
    logo = '[[area]]\nname = "logo"\nbox = [5, 5, 20, 20]\nuse = "leave out"\n'
    limits = "[limits]\nluma = [-1, 103]\nrgb = [-5, 105]\n[tolerance]\narea = 1\n"
    assert named(judged([planes], source, parse_rules(limits + logo, "l"))[0], "reserved"), (
        "a left-out area is in the picture too"
    )
    allowed = parse_rules(limits.replace("[limits]", '[limits]\nreserved = "allowed"'), "a")
    assert not named(judged([planes], source, allowed)[0], "reserved")
    full = replace(source, range=Range.FULL)
    assert not named(judged([planes], full)[0], "reserved"), "full range uses all its codes"


def boxed(content, bars=16, bar_code=64):
    planes = to_planes(content, SOURCE)
    for plane, code, columns in ((planes[0], bar_code, bars * 2), (planes[1], 512, bars), (planes[2], 512, bars)):
        plane[:, :columns] = plane[:, -columns:] = code
    return planes


REGION = Region(32, 0, 136, 100)


def test_white_in_a_pillar_between_the_frames_that_were_looked_at_is_found():
    frames = [boxed(grey(seed=n)) for n in range(40)]
    for n in range(10, 20):
        frames[n][0][:, :20] = 940
    findings, _ = judged(frames, region=REGION)
    (found,) = named(findings, "blanking")
    assert (found.severity, found.first_frame, found.last_frame) == (Severity.MUST_FIX, 10, 19)
    assert not named(judged([boxed(grey(seed=n)) for n in range(40)], region=REGION)[0], "blanking")


def test_captions_in_the_bars_are_allowed_where_an_area_leaves_them_out():
    rows = Region(0, 16, 200, 68)
    frames = [to_planes(grey(seed=n), SOURCE) for n in range(40)]
    for planes in frames:
        planes[0][:16] = planes[0][84:] = 64
        planes[1][:16] = planes[1][84:] = planes[2][:16] = planes[2][84:] = 512
    for planes in frames[10:16]:
        planes[0][90:94, 60:140:3] = 940
    assert named(judged(frames, region=rows)[0], "blanking")
    limits = "[limits]\nluma = [-1, 103]\nrgb = [-5, 105]\n[tolerance]\narea = 1\n"
    limits += '[[area]]\nname = "captions"\nbox = [20.0, 86.0, 60.0, 14.0]\nuse = "leave out"\n'
    assert not named(judged(frames, region=rows, rules=parse_rules(limits, "a"))[0], "blanking")
    for planes in frames[10:16]:
        planes[0][4:8, 60:140:3] = 940  # at the top nothing allows it
    assert named(judged(frames, region=rows, rules=parse_rules(limits, "a"))[0], "blanking")


def test_bars_below_black_are_not_legal():
    frames = [boxed(grey(seed=n), bar_code=10) for n in range(12)]  # −6.2 %
    assert find_active_picture(frames, SOURCE) == REGION
    (found,) = named(judged(frames, region=REGION)[0], "blanking")
    assert "−6.2 %" in found.reason and found.frames == 12


def test_a_shot_that_fills_more_or_less_than_the_programme_is_judged_by_its_own_picture():
    box = [boxed(grey(seed=n)) for n in range(30)]
    full = [to_planes(grey(seed=n, noise=0.06), SOURCE) for n in range(10)]
    for planes in full:  # 1.3 % of the whole picture, all of it outside the box
        planes[0][:65, :4] = 1000
    shots = [Shot(0, 29), Shot(30, 39)]
    findings, _ = judged(box + full, region=REGION, shots=shots)
    assert not named(findings, "blanking") and named(findings, "active-picture")[0].shot == 1
    assert {f.shot for f in named(findings, "luma-high")} == {1}
    # The other way round: 1.2 % of the boxed picture is less than 1 % of the whole.
    small = [boxed(grey(seed=n)) for n in range(10)]
    for planes in small:
        planes[0][40:60, 100:108] = 1000
    wide = [to_planes(grey(seed=n, noise=0.06), SOURCE) for n in range(30)]
    findings, table = judged(wide + small, shots=shots)
    assert table.column("luma_high_area")[35] < 1 < 160 / 136
    assert {f.shot for f in named(findings, "luma-high")} == {1} and named(findings, "active-picture")[0].shot == 1


def test_a_flood_is_one_finding_with_a_count():
    bad, good = to_planes(grey(1.06), SOURCE), to_planes(grey(), SOURCE)
    frames = [bad if n % 4 == 0 else good for n in range(100)] + [good] * 30 + [bad]
    findings, _ = judged(frames)
    first, second = named(findings, "luma-high")
    assert (first.runs, first.frames, first.first_frame, first.last_frame) == (25, 25, 0, 96) and "(25 runs)" in first.reason
    assert (second.runs, second.first_frame) == (1, 130)
    for gap, count in ((0.0, 26), (0.12, 26), (0.16, 2)):  # three good frames lie between two bad ones
        assert len(named(judged(frames, rules=replace(R103, gap=gap))[0], "luma-high")) == count


def test_a_low_pass_filter_takes_out_what_is_thin_and_leaves_what_is_wide():
    rules = parse_rules(
        '[limits]\nluma = [-1, 103]\nrgb = [-5, 105]\n[tolerance]\narea = 1\n[filter]\nkind = "low-pass"\n', "f"
    )
    thin, wide = to_planes(grey(noise=0), SOURCE), to_planes(grey(noise=0), SOURCE)
    thin[0][:, ::20] = 1000
    wide[0][:, :20] = 1000
    assert named(judged([thin])[0], "luma-high") and not named(judged([thin], rules=rules)[0], "luma-high")
    assert named(judged([wide], rules=rules)[0], "luma-high")


@pytest.mark.parametrize("interlaced", [False, True])
def test_the_filter_is_1_2_1_both_ways(interlaced):
    source = replace(signal(40, 24, sampling="444", model=Model.RGB), interlaced=interlaced)
    rng = np.random.default_rng(4)
    planes = tuple(rng.integers(64, 940, (24, 40)).astype(np.uint16) for _ in range(3))
    kernel = np.array([1, 2, 1])
    for plane, got in zip(planes, low_passed(planes, source), strict=True):
        for rows in (slice(0, None, 2), slice(1, None, 2)) if interlaced else (slice(None),):
            wide = np.pad(plane[rows].astype(int), 1, mode="edge")
            across = sum(k * wide[:, n : n + 40] for n, k in enumerate(kernel))
            down = sum(k * across[n : n + plane[rows].shape[0]] for n, k in enumerate(kernel))
            assert np.array_equal(got[rows], down)


def test_flashes_and_flicker_do_not_divide_a_shot():
    rng = np.random.default_rng(7)
    room = np.clip(np.kron(rng.uniform(0.1, 0.6, (5, 8)), np.ones((20, 25))), 0, 1)[..., None].repeat(3, 2)
    other = np.clip(np.kron(rng.uniform(0.1, 0.9, (5, 8)), np.ones((20, 25))), 0, 1)[..., None].repeat(3, 2)
    flashed = [room + 0.3 if n in {8, 9, 15} else room for n in range(24)]
    flicker = [room * (1.35 if n % 3 == 0 else 1.0) for n in range(24)]
    cut = [room] * 12 + [other] * 12
    for pictures, shots in ((flashed, 1), (flicker, 1), (cut, 2)):
        table = SurveyTable(24)
        for picture in pictures:
            table.append(measure_frame(to_planes(picture, SOURCE), SOURCE, Region.whole(SOURCE), R103.limits))
        assert len(find_shots(table)) == shots


@pytest.mark.parametrize("depth", [8, 10])
def test_two_components_that_are_each_nearly_legal_are_not_excused_together(depth):
    """Rounding excuses a pixel only where one legal colour rounds to its codes."""
    source = signal(8, 8, depth, "444")
    levels = source.levels
    strict = Limits((0.0, 100.0), (0.0, 100.0))
    excused = refused = 0
    for y in range(levels.black + 10 * levels.swing // 100, levels.white, max(levels.swing // 60, 1)):
        for cr in range(levels.zero, levels.zero + levels.span // 2, max(levels.span // 80, 1)):
            codes = (y, levels.zero - levels.span // 5, cr)
            planes = tuple(np.full((8, 8), code, np.uint8 if depth == 8 else np.uint16) for code in codes)
            loose = measure_frame(planes, source, Region.whole(source), strict).outside_area
            exact = measure_frame(planes, source, Region.whole(source), replace(strict, exact=True)).outside_area
            assert loose <= exact, "what is allowed for never makes more illegal"
            excused += loose < exact
            refused += loose > 0
    assert excused and refused
