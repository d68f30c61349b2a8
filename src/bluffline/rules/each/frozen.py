"""Frames that are the same as those before them but for coding, for longer than is allowed."""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from bluffline.declared import Between
from bluffline.measure.table import DRIFT, SurveyTable
from bluffline.rules.each.black import Black, dark_frames
from bluffline.rules.evidence import Surveyed, in_shots, of_runs, runs_in
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Aspect, Rule
from bluffline.rules.rules import Rules
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot

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

    def judge_file(self, table: SurveyTable, surveyed: Surveyed, shots: Sequence[Shot], rules: Rules) -> Iterator[Finding]:
        """Of the file, since a picture that stops goes on doing so where it is divided by hand."""
        source, black = surveyed.source, Black()
        if source is None:
            return  # a few frames are judged, not a file
        asked, rate, readable = self.asked(rules), surveyed.rate, table.column("readable")
        change, moved = table.column("pixel_change").astype(np.float64), movement(table)
        same = readable & (moved <= asked.noise)
        same[:1] = False
        anew = readable & (moved <= _REFRESH * asked.noise)
        for first, last in runs_in(~same):
            inside = first >= 2 and last + 2 < len(same) and same[first - 2] and same[last + 2]
            if inside and last - first < _ANEW and anew[first : last + 1].all():
                same[first : last + 1] = True
        if black.on(rules):
            same &= ~dark_frames(table, source, black.asked(rules).level)
        count = np.arange(1, len(same) + 1)
        long = count - np.maximum.accumulate(np.where(same, 0, count))  # frames that are the same up to each
        still = (table.column("drift") / _TILE <= asked.noise) & (long >= DRIFT)  # nothing crept on either
        found_still = np.concatenate([[0], np.cumsum(still)])
        frozen = found_still[np.minimum(count + DRIFT, len(same))] > found_still[count - 1]
        begins, ends = {shot.first for shot in shots}, {shot.last for shot in shots}
        pictures, value = _parted(runs_in(frozen), ~same), np.where(same, change, 0.0)
        for runs in in_shots(pictures, shots, rules.gap * rate, int(asked.seconds * rate) + 1):
            if len(runs) == 1 and runs[0][0] in begins and runs[0][1] in ends:
                yield of_runs("frozen", Severity.NOTE, shots, runs, value, "A still: nothing moves from cut to cut")
            else:
                told = of_runs("frozen", asked.severity, shots, runs, value)
                yield replace(told, reason=f"Frozen for {told.frames / rate:.2f} s{told.runs_told}")


def _parted(runs: Iterable[tuple[int, int]], first_shown: NDArray[np.bool_]) -> Iterator[tuple[int, int]]:
    """Runs, each parted where another picture is shown first: stills that follow one another are several."""
    for first, last in runs:
        begins = [first, *(first + 1 + np.flatnonzero(first_shown[first + 1 : last + 1])).tolist(), last + 1]
        yield from ((begin, after - 1) for begin, after in pairwise(begins))


def movement(table: SurveyTable, span: slice = slice(None)) -> NDArray[np.float64]:
    """(N,) how far frames are from those before them, in percent of luma: in the mean, or by as much in a small part."""
    change, tile = (table.column(name)[span].astype(np.float64) for name in ("pixel_change", "tile_change"))
    return np.maximum(change, tile / _TILE)
