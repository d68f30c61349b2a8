"""Loudness, peaks and phase of sounds that are made by formula, against the figures that EBU and ITU print for them."""

import numpy as np
import pytest

from bluffline.measure.sound import CHANNELS, MOMENTARY, SHORT_TERM, SoundMeter, decibels, k_weighting

RATE = 48_000


def tone(level, seconds, frequency=1000.0, rate=RATE, phase=0.0):
    """A sine whose peak is at ``level`` dBFS."""
    return 10 ** (level / 20) * np.sin(2 * np.pi * frequency * np.arange(round(seconds * rate)) / rate + phase)


def measured(*channels, rate=RATE, pieces=777):
    """All of it, given in pieces of no hop's length."""
    samples = np.stack(channels, 1).astype(np.float32)
    meter = SoundMeter((1,), CHANNELS[samples.shape[1]], rate, 0.0)
    for start in range(0, len(samples), pieces):
        meter.add(samples[start : start + pieces])
    return meter.end()


def stereo(*parts, rate=RATE):
    both = np.concatenate([tone(level, seconds, rate=rate) for level, seconds in parts])
    return measured(both, both, rate=rate)


def test_the_weighting_is_the_printed_one():
    printed = [
        [1.53512485958697, -2.69169618940638, 1.19839281085285, 1, -1.69065929318241, 0.73248077421585],
        [1, -2, 1, 1, -1.99004745483398, 0.99007225036621],
    ]
    assert np.allclose(k_weighting(48_000), printed, atol=1e-9)


@pytest.mark.parametrize(("parts", "loudness"), [  # EBU Tech 3341, cases 1 to 5
    ([(-23, 20)], -23.0),
    ([(-33, 20)], -33.0),
    ([(-36, 10), (-23, 60), (-36, 10)], -23.0),
    ([(-72, 10), (-36, 10), (-23, 60), (-36, 10), (-72, 10)], -23.0),
    ([(-26, 20), (-20, 20.1), (-26, 20)], -23.0),
])  # fmt: skip
@pytest.mark.parametrize("rate", [48_000, 44_100, 96_000])
def test_programme_loudness_of_published_cases(parts, loudness, rate):
    assert stereo(*parts, rate=rate).integrated == pytest.approx(loudness, abs=0.1)


def test_programme_loudness_of_five_channels():
    """EBU Tech 3341, case 6; what is in the sixth, of low frequencies, does not count."""
    front, centre, back = tone(-28, 20), tone(-24, 20), tone(-30, 20)
    assert measured(front, front, centre, tone(0, 20, 50), back, back).integrated == pytest.approx(-23.0, abs=0.1)


@pytest.mark.parametrize(("parts", "loudness_range"), [  # EBU Tech 3342, cases 1 to 4
    ([(-20, 20), (-30, 20)], 10),
    ([(-20, 20), (-15, 20)], 5),
    ([(-40, 20), (-20, 20)], 20),
    ([(-50, 20), (-35, 20), (-20, 20), (-35, 20), (-50, 20)], 15),
])  # fmt: skip
def test_loudness_range_of_published_cases(parts, loudness_range):
    assert stereo(*parts).range == pytest.approx(loudness_range, abs=1.0)


def test_momentary_and_short_term_loudness_of_published_cases():
    """EBU Tech 3341, cases 9 and 12: steady, however it is made up within 3 s and within 0.4 s."""
    steady = stereo(*[(-20, 1.34), (-30, 1.66)] * 5).loudness_over(SHORT_TERM)
    assert np.abs(steady + 23).max() < 0.1
    quick = stereo(*[(-20, 0.18), (-30, 0.22)] * 25).loudness_over(MOMENTARY)
    assert np.abs(quick + 23).max() < 0.15


@pytest.mark.parametrize(
    ("share", "phase", "level"), [(4, 0, -6.0), (4, 45, -6.0), (6, 60, -6.0), (8, 67.5, -6.0), (4, 45, 3.0)]
)
@pytest.mark.parametrize("rate", [48_000, 44_100, 96_000])
def test_peaks_between_samples_of_published_cases(share, phase, level, rate):
    """EBU Tech 3341, cases 15 to 19: within +0.2 and −0.4 dB."""
    found = measured(tone(level, 1, rate / share, rate, np.radians(phase)), np.zeros(rate), rate=rate)
    top = float(decibels(found.true_peak[1:-1].max()))
    assert level - 0.4 <= top <= level + 0.2
    assert decibels(found.peak.max()) <= top + 1e-6


def test_silence_measures_nothing_and_breaks_nothing():
    found = measured(np.zeros(RATE), np.zeros(RATE))
    assert found.integrated == -np.inf and found.range == 0 and found.seconds == 1.0
    assert decibels(found.power).max() == -120
    assert measured(np.zeros(5), np.zeros(5)).seconds == pytest.approx(0.1)
    assert SoundMeter((1,), ("FC",), RATE, 0.0).end().integrated == -np.inf


def test_clipped_samples_are_counted_in_a_row_and_a_peak_at_full_scale_is_not_clipped():
    whole = measured(tone(0, 1, 997), tone(0, 1, 997))
    assert whole.clipped.max() <= 2
    over = measured(np.clip(tone(3, 1), -1, 1), tone(-3, 1))
    assert over.clipped[:, 0].min() > 5 and over.clipped[:, 1].max() == 0


def test_channels_that_are_turned_round_cancel_each_other():
    one = tone(-20, 1)
    for other, product in ((one, 1), (-one, -1), (tone(-20, 1, phase=np.pi / 2), 0)):
        found = measured(one, other)
        assert np.allclose(found.together / np.sqrt(found.power.prod(axis=1)), product, atol=0.01)


def test_what_is_measured_does_not_hang_on_how_it_comes():
    noise = np.random.default_rng(3).normal(0, 0.3, (2, RATE))
    ones = [measured(*noise, pieces=each) for each in (480, 4800, 7001, RATE)]
    for other in ones[1:]:
        assert np.allclose(ones[0].weighted, other.weighted, rtol=1e-4)
        assert np.array_equal(ones[0].clipped, other.clipped)
        assert np.isclose(ones[0].true_peak.max(), other.true_peak.max(), atol=0.02)
