"""What is to be written of a programme: the work that was done on it, and the least treatment for whatever was left."""

from collections.abc import Sequence
from dataclasses import dataclass

from bluffline.propose.propose import Proposal
from bluffline.prove.prove import propose_all
from bluffline.rules.shots import Shot
from bluffline.session.work import NO_CUTS, Cuts, Work, carried
from bluffline.session.workfile import WorkFile
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import Survey
from bluffline.treat.ladder import Treatment


@dataclass(frozen=True)
class Plan:
    """The shots of a programme as they are divided by hand, and the whole ladder of each that has one, by its number."""

    shots: list[Shot]
    ladders: dict[int, Treatment]


def plan_of(survey: Survey, file: WorkFile | None = None, listed: Sequence[int] | None = None) -> Plan:
    """The work in a file, brought to the shots of a finished survey; without one, nothing is treated.

    ``listed``: the frames that shots begin at by somebody's list, whatever was found or is divided otherwise in the work.
    """
    found = survey.shots()
    cuts = NO_CUTS if file is None else file.work.cuts
    if listed is not None:
        cuts = Cuts.listed(listed, found)
    shots = cuts.of(found)
    if file is None:
        return Plan(shots, {})
    work: Work = carried(file.work, file.work.cuts.of(file.shots), shots)
    return Plan(shots, work.ladders(len(shots)))


def legalised(survey: Survey, plan: Plan, monitor: Monitor) -> Plan:
    """The same with the least treatment for each shot that needs one and has no ladder: what somebody made stays as it is."""
    left = [finding for finding in survey.findings(plan.shots) if finding.shot not in plan.ladders]
    proposals: list[Proposal] = propose_all(survey, plan.shots, left, monitor)
    return Plan(plan.shots, plan.ladders | {proposal.shot: proposal.treatment for proposal in proposals})
