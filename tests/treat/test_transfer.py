import numpy as np
import pytest

from bluffline.signal.format import Model
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.level_remap import LevelRemap, RemapMode
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.tone import Tone
from bluffline.treat.transfer import MID_GREY, largest_gap, level_after, transfer_line
from clips import signal


@pytest.mark.parametrize("source", [signal(depth=8), signal(depth=10), signal(sampling="420"), signal(depth=12)], ids=str)
def test_no_treatment_is_a_straight_line(source):
    before, after = transfer_line((), source)
    assert len(before) == 1 << source.bit_depth and np.array_equal(before, after)
    reined = transfer_line((ChromaRein(0, 100),), source)[1]
    assert np.array_equal(reined, np.clip(after, 0, 100)), (
        "grey has no chroma to rein in, but its luma is R′, G′ and B′ as well"
    )


def test_the_line_is_what_the_steps_say():
    source = signal()
    ceiling = (SoftCeiling(95, 109, 60),)
    assert level_after(ceiling, source, 109) == pytest.approx(95, abs=0.1)
    assert level_after(ceiling, source, MID_GREY) == pytest.approx(MID_GREY, abs=0.1)
    remap = (LevelRemap.mistagged(RemapMode.FULL_TO_NARROW, 10, source.levels),)
    assert level_after(remap, source, source.levels.percent(0)) == pytest.approx(0, abs=0.1)
    assert level_after(remap, source, source.levels.percent(1023)) == pytest.approx(100, abs=0.1)


def test_rgb_material_has_a_line_too():
    source = signal(sampling="444", model=Model.RGB)
    assert level_after((SoftCeiling(90, 100, 50),), source, 100) == pytest.approx(90, abs=0.2)


@pytest.mark.parametrize(("ladder", "gap"), [((), 1), ((Tone(black_point=25, white_point=75),), 2), ((Tone(contrast=3),), 3)])
def test_the_largest_gap_is_told_in_codes(ladder, gap):
    assert largest_gap(ladder, signal(depth=8)) == pytest.approx(gap, abs=0.02)
    assert largest_gap((*ladder, Tone(saturation=0)), signal(depth=8)) == pytest.approx(gap, abs=0.02)
