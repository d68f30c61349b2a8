"""Steps over single colours, for whatever is worked out without a picture."""

import numpy as np
import pytest

from bluffline.treat.kinds.tone import Tone
from bluffline.treat.ladder import apply_to_colours
from bluffline.treat.reach import Key, Reach
from clips import signal

DARK, LIGHT = np.array([0.1, 0.12, 0.1]), np.array([0.8, 0.7, 0.75])


@pytest.mark.parametrize("inverted", [False, True])
def test_a_key_chooses_the_colours_that_are_changed_or_those_that_are_not(inverted):
    colours = np.stack([DARK, LIGHT])
    step = Tone(1.0, reach=Reach(key=Key(luma=(50.0, 100.0, 0.0), inverted=inverted)))
    made = apply_to_colours((step,), colours, signal(8, 8))
    everywhere = apply_to_colours((Tone(1.0),), colours, signal(8, 8))
    kept, changed = (1, 0) if inverted else (0, 1)
    assert made[kept] == pytest.approx(colours[kept])
    assert made[changed] == pytest.approx(everywhere[changed])
    assert abs(made[changed] - colours[changed]).min() > 0.02
