"""Flashes, counted in sequences of which the answer is known from [BT1702] alone."""

from dataclasses import replace
from math import ceil

import numpy as np
import pytest

from bluffline.measure.flashes import FlashHistory, FlashLimits, lights
from bluffline.signal.format import Model
from bluffline.signal.levels import Range
from clips import signal, to_planes

LIMITS = FlashLimits(area=25.0, flashes=3, white=200.0)
SOURCE = signal(160, 90, depth=10, sampling="422")


def grey(luminance, peak=200.0):
    """The signal that shows so many cd/m²."""
    return (luminance / peak) ** (1 / 2.4)


def counted(picture, frames, rate=25.0, source=SOURCE, limits=LIMITS):
    """What is told of each frame; ``picture``: of a time in seconds, or a number, R′G′B′ or one grey of all of it."""
    history, told = FlashHistory(limits, rate, source), []
    for number in range(frames):
        rgb = np.broadcast_to(np.asarray(picture(number), float), (source.height, source.width, 3))
        told.append(history.add(lights(to_planes(rgb, source), source, limits.white), source))
    return told


def worst(*args, **more):
    return max(each.count for each in counted(*args, **more))


def flashing(frequency, rate, low=10.0, high=100.0):
    return lambda number: grey(high if (number * frequency / rate) % 1 < 0.5 else low)


@pytest.mark.parametrize("rate", [24, 25, 30_000 / 1001, 50, 60_000 / 1001])
@pytest.mark.parametrize(
    ("frequency", "harms"), [(1.0, False), (2.0, False), (2.9, False), (3.2, True), (5.0, True), (10.0, True)]
)
def test_more_than_three_flashes_a_second_harm_at_any_rate(rate, frequency, harms):
    most = worst(flashing(frequency, rate), 3 * round(rate), rate)
    assert (most > 3) is harms
    assert most in {ceil(frequency), ceil(frequency) + (frequency % 1 > 0), int(frequency)}


def test_frames_that_alternate_are_half_as_many_flashes_as_frames():
    assert worst(lambda n: grey(100 if n % 2 else 10), 60) in {12, 13}


def test_flashes_nine_frames_apart_are_allowed_and_eight_are_not_at_25():
    assert worst(lambda n: grey(100 if n % 9 < 4 else 5), 100) == 3
    assert worst(lambda n: grey(100 if n % 8 < 4 else 5), 100) == 4


@pytest.mark.parametrize(("low", "high", "counts"), [
    (10.0, 29.0, False), (10.0, 31.0, True),  # 20 cd/m² where the darker is dark
    (150.0, 169.0, False), (150.0, 172.0, True),
    (165.0, 184.0, False), (165.0, 187.5, True),  # a contrast of 1 to 17 where it is bright: 165 to 185.6
])  # fmt: skip
def test_what_counts_as_a_flash_of_light(low, high, counts):
    assert (worst(flashing(5, 25, low, high), 50) > 3) is counts


@pytest.mark.parametrize(("share", "harms"), [(0.22, False), (0.28, True), (1.0, True)])
def test_a_quarter_of_the_screen_may_flash(share, harms):
    side = share**0.5

    def picture(number):
        rgb = np.full((SOURCE.height, SOURCE.width, 3), grey(30))
        top, left = (round((1 - side) * size / 2) for size in (SOURCE.height, SOURCE.width))
        rgb[top : SOURCE.height - top, left : SOURCE.width - left] = grey(120 if number % 5 < 2 else 5)
        return rgb

    told = counted(picture, 50)
    assert (max(each.count for each in told) > 3) is harms
    assert max(each.area for each in told) == pytest.approx(100 * share, abs=2.5)


def test_halves_that_flash_against_each_other_flash():
    halves = np.arange(SOURCE.width)[None, :, None] < SOURCE.width // 2
    told = counted(lambda n: np.where(halves == (n % 6 < 3), grey(100), grey(5)) * np.ones((SOURCE.height, 1, 3)), 50)
    assert max(each.count for each in told) > 3 and max(each.area for each in told) > 95


def test_a_pan_over_a_fence_a_fade_and_one_flash_are_none():
    fence = np.where(np.arange(SOURCE.width) // 3 % 2, grey(100), grey(5))[None, :, None] * np.ones((SOURCE.height, 1, 3))
    assert worst(lambda n: np.roll(fence, n, axis=1), 60) <= 3
    assert worst(lambda n: grey(min(n * 4, 200)), 60) <= 1
    assert worst(lambda n: grey(150 if n == 20 else 10), 60) == 1
    noise = np.random.default_rng(3).uniform(0.2, 0.9, (30, SOURCE.height, SOURCE.width, 1)) * np.ones(3)
    assert worst(lambda n: noise[n], 30) <= 3, "what glitters does so point by point"


def test_red_flashes_where_light_stays_the_same():
    red = np.array([grey(30 / 0.2126), 0, 0])  # 30 cd/m²
    told = counted(lambda n: red if n % 5 < 2 else np.full(3, grey(30)), 50)
    assert max(each.red_count for each in told) > 3 and max(each.count for each in told) == 0
    pale = np.array([grey(60), grey(40), grey(40)])
    assert max(each.red_count for each in counted(lambda n: pale if n % 5 < 2 else np.full(3, grey(40)), 50)) == 0
    green = np.array([0, grey(100), 0])
    assert max(each.red_count for each in counted(lambda n: green if n % 5 < 2 else np.full(3, 0.0), 50)) == 0


@pytest.mark.parametrize("top_first", [True, False])
def test_fields_flash_by_themselves(top_first):
    """One field bright and one dark, in every frame: 25 flashes a second that no frame shows as a whole."""
    source = replace(SOURCE, interlaced=True, top_field_first=top_first)
    rows = np.arange(source.height)[:, None, None] % 2
    picture = np.where(rows == 0, grey(100), grey(10)) * np.ones((1, source.width, 3))
    assert worst(lambda _: picture, 40, source=source) in {25, 26}
    assert worst(lambda _: picture, 40) == 0, "in a progressive picture they are lines"


@pytest.mark.parametrize("transfer", ["pq", "hlg"])
def test_hdr_is_counted_as_its_display_shows_it(transfer):
    source = replace(SOURCE, transfer=transfer, primaries="bt2020")
    light, dark = (0.58, 0.30) if transfer == "pq" else (0.75, 0.45)  # about 203 and 10 to 45 cd/m²
    assert worst(lambda n: light if n % 5 < 2 else dark, 50, source=source) > 3
    assert worst(lambda n: dark if n % 5 < 2 else dark + 0.02, 50, source=source) == 0


@pytest.mark.parametrize("model", [Model.RGB, Model.YCBCR])
def test_all_ways_of_storing_it_count_alike(model):
    for depth, sampling, kind in [(8, "420", Range.NARROW), (10, "422", Range.FULL), (12, "444", Range.NARROW)]:
        source = signal(160, 90, depth, "444" if model is Model.RGB else sampling, model=model, signal_range=kind)
        assert worst(flashing(5, 25), 50, source=source) in {5, 6}


def test_what_is_told_of_a_frame_needs_only_the_frames_said():
    """A run that begins elsewhere tells the same, to the bit."""
    noise = np.random.default_rng(5).uniform(0.0, 1.0, 160)
    whole = counted(lambda n: noise[n], 160)
    lead = FlashHistory(LIMITS, 25.0, SOURCE).frames
    part = counted(lambda n: noise[n + 100 - lead], 60 + lead)
    assert part[lead:] == whole[100:]
