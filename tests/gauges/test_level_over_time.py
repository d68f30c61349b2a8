"""The level over time: what was measured stands where its frame and its level are, and what was not looks like it."""

import csv
import io

import numpy as np
import pytest

from bluffline.gauges.each.level_over_time import LevelOverTime
from bluffline.gauges.export import counts_csv
from bluffline.gauges.instrument import Moment
from bluffline.gauges.painting import GROUND, Painting, ground
from bluffline.measure.areas import Selection
from bluffline.measure.counted import Limits
from bluffline.measure.frame_signal import FrameSignal
from clips import signal, to_planes

SOURCE, LIMITS = signal(), Limits((-1.0, 103.0), (-5.0, 105.0))
FRAME = FrameSignal(to_planes(np.full((48, 64, 3), 0.5), SOURCE), SOURCE)
EMPTY, TALL = GROUND * 0x010101 | 0xFF000000, 280


def moment(frame, first, **levels):
    usual = {"y_min": 20.0, "y_mean": 45.0, "y_max": 70.0, "rgb_min": 10.0, "rgb_max": 80.0}
    return Moment(frame, 25.0, first, usual | levels)


def flat(frame, first, count, **levels):
    shown = moment(frame, first, **levels)
    return Moment(
        frame, 25.0, first, {name: np.broadcast_to(level, (count,)).astype(float) for name, level in shown.levels.items()}
    )


def drawn(around, mode="10", wide=502):
    gauge = LevelOverTime(mode)
    trace, image = gauge.count(FRAME, Selection.whole(SOURCE), wide, around), ground((wide, TALL))
    gauge.paint(trace, image, Painting(SOURCE, LIMITS))
    return gauge, trace, image


def row(gauge, level):
    return round((1 - gauge.span.place(level)) * (TALL - 1))


def test_the_band_runs_from_least_to_greatest_and_its_mean_is_brightest():
    gauge, _, image = drawn(flat(500, 375, 251))
    column = image[:, 100] & 255
    band = np.flatnonzero(column > GROUND + 20)
    assert abs(band.min() - row(gauge, 80)) <= 1 and abs(band.max() - row(gauge, 10)) <= 1, "R′G′B′ reaches furthest"
    inside = column[row(gauge, 70) : row(gauge, 20) + 1]
    assert inside.min() > GROUND + 20 and column[row(gauge, 45)] == inside.max()
    assert (image[: row(gauge, 80) - 2, :] == EMPTY).all()


def test_one_frame_over_the_limit_is_seen_however_many_stand_in_a_column():
    levels = np.full(7501, 70.0)
    levels[3750 + 601] = 115.0
    gauge, _, image = drawn(flat(5000, 1250, 7501, y_max=levels), "300", 250)
    column = (3750 + 601) * 250 // 7501
    lit = [x for x in range(250) if (image[row(gauge, 112) : row(gauge, 106), x] != EMPTY).any()]
    assert lit == [column]


def test_what_was_not_measured_is_another_grey_and_not_empty():
    levels = np.full(100, 70.0)
    levels[40:60] = np.nan  # frames that could not be decoded
    gauge, _, image = drawn(Moment(500, 25.0, 450, dict.fromkeys(("y_min", "y_max", "rgb_min", "rgb_max"), levels)))
    known = (image == EMPTY).any(axis=0)
    frames = 375 + np.arange(502) * 251 // 502
    assert (known == ((frames >= 450) & (frames < 550) & ~((frames >= 490) & (frames < 510)))).all()
    assert len(np.unique(image[:, ~known])) == 1 and gauge.modes[gauge.mode] == "10 s"


def test_nothing_known_at_all_is_drawn():
    _, trace, image = drawn(Moment(3, 25.0, 0, {name: np.zeros(0) for name in ("y_min", "y_max", "rgb_min", "rgb_max")}))
    assert trace.measured == 0 and len(np.unique(image)) == 1 and image[0, 0] != EMPTY


@pytest.mark.parametrize("mode", LevelOverTime.modes)
def test_a_place_is_a_frame_and_the_middle_is_the_one_in_view(mode):
    gauge, trace, _ = drawn(flat(9000, 0, 20_000), mode)
    half = round(float(mode) / 2 * 25)
    assert gauge.frame_at(trace, (0.5, 0.3)) == 9000
    assert (gauge.frame_at(trace, (0.0, 0)), gauge.frame_at(trace, (1.0, 0))) == (9000 - half, 9000 + half)
    assert gauge.frame_at(trace, (-3.0, 0)) == 9000 - half, "a hand beyond the edge is at the edge"


def test_its_table_tells_every_frame_that_was_measured():
    _, trace, _ = drawn(flat(10, 0, 40))
    rows = list(csv.DictReader(io.StringIO(counts_csv(trace))))
    assert [int(each["frame"]) for each in rows] == list(range(40)) and {each["y_max %"] for each in rows} == {"70.000"}


def test_excess_of_rgb_is_heavier_not_only_elsewhere():
    def lit(level):
        gauge, _, image = drawn(flat(500, 375, 251, rgb_max=level))
        return int((image[: row(gauge, 100) - 1, 100] != EMPTY).sum())

    assert lit(104.0) == 1 and lit(112.0) == lit(140.0) + 2 == 5, "beyond the span it stands at the edge"
