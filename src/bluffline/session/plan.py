"""What is to be written of a programme: the work that was done on it, and the least treatment for whatever was left."""

from dataclasses import dataclass

from bluffline.propose.propose import Proposal
from bluffline.prove.prove import propose_all
from bluffline.rules.shots import Shot
from bluffline.session.work import Work, carried
from bluffline.session.workfile import WorkFile
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import Survey
from bluffline.treat.ladder import Treatment


@dataclass(frozen=True)
class Plan:
    """The shots of a programme as they are divided by hand, and the whole ladder of each that has one, by its number."""

    shots: list[Shot]
    ladders: dict[int, Treatment]


def plan_of(survey: Survey, file: WorkFile | None = None) -> Plan:
    """The work in a file, brought to the shots of a finished survey; without one, nothing is treated."""
    found = survey.shots()
    if file is None:
        return Plan(found, {})
    cuts = file.work.cuts
    shots = cuts.of(found)
    work: Work = carried(file.work, cuts.of(file.shots), shots)
    return Plan(shots, work.ladders(len(shots)))


def legalised(survey: Survey, plan: Plan, monitor: Monitor) -> Plan:
    """The same with the least treatment for each shot that needs one and has no ladder: what somebody made stays as it is."""
    left = [finding for finding in survey.findings(plan.shots) if finding.shot not in plan.ladders]
    proposals: list[Proposal] = propose_all(survey, plan.shots, left, monitor)
    return Plan(plan.shots, plan.ladders | {proposal.shot: proposal.treatment for proposal in proposals})
