"""What the treatments in force are known to make of their shots; tried in the background, dropped when they change."""

from bisect import bisect_left
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from bluffline.media.coding import Coding
from bluffline.media.reader import Reader
from bluffline.prove.across import Beside, beside
from bluffline.prove.trial import Trial, frames_to_code, telling_frames, try_treatment
from bluffline.rules.finding import Finding
from bluffline.rules.shots import Shot
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import Survey
from bluffline.treat.ladder import Treatment, acts


@dataclass(frozen=True, eq=False)
class Untried:
    """A shot that is to be tried; ``seen``: some frames of it have been already. One without a treatment is only coded.

    ``others``: what is mixed into it.
    """

    shot: Shot
    treatment: Treatment
    findings: tuple[Finding, ...]
    seen: bool
    others: tuple[Beside, ...] = ()


@dataclass(frozen=True, eq=False, slots=True)
class Standing:
    """How a shot stands that has a ladder: what is mixed into it, and the trial of just these, if they have been tried."""

    shot: Shot
    steps: Treatment
    others: tuple[Beside, ...]
    trial: Trial | None


class Trials:
    """The latest trial of each shot. One thread at a time."""

    def __init__(self) -> None:
        self._known: dict[Shot, Trial] = {}
        self._came: set[Shot] = set()  # those that were tried since it was asked how shots stand
        self._asked: tuple[object, ...] = ()
        self._standing: dict[int, Standing] = {}

    def take(self, trial: Trial) -> None:
        """Take over what was tried."""
        self._known[trial.shot] = trial
        self._came.add(trial.shot)

    def standing(
        self, survey: Survey, shots: Sequence[Shot], treatments: Mapping[int, Treatment], codec: str
    ) -> Mapping[int, Standing]:
        """How each of these shots stands that has a ladder, by its number.

        It is the same mapping while nothing has changed, and holds the same of every shot of which nothing has, so that whoever
        makes more of it does so for few of thousands.
        """
        asked = survey, shots, treatments, codec
        if len(self._asked) == len(asked) and all(one is other for one, other in zip(asked, self._asked, strict=True)):
            if not self._came:
                return self._standing
            numbers = {bisect_left(shots, shot.first, key=lambda other: other.first) for shot in self._came}
            found = dict(self._standing)
        else:
            numbers, found = set(treatments), {}
        for number in numbers:
            if number < len(shots) and number in treatments:
                found[number] = self._stands(survey, shots, treatments, codec, number)
        self._asked, self._standing, self._came = asked, found, set()
        return found

    def _stands(
        self, survey: Survey, shots: Sequence[Shot], treatments: Mapping[int, Treatment], codec: str, number: int
    ) -> Standing:
        shot, steps, before = shots[number], treatments[number], self._standing.get(number)
        others = beside(shots, number, treatments) if shot.opens or shot.closes else ()
        trial = self.of(survey, shot, steps, codec, others) if acts(steps) else None
        if before is not None and before.shot is shot and before.steps is steps and before.trial is trial:
            return before if before.others == others else Standing(shot, steps, others, trial)
        return Standing(shot, steps, others, trial)

    def of(
        self, survey: Survey, shot: Shot, treatment: Treatment, codec: str = "", others: tuple[Beside, ...] = ()
    ) -> Trial | None:
        """What this treatment, written in a codec and with others mixed in, is known to make of a shot."""
        trial = self._known.get(shot)
        if trial is None or trial.survey is not survey:
            return None
        return trial if (trial.treatment, trial.codec, trial.others) == (treatment, codec, others) else None

    def untried(
        self,
        survey: Survey,
        shots: Sequence[Shot],
        standing: Mapping[int, Standing],
        findings: Mapping[int, Sequence[Finding]],
        first: int,
        codec: str = "",
        only_coded: Sequence[int] = (),
    ) -> Iterator[Untried]:
        """What is still to be tried: the shot ``first`` before the others, and last those that are ``only_coded``.

        ``findings``: those of each shot that has any.
        """
        for number in sorted(standing, key=lambda each: (each != first, each)):
            each = standing[number]
            if acts(each.steps) and (each.trial is None or not each.trial.whole):
                own = tuple(findings.get(number, ()))
                yield Untried(each.shot, each.steps, own, each.trial is not None, each.others)
        for number in only_coded:
            if self.of(survey, shots[number], (), codec) is None:
                yield Untried(shots[number], (), (), seen=False)


def try_all(
    survey: Survey, wanted: Sequence[Untried], monitor: Monitor, tell: Callable[[Trial], None], coding: Coding | None = None
) -> None:
    """Try some frames of every shot first, then every frame; each trial is told as it is done.

    ``coding``: what telling frames go through, as they will when they are written.

    Raises
    ------
    CancelledError : the monitor was asked to stop; what was told remains true.
    """
    with Reader(survey.programme) as reader:
        treated = [each for each in wanted if each.treatment]
        for each in treated:
            if not each.seen:
                some = telling_frames(each.shot, each.findings)
                tell(try_treatment(survey, each.shot, each.treatment, reader, monitor, some, coding, each.others))
        for each in treated:
            tell(try_treatment(survey, each.shot, each.treatment, reader, monitor, None, coding, each.others))
        for each in wanted:
            if not each.treatment:
                tell(try_treatment(survey, each.shot, (), reader, monitor, frames_to_code(survey, each.shot), coding))
