"""A survey judged, while it grows and when it is done; and what its treatments will make of its extremes."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from threading import Event, Lock, Thread
from time import monotonic

import numpy as np

from bluffline.errors import CancelledError
from bluffline.prove.across import Beside, beside
from bluffline.prove.trial import Trial
from bluffline.rules.columns import Column, Memo
from bluffline.rules.finding import Finding
from bluffline.rules.shots import Shot
from bluffline.rules.transitions import Transition
from bluffline.session.work import NO_CUTS, Cuts
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import Survey, run_survey
from bluffline.treat.ladder import Treatment, predicted_extremes

_AGAIN_AFTER = 0.2  # seconds between two judgings of a survey that grows …
_REST = 8.0  # … or so many times what the last one took, so that it costs the survey little


@dataclass(frozen=True, eq=False)
class Judged:
    """What is known of a survey at one moment.

    ``found``: shots by the cuts that are seen; ``shots``: those, divided by hand as well; ``columns``: extremes of every frame
    in percent, see `percent_columns`; ``complete``: whether every frame had been measured; ``cuts``: how shots were divided.
    """

    survey: Survey
    found: list[Shot] = field(default_factory=list)
    shots: list[Shot] = field(default_factory=list)
    findings: list[Finding] = field(default_factory=list)
    columns: Mapping[str, Column] = field(default_factory=dict, repr=False)
    complete: bool = False
    cuts: Cuts = NO_CUTS


class Judge:
    """Judges one survey again and again; shots that have ended are judged once. Safe to use from any thread."""

    def __init__(self, survey: Survey) -> None:
        self.survey = survey
        self._memo = Memo()
        self._found: list[Shot] = []
        self._joins: list[Transition] = []  # that those were found by
        self._one = Lock()

    def judge(self, cuts: Cuts = NO_CUTS) -> Judged:
        """What is known by now, in shots divided by hand as well."""
        with self._one:
            return self._judge(cuts)

    def _judge(self, cuts: Cuts) -> Judged:
        survey = self.survey
        complete = survey.complete
        joins = survey.joins.found
        if not self._found or self._found[-1].last + 1 < len(survey.table) or joins is not self._joins:
            self._found, self._joins = survey.shots(), joins
        found = self._found
        shots = cuts.of(found)
        columns = self._memo.percent(survey.table.frozen(), survey.source)
        return Judged(survey, found, shots, survey.findings(shots, self._memo), columns, complete, cuts)


def survey_and_judge(judge: Judge, cuts: Callable[[], Cuts], monitor: Monitor, tell: Callable[[Judged], None]) -> Judged:
    """Run a survey and judge it; as it grows, what is known by then is told from a thread beside it.

    Raises
    ------
    CancelledError : the monitor was asked to stop; what was measured so far remains.
    """
    ended = Event()

    def grow() -> None:
        rest = _AGAIN_AFTER
        while not ended.wait(rest):
            began = monotonic()
            tell(judge.judge(cuts()))
            rest = max(_AGAIN_AFTER, _REST * (monotonic() - began))

    growing = Thread(target=grow, name="bluffline-judging", daemon=True)
    growing.start()
    try:
        run_survey(judge.survey, monitor)
    except CancelledError:
        ended.set()
        growing.join()
        tell(judge.judge(cuts()))
        raise
    finally:
        ended.set()
        growing.join()
    return judge.judge(cuts())


class TreatedColumns:
    """The extremes of every frame as the treatments will leave them; only shots that changed are reckoned anew."""

    def __init__(self) -> None:
        self._survey: Survey | None = None
        self._columns: dict[str, Column] = {}
        self._done: dict[Shot, tuple[Treatment, tuple[Beside, ...], Trial | None]] = {}

    def of(
        self, judged: Judged, treatments: Mapping[int, Treatment], trial_of: Callable[[int], Trial | None]
    ) -> dict[str, Column]:
        """In percent: as measured where all of a shot was tried; else luma exactly where steps look at it alone, and bounds."""
        if judged.survey is not self._survey:
            self._survey, self._done, self._columns = judged.survey, {}, {}
        for name, column in judged.columns.items():
            known = self._columns.get(name, column[:0])
            if len(known) < len(column):
                self._columns[name] = np.concatenate([known, column[len(known) :]])
        wanted = {
            judged.shots[number]: (
                steps,
                beside(judged.shots, number, treatments),
                trial if (trial := trial_of(number)) is not None and trial.whole else None,
            )
            for number, steps in treatments.items()
            if steps and number < len(judged.shots)
        }
        for shot in [shot for shot, done in self._done.items() if wanted.get(shot) != done]:
            del self._done[shot]
            self._put(shot, {name: column[_span(shot)] for name, column in judged.columns.items()})
        for shot, (steps, others, trial) in wanted.items():
            if shot not in self._done:
                self._done[shot] = steps, others, trial
                self._put(shot, trial.columns if trial is not None else _mixed(judged, shot, steps, others))
        return self._columns

    def _put(self, shot: Shot, columns: Mapping[str, Column]) -> None:
        for name, values in columns.items():
            self._columns[name][_span(shot)] = values


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
