"""Which field of a picture is first, by what moves in it, whatever the file says."""

from collections.abc import Iterator
from enum import IntEnum
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.signal.format import SignalFormat

_COLUMNS = 16  # every how many columns are looked at
_MOVES = 0.008  # mean change of a field from one frame to the next, as a share of the range, from which it tells anything
_APART = 1.1  # how much further apart the other two fields have to be
_VOTES = 6  # pairs of frames that have to tell
_AGREE = 0.8  # share of them that have to agree


class FieldVote(IntEnum):
    """What a pair of neighbouring frames tells of the order of fields; nothing where too little moves, or nobody looked."""

    NOTHING = 0
    TOP = 1
    BOTTOM = 2
    NEITHER = 3


class FieldPairs:
    """Looks at pairs of neighbouring frames.

    The second field of a frame and the first field of the next are a field's time apart; the other two are three. So where
    something moves, a row of the one fits between rows of the other better than it does the other way round. In progressive
    pictures both are a frame's time apart, and neither fits better.
    """

    def __init__(self) -> None:
        self._before: NDArray[np.float32] | None = None

    def vote(self, luma: NDArray[Any] | None, source: SignalFormat | None, *, first: bool) -> FieldVote:
        """What a frame's luma, (rows, stride), tells, ``first`` of a pair or the one after it. None where it can't be read."""
        before, self._before = self._before, None
        if luma is None or source is None or source.height < 8:
            return FieldVote.NOTHING
        now = luma[: source.height // 2 * 2, : source.width : _COLUMNS].astype(np.float32)
        if first:
            self._before = now
        if first or before is None or before.shape != now.shape:
            return FieldVote.NOTHING
        if float(np.abs(now[::2] - before[::2]).mean()) < _MOVES * source.levels.swing:
            return FieldVote.NOTHING
        top_first = float(np.abs(before[1:-1:2] - (now[:-2:2] + now[2::2]) / 2).mean())
        bottom_first = float(np.abs(before[2::2] - (now[1:-2:2] + now[3::2]) / 2).mean())
        if bottom_first > _APART * top_first:
            return FieldVote.TOP
        return FieldVote.BOTTOM if top_first > _APART * bottom_first else FieldVote.NEITHER


def first_fields(votes: NDArray[np.int8], starts: NDArray[np.intp]) -> NDArray[np.int8]:
    """(K,) which field is first in each part of a programme: TOP, BOTTOM, or NOTHING where it can't be told.

    Parameters
    ----------
    votes : (N,) `FieldVote` of each frame
    starts : (K,) the frames that the parts begin at, in their order; none is empty
    """
    counts = np.stack([np.add.reduceat(votes == vote, starts, dtype=np.int64) for vote in list(FieldVote)[1:]])
    told, place = counts[:2].max(axis=0), counts[:2].argmax(axis=0)
    sure = (told >= _VOTES) & (told >= _AGREE * counts.sum(axis=0))
    return np.where(sure, place + 1, FieldVote.NOTHING).astype(np.int8)


def steady_votes(votes: NDArray[np.int8]) -> Iterator[tuple[int, int, FieldVote]]:
    """Where (N,) votes tell the same field again and again, with nothing else between: first and last frame, and the vote."""
    places = np.flatnonzero(votes != FieldVote.NOTHING)
    for own in np.split(places, np.flatnonzero(np.diff(votes[places])) + 1):
        if len(own) >= _VOTES and votes[own[0]] != FieldVote.NEITHER:
            yield max(int(own[0]) - 1, 0), int(own[-1]), FieldVote(votes[own[0]])
