"""What frames have cost tells what the next will, by the work that they are."""

import pytest

from bluffline.treat.kinds.tone import Tone
from bluffline.view.costs import FrameCosts, Work
from clips import signal


def test_the_median_of_the_last_frames_of_the_same_work_tells_what_the_next_takes():
    costs, plain = FrameCosts(), Work(signal(64, 48))
    treated = plain._replace(steps=(Tone,))
    assert costs.of(plain, played=True) is None, "nothing is known before a frame was made"
    costs.made(plain, 0.04)
    assert costs.of(plain, played=True) == pytest.approx(0.06), "reading may take half as long as making"
    costs.read(0.02)
    assert costs.of(treated, played=True) is None
    for seconds in (0.5, 0.5, 0.5, 0.01, 0.012, 0.011, 0.9, 0.01):
        costs.made(plain, seconds)
    costs.made(treated, 0.08)
    assert costs.of(plain, played=False) == 0.011, "the last five, of which one long one tells nothing"
    assert costs.of(plain, played=True) == pytest.approx(0.031), "what is played is read as well"
    assert costs.of(treated, played=False) == 0.08
    costs.begin()
    assert costs.of(plain, played=True) is None, "another programme costs otherwise"
