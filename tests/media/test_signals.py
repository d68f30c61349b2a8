from fractions import Fraction

import numpy as np
import pytest

from bluffline.errors import SettingsError, WriteError
from bluffline.measure.counted import Limits
from bluffline.measure.frame_measure import measure_frame
from bluffline.measure.region import Region
from bluffline.media.codecs import CODECS
from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from bluffline.media.signals import SIGNALS, signal_named, signal_planes, write_signal
from clips import signal

R103 = Limits((-1.0, 103.0), (-5.0, 105.0))
BARS_10 = [
    (940, 512, 512),
    (674, 176, 543),
    (581, 589, 176),
    (534, 253, 207),
    (251, 771, 817),
    (204, 435, 848),
    (111, 848, 481),
]


def test_bars_have_the_published_codes():
    """BT.709 75 % bars at 10 bits, as the standard's arithmetic gives them."""
    planes = signal_planes(SIGNALS["bars"], signal(640, 48))
    for number, codes in enumerate(BARS_10):
        x = 80 * number + 40
        assert (planes[0][10, x], planes[1][10, x // 2], planes[2][10, x // 2]) == codes
    assert planes[0][10, 600] == 64


def test_rp219_has_its_steps_about_black_and_its_ramp():
    planes = signal_planes(SIGNALS["rp219"], signal(1920, 1080))
    luma = planes[0]
    assert luma[200, 100] == round(64 + 876 * 0.4) and luma[200, 300] == 721
    side, bar = 1920 / 8, 1920 * 3 / 28
    steps = [luma[1000, int(side + (3.5 + 5 / 6 + (n + 0.5) / 3) * bar)] for n in range(5)]
    assert steps == [round(64 + 876 * share) for share in (-0.02, 0, 0.02, 0, 0.04)]
    ramp = luma[780, int(side + bar) + 4 : int(side + 6 * bar) - 4].astype(int)
    assert (np.diff(ramp) >= 0).all() and ramp[0] < 80 and ramp[-1] > 920


@pytest.mark.parametrize("depth", [8, 10, 12])
@pytest.mark.parametrize("sampling", ["420", "422", "444"])
def test_signals_are_legal_but_for_the_one_that_is_not(depth, sampling):
    source = signal(1280, 96, depth=depth, sampling=sampling)
    for name, made in SIGNALS.items():
        measure = measure_frame(signal_planes(made, source), source, Region.whole(source), R103)
        areas = (measure.luma_high_area, measure.luma_low_area, measure.rgb_high_area, measure.rgb_low_area)
        if name == "over-limits":
            assert all(area > 15 for area in areas)
        elif name != "near-black":
            assert max(areas) < 1, name  # R 103 tolerates 1 %, which is more than RP 219 has at −2 %


def test_every_legal_code_occurs():
    source = signal(2048, 96, depth=10, sampling="444")
    planes = signal_planes(SIGNALS["legal-codes"], source)
    assert set(range(64, 941)) <= set(planes[0][:32].ravel().tolist())
    for number, rows in ((1, slice(32, 64)), (2, slice(64, 96))):
        assert set(range(64, 961)) <= set(planes[number][rows].ravel().tolist())


def test_a_ramp_is_straight_and_steps_are_eleven():
    source = signal(1024, 16)
    ramp = signal_planes(SIGNALS["ramp"], source)[0][3]
    assert np.abs(ramp - np.linspace(64, 940, 1024)).max() <= 0.5
    assert len(np.unique(signal_planes(SIGNALS["steps"], source)[0])) == 11


@pytest.mark.parametrize(
    ("name", "codec", "depth", "size"),
    [("b.mkv", "ffv1", 8, (720, 576)), ("b.mkv", "ffv1", 12, (640, 360)), ("b.mov", "prores", 10, (640, 360)),
     ("b.mp4", "h264", 10, (640, 360))],
)  # fmt: skip
def test_a_clip_is_tagged_as_what_it_is(tmp_path, name, codec, depth, size):
    write_signal(
        SIGNALS["bars"], tmp_path / name, CODECS[codec], size=size, rate=Fraction(30000, 1001), depth=depth, seconds=0.2
    )
    programme = probe(tmp_path / name)
    assert (programme.format.width, programme.format.height) == size and programme.format.bit_depth == depth
    assert programme.frame_rate == Fraction(30000, 1001) and programme.frame_count == 6
    assert programme.format.assumed == frozenset() and programme.format.matrix == ("bt601" if size[1] <= 576 else "bt709")
    with Reader(programme) as reader:
        luma = reader.frame(3).planes[0]
    assert luma[size[1] // 2, size[0] // 16] == pytest.approx(235 << (depth - 8), abs=2 << (depth - 8))
    assert [path.name for path in tmp_path.iterdir()] == [name]


def test_what_can_not_be_made_is_said(tmp_path):
    with pytest.raises(SettingsError, match="no test signal named plaid"):
        signal_named("plaid")
    for settings, words in (
        ({"depth": 12}, "can't hold 12 bits"), ({"size": (641, 360)}, "is even"), ({"seconds": 0}, "from one frame"),
    ):  # fmt: skip
        with pytest.raises(SettingsError, match=words):
            write_signal(SIGNALS["ramp"], tmp_path / "r.mov", CODECS["prores"], **settings)
    with pytest.raises(WriteError, match=r"can't say that its matrix is BT\.601"):
        write_signal(SIGNALS["bars"], tmp_path / "r.mxf", CODECS["dnxhr"], size=(720, 576))
    assert not list(tmp_path.iterdir())
