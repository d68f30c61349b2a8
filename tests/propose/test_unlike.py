"""Bringing one part of a picture to another: where too little of both is alike, nothing is done, and it is told."""

import pytest

from bluffline.propose.matching import bring
from pictures import carried, cast, seen

GREEN = (0.86, 1.06, 0.84)


@pytest.mark.parametrize("name", ["china", "coffee", "film"])
@pytest.mark.parametrize("gains", [(1, 1, 1), GREEN])
def test_the_other_half_is_no_reference(name, gains):
    rgb = carried()[name]
    middle = rgb.shape[1] // 2
    match = bring(seen(cast(rgb[:, :middle], gains)), seen(rgb[:, middle:]))
    assert match.treatment == () and match.after == match.before
    assert match.at_best is None or (match.told.startswith("left alone") and match.at_best < match.before)


@pytest.mark.parametrize("name", ["china", "coffee", "film"])
def test_what_is_mostly_the_same_is_brought_back(name):
    rgb = carried()[name]
    eighth = rgb.shape[1] // 8
    match = bring(seen(cast(rgb[:, :-eighth], GREEN)), seen(rgb[:, eighth:]))
    assert match.treatment and match.at_best is None and match.after < 0.4 * match.before
