"""Proposals for a shot of a programme: looked at, suggested, made legal."""

from collections.abc import Sequence
from enum import StrEnum

from bluffline.measure.areas import Area
from bluffline.measure.bars import read_bars
from bluffline.measure.scopes import FrameSignal
from bluffline.prove.pixels import Pixels, PlanesAt, frames_of, look_at
from bluffline.prove.proposals import BEARABLE, What, steps_of, suggest
from bluffline.prove.propose import Proposal, propose
from bluffline.prove.survey import Survey
from bluffline.rules.aims import Aims
from bluffline.rules.findings import Finding
from bluffline.rules.shots import Shot
from bluffline.treat.kinds.level_remap import LevelRemap
from bluffline.treat.ladder import Treatment, ordered, with_step
from bluffline.treat.step import called


class Wanted(StrEnum):
    """What an operator asks to have proposed."""

    EXPOSURE = "exposure"
    BALANCE = "balance"
    LOG = "log"
    BEARABLE = "bearable"
    LEGAL = "legal"


def propose_look(
    survey: Survey,
    number: int,
    shot: Shot,
    findings: Sequence[Finding],
    look: PlanesAt,
    wanted: Sequence[Wanted],
    aims: Aims,
    treatment: Treatment = (),
    areas: Sequence[Area] = (),
    *,
    remap: bool = False,
) -> Proposal:
    """What is proposed for a shot beside the treatment that it has; bars are left alone.

    Parameters
    ----------
    findings : of this shot
    look : gives the native planes of a frame, or None where it can't be decoded
    areas : in the shot, for what they are named
    remap : the whole source is surely of the other range

    Raises
    ------
    MediaError : none of its frames can be decoded
    """
    planes = look((shot.first + shot.last) // 2)
    if planes is not None and read_bars(FrameSignal(planes, survey.source), survey.region) is not None:
        return Proposal(number, treatment, (), ("these are colour bars: what they show is what they are for",))
    what = BEARABLE if Wanted.BEARABLE in wanted else tuple(What(each) for each in wanted if each is not Wanted.LEGAL)
    legal = {Wanted.BEARABLE, Wanted.LEGAL} & set(wanted)
    whole = ordered(treatment)
    reasons: list[str] = []
    left: list[str] = []
    if legal and remap:  # wrong levels are mended first: all else is looked at behind them
        mended = propose(survey, number, shot, (), look, treatment, remap=True)
        for step, reason in zip(mended.treatment, mended.reasons, strict=False) if mended else ():
            if isinstance(step, LevelRemap) and step not in whole:
                whole = with_step(whole, step)
                reasons.append(reason)
    if what:
        pixels = pixels_of(survey, shot, look, whole, areas)
        suggested = suggest(pixels, what, aims)
        for one in suggested:
            named = called(one.step) if one.step is not None else str(one.what)
            (reasons if one.step is not None else left).append(f"{named}: {one.reason}")
        for step in steps_of(suggested):
            whole = with_step(whole, step)
    if legal:
        made = propose(survey, number, shot, findings, look, whole)
        if made is not None:
            reasons += [reason for reason in made.reasons if reason]
            whole = made.treatment
        else:
            left.append("limits: nothing is outside them")
    return Proposal(number, whole, tuple(reasons), tuple(left))


def pixels_of(survey: Survey, shot: Shot, look: PlanesAt, treatment: Treatment = (), areas: Sequence[Area] = ()) -> Pixels:
    """What a shot looks like behind a treatment.

    Raises
    ------
    MediaError : none of its frames can be decoded
    """
    return look_at(look, frames_of(shot), survey.source, survey.region, treatment=treatment, first=shot.first, areas=areas)
