"""Frames that are the same as those before them but for coding, for longer than is allowed."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from bluffline.declared import Between
from bluffline.measure.table import DRIFT, SurveyTable
from bluffline.rules.each.black import Black, black_frames
from bluffline.rules.evidence import ShotEvidence, runs_in
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Aspect, Rule
from bluffline.rules.severity import Severity

_TILE = 12  # times the noise in the mean: what coding changes a small part of the picture by
_REFRESH, _ANEW = 6, 2  # times as much as that changes where coding begins anew, and in how many frames one after the other


@dataclass(frozen=True, slots=True)
class FrozenAsked:
    """``seconds``: that are allowed, `DRIFT` frames at least; ``noise``: percent of luma that coding may change pixels by."""

    seconds: Annotated[float, Between(0, 3600, "seconds")] = 0.6
    noise: Annotated[float, Between(0, 10, "percent")] = 0.1
    severity: Severity = Severity.LOOK


class Frozen(Rule):
    """A picture that stops. A shot that stands still from cut to cut is a still, which is noted."""

    titles = {"frozen": "Frozen frames"}
    words = "frozen frames"
    place = 23
    section, key, named = FrozenAsked, "frozen", True
    aspect = Aspect.TIME
    whole_frames = True
    tried = False

    def judge(self, shot: ShotEvidence) -> Iterator[Finding]:
        asked, rate, black = self.asked(shot.rules), shot.surveyed.rate, Black()
        change, moved = shot.column("pixel_change").astype(np.float64), movement(shot.table, shot.span)
        same = shot.readable & (moved <= asked.noise)
        went_on = bool(same[0])  # the frame before it, of another shot, is the same: it was divided by hand in a freeze
        same[0] = False
        anew = shot.readable & (moved <= _REFRESH * asked.noise)
        for first, last in runs_in(~same):
            inside = first >= 2 and last + 2 < len(same) and same[first - 2] and same[last + 2]
            if inside and last - first < _ANEW and anew[first : last + 1].all():
                same[first : last + 1] = True
        if black.on(shot.rules):
            same &= ~black_frames(shot, black.asked(shot.rules).level)
        if not same.any():
            return
        count = np.arange(1, len(same) + 1)
        long = count - np.maximum.accumulate(np.where(same, 0, count))  # frames that are the same up to each
        still = (shot.column("drift") / _TILE <= asked.noise) & (long >= DRIFT)  # nothing crept on either
        found_still = np.concatenate([[0], np.cumsum(still)])
        frozen = found_still[np.minimum(count + DRIFT, len(same))] > found_still[count - 1]
        least = int(asked.seconds * rate) + 1
        for found in shot.runs_of(
            "frozen", asked.severity, frozen, np.where(same, change, 0.0), shot.all_of_it, "", least=least
        ):
            if found.frames == shot.shot.length and not went_on:
                yield replace(found, severity=Severity.NOTE, reason="A still: nothing moves from cut to cut")
            else:
                yield replace(found, reason=f"Frozen for {found.frames / rate:.2f} s{found.runs_told}")


def movement(table: SurveyTable, span: slice = slice(None)) -> NDArray[np.float64]:
    """(N,) how far frames are from those before them, in percent of luma: in the mean, or by as much in a small part."""
    change, tile = (table.column(name)[span].astype(np.float64) for name in ("pixel_change", "tile_change"))
    return np.maximum(change, tile / _TILE)
