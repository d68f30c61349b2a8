"""Keys that are picked, and what shows a reach."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bluffline.errors import SettingsError
from bluffline.measure.areas import Shape
from bluffline.signal.format import Model
from bluffline.signal.matrix import Matrix, ycbcr_to_rgb
from bluffline.treat.frame_treatment import greyed, reach_weights
from bluffline.treat.kinds.tone import Tone
from bluffline.treat.reach import Key, Reach, ReachArea, largest_target
from clips import signal, to_planes

MATRIX = Matrix.BT709


def colours(hue, chroma, luma, spread=1.0, count=400, seed=1):
    """Colours about a hue (degrees), chroma and luma (percent)."""
    random = np.random.default_rng(seed)
    angle = np.radians(hue + random.normal(0, 3 * spread, count))
    size = (chroma + random.normal(0, spread, count)) / 100 * largest_target(MATRIX)
    y = (luma + random.normal(0, 3 * spread, count)) / 100
    return ycbcr_to_rgb(np.stack([y, size * np.cos(angle), size * np.sin(angle)], axis=-1), MATRIX)


@given(st.floats(-180, 180), st.floats(15, 70), st.floats(15, 85))
def test_a_picked_key_takes_what_was_picked_and_not_its_opposite(hue, chroma, luma):
    picked = colours(hue, chroma, luma)
    key = Key.of(picked, MATRIX)
    assert key.weights(picked, MATRIX).mean() > 0.97
    assert key.weights(colours(hue + 180, chroma, luma), MATRIX).max() == 0
    if luma > 50:
        assert key.weights(colours(hue, chroma, luma - 45), MATRIX).max() < 0.2


def test_greys_are_keyed_by_luma_alone():
    grey = np.repeat(np.linspace(0.4, 0.5, 50)[:, None], 3, axis=1)
    key = Key.of(grey, MATRIX)
    assert key.hue[1] == 180 and key.chroma[1] < 10 and key.weights(grey, MATRIX).mean() > 0.9
    assert key.weights(np.full((1, 3), 0.8), MATRIX)[0] == 0


@given(st.floats(-180, 180), st.floats(-60, 60))
def test_joined_keys_take_what_either_took(hue, apart):
    one, other = colours(hue, 40, 40), colours(hue + apart, 30, 60, seed=2)
    joined = Key.of(one, MATRIX).joined(Key.of(other, MATRIX))
    for picked in (one, other):
        assert joined.weights(picked, MATRIX).mean() > 0.9


def test_what_is_taken_away_is_keyed_no_more_and_the_rest_still_is():
    skin, wood = colours(120, 30, 55, 0.5), colours(120, 30, 25, 0.5, seed=2)
    both = Key.of(skin, MATRIX).joined(Key.of(wood, MATRIX))
    left = both.without(Key.of(wood, MATRIX))
    assert left.weights(wood, MATRIX).mean() < 0.3 and left.weights(skin, MATRIX).mean() > 0.9
    with pytest.raises(SettingsError, match="leave nothing"):
        left.without(Key())


@pytest.mark.parametrize("model", list(Model))
def test_what_is_not_reached_is_shown_without_colour(model):
    source = signal(64, 48, sampling="444", model=model)
    picture = np.broadcast_to([0.6, 0.4, 0.3], (48, 64, 3))
    planes = to_planes(picture, source)
    step = Tone(0.2, reach=Reach(areas=(ReachArea(Shape.RECTANGLE, ((0, 0), (50, 100))),), key=Key(luma=(20, 80, 0))))
    weights = reach_weights((Tone(), step), 1, source, planes)
    assert (weights[:, :32] == 1).all() and (weights[:, 32:] == 0).all()
    dark = reach_weights((Tone(exposure=-5), step), 1, source, planes)
    assert not dark.any(), "what comes into the step is too dark for its key"
    shown = greyed(planes, weights, source)
    assert all(np.array_equal(a[:, :32], b[:, :32]) for a, b in zip(shown, planes, strict=True))
    grey = [plane[:, 32:].astype(int) for plane in shown]
    if model is Model.RGB:
        assert max(abs(int(a) - int(grey[0][0, 0])) for a in (grey[1][0, 0], grey[2][0, 0])) <= 1
    else:
        assert (grey[1] == 512).all() and (grey[2] == 512).all()


@pytest.mark.parametrize("radius", [1, 2, 3, 5])
def test_what_is_cleaned_is_cleaned_alike_across_and_down(radius):
    weights = np.random.default_rng(3).integers(0, 2, (100, 100)).astype(np.float32)
    key = Key(clean=radius)
    assert np.array_equal(key.finished(weights).T, key.finished(np.ascontiguousarray(weights.T)))
