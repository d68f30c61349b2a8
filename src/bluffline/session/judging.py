"""A survey judged, while it grows and when it is done."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from threading import Event, Lock, Thread
from time import monotonic

from bluffline.errors import CancelledError
from bluffline.rules.columns import Column, Memo
from bluffline.rules.finding import Finding
from bluffline.rules.shots import Shot
from bluffline.rules.transitions import Transition
from bluffline.session.work import NO_CUTS, Cuts
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import Survey, run_survey

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
