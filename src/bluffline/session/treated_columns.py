"""The extremes of every frame as the treatments will leave them, along the whole programme."""

from collections.abc import Mapping, Sequence
from itertools import takewhile
from math import inf
from time import monotonic

import numpy as np

from bluffline.prove.across import Beside
from bluffline.rules.columns import Column
from bluffline.rules.shots import Shot
from bluffline.session.judging import Judged
from bluffline.session.trials import Standing
from bluffline.survey.survey import Survey
from bluffline.treat.ladder import Treatment, predicted_extremes


class TreatedColumns:
    """The extremes of every frame as the treatments will leave them; only shots that changed are reckoned anew."""

    def __init__(self) -> None:
        self._survey: Survey | None = None
        self._columns: dict[str, Column] = {}
        self._done: dict[Shot, Standing] = {}
        self.behind = False  # whether some shots are not reckoned yet, of which what was known before stands

    def of(self, judged: Judged, standing: Mapping[int, Standing], seconds: float = inf) -> dict[str, Column]:
        """In percent: as measured where all of a shot was tried; else luma exactly where steps look at it alone, and bounds.

        ``seconds``: how long may be spent on it; the rest is ``behind``, and is reckoned when it is asked for again.
        """
        if judged.survey is not self._survey:
            self._survey, self._done, self._columns = judged.survey, {}, {}
        for name, column in judged.columns.items():
            known = self._columns.get(name, column[:0])
            if len(known) < len(column):
                self._columns[name] = np.concatenate([known, column[len(known) :]])
        wanted, until = {each.shot: each for each in standing.values()}, monotonic() + seconds
        for shot in self._done.keys() - wanted.keys():
            del self._done[shot]
            self._put(shot, _of_source(judged, shot))
        new = [each for shot, each in wanted.items() if self._done.get(shot) is not each]
        for each in takewhile(lambda _: monotonic() < until, new):
            trial = each.trial if each.trial is not None and each.trial.whole else None
            if trial is None:  # of what can't be foreseen the source's stand, not those of a trial before
                self._put(each.shot, _of_source(judged, each.shot) | _mixed(judged, each.shot, each.steps, each.others))
            else:
                self._put(each.shot, trial.columns)
            self._done[each.shot] = each
        self.behind = any(self._done.get(each.shot) is not each for each in new[-1:])
        return self._columns

    def _put(self, shot: Shot, columns: Mapping[str, Column]) -> None:
        for name, values in columns.items():
            self._columns[name][_span(shot)] = values


def _of_source(judged: Judged, shot: Shot) -> dict[str, Column]:
    return {name: column[_span(shot)] for name, column in judged.columns.items()}


def _mixed(judged: Judged, shot: Shot, steps: Treatment, others: Sequence[Beside]) -> dict[str, Column]:
    """The same, with what others are mixed in over some frames."""
    columns = _predicted(judged, shot, steps)
    for other in others:
        first, last = max(other.transition.first, shot.first), min(other.transition.last, shot.last)
        if first <= last:
            share = np.array([other.share(frame) for frame in range(first, last + 1)])
            part = slice(first - shot.first, last + 1 - shot.first)
            for name, theirs in _predicted(judged, Shot(first, last), other.steps).items():
                columns[name][part] += (theirs - columns[name][part]) * share
    return columns


def _predicted(judged: Judged, shot: Shot, steps: Treatment) -> dict[str, Column]:
    """The extremes of a shot's frames as steps will leave them, where no frame has been treated."""
    luma, rgb = (
        np.stack([judged.columns[f"{what}_{end}"][_span(shot)] for end in ("min", "max")], axis=-1) for what in ("y", "rgb")
    )
    treated = zip(("y", "rgb"), predicted_extremes(steps, luma, rgb, judged.survey.source), strict=True)
    return {
        f"{what}_{end}": np.asarray(values[:, n], np.float64)
        for what, values in treated
        for n, end in enumerate(("min", "max"))
    }


def _span(shot: Shot) -> slice:
    return slice(shot.first, shot.last + 1)
