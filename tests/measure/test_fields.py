"""The order of fields, seen in made pictures that move."""

import numpy as np
import pytest

from bluffline.measure.fields import FieldPairs, FieldVote, first_fields
from clips import signal

SOURCE = signal(160, 96)


def moving(time):
    """(96, 160) luma codes of a soft pattern that moves with time, in fields."""
    y, x = np.mgrid[0:96, 0:160]
    return (500 + 300 * np.sin((x - 6 * time) / 9) * np.cos((y - 2 * time) / 14)).astype(np.uint16)


def woven(frame, top_first):
    picture = np.empty((96, 160), np.uint16)
    times = (0, 1) if top_first else (1, 0)
    for field in (0, 1):
        picture[field::2] = moving(2 * frame + times[field])[field::2]
    return picture


def votes_of(picture, source=SOURCE):
    """What pairs of 40 frames tell: those that tell anything at all."""
    pairs = FieldPairs()
    votes = np.array([pairs.vote(picture(frame), source, first=frame % 2 == 0) for frame in range(40)], np.int8)
    assert not votes[::2].any(), "the first of a pair tells nothing by itself"
    return votes


@pytest.mark.parametrize("top_first", [True, False])
def test_the_order_of_fields_is_seen(top_first):
    votes = votes_of(lambda frame: woven(frame, top_first))
    seen = FieldVote.TOP if top_first else FieldVote.BOTTOM
    assert first_fields(votes, np.array([0])).tolist() == [seen]
    half = np.where(np.arange(40) < 20, votes, 3 - votes * (votes > 0)).astype(np.int8) * (votes > 0)
    assert first_fields(half, np.array([0, 20])).tolist() == [seen, 3 - seen], "each part by itself"


def test_whole_frames_still_pictures_cuts_and_gaps_tell_nothing():
    rng = np.random.default_rng(1)
    still = votes_of(lambda frame: woven(3, True))
    cut = votes_of(lambda frame: rng.integers(64, 940, (96, 160)).astype(np.uint16) if frame % 5 else None)
    whole = votes_of(lambda frame: moving(2 * frame))
    assert not still.any() and set(whole[1::2]) == {FieldVote.NEITHER}
    for votes in (still, cut, whole, votes_of(lambda frame: woven(frame, True), signal(160, 6))):
        assert first_fields(votes, np.array([0])).tolist() == [FieldVote.NOTHING]


def test_frames_of_two_sizes_are_no_pair():
    pairs = FieldPairs()
    assert pairs.vote(woven(0, True), SOURCE, first=True) is FieldVote.NOTHING
    assert pairs.vote(woven(1, True)[:80], signal(160, 80), first=False) is FieldVote.NOTHING
