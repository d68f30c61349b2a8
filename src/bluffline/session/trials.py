"""What the treatments in force are known to make of their shots; tried in the background, dropped when they change."""

from collections.abc import Callable, Mapping, Sequence
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


class Trials:
    """The latest trial of each shot. One thread at a time."""

    def __init__(self) -> None:
        self._known: dict[Shot, Trial] = {}

    def take(self, trial: Trial) -> None:
        """Take over what was tried."""
        self._known[trial.shot] = trial

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
        treatments: Mapping[int, Treatment],
        findings: Sequence[Finding],
        first: int,
        codec: str = "",
        only_coded: Sequence[int] = (),
    ) -> list[Untried]:
        """What is still to be tried: the shot ``first`` before the others, and last those that are ``only_coded``."""
        wanted = []
        for number in sorted(treatments, key=lambda each: (each != first, each)):
            treatment = treatments[number]
            if number >= len(shots) or not acts(treatment):
                continue
            others = beside(shots, number, treatments)
            trial = self.of(survey, shots[number], treatment, codec, others)
            if trial is None or not trial.whole:
                own = tuple(finding for finding in findings if finding.shot == number)
                wanted.append(Untried(shots[number], treatment, own, trial is not None, others))
        coded = [shots[number] for number in only_coded if self.of(survey, shots[number], (), codec) is None]
        return wanted + [Untried(shot, (), (), seen=False) for shot in coded]


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
