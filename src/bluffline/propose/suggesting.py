"""Proposals for a shot of a programme: looked at, suggested, made legal."""

from collections.abc import Sequence
from dataclasses import replace
from enum import StrEnum

import numpy as np

from bluffline.measure.areas import Area
from bluffline.measure.bars import read_bars
from bluffline.measure.frame_signal import FrameSignal
from bluffline.propose.lights import offered_lights
from bluffline.propose.pixels import Pixels, PlanesAt, frames_of, look_at
from bluffline.propose.proposals import BEARABLE, Suggested, What, steps_of, suggest
from bluffline.propose.propose import Offered, Proposal, held_inside, propose
from bluffline.rules.aims import Aims
from bluffline.rules.finding import Finding
from bluffline.rules.levels import LIKELY, ShotLevels, mistagged, shot_levels, source_levels
from bluffline.rules.shots import Shot
from bluffline.signal.levels import Range
from bluffline.survey.survey import Survey
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.level_remap import LevelRemap, RemapMode
from bluffline.treat.ladder import Treatment, apply_to_colours, ordered, with_step
from bluffline.treat.step import Heading, called


class Wanted(StrEnum):
    """What an operator asks to have proposed."""

    LEVELS = "levels"
    EXPOSURE = "exposure"
    BALANCE = "balance"
    LOG = "log"
    SKIN = "skin"
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
    levels: ShotLevels | None = None,
    offering: bool = True,
    beside: tuple[str, Balance] | None = None,
) -> Proposal:
    """What is proposed for a shot beside the treatment that it has; bars are left alone.

    Parameters
    ----------
    findings : of this shot
    look : gives the native planes of a frame, or None where it can't be decoded
    areas : in the shot, for what they are named
    levels : the evidence for the range that the shot was made in, see `evidence_for`
    offering : lights where none is sure
    beside : another shot's balance, and what to call it where it is offered

    Raises
    ------
    MediaError : none of its frames can be decoded
    """
    planes = look(shot.middle)
    if planes is not None and read_bars(FrameSignal(planes, survey.source), survey.region) is not None:
        return Proposal(number, treatment, (), ("these are colour bars: what they show is what they are for",))
    others = [each for each in wanted if each not in (Wanted.LEGAL, Wanted.LEVELS)]
    what = BEARABLE if Wanted.BEARABLE in wanted else tuple(What(each) for each in others)
    legal = {Wanted.BEARABLE, Wanted.LEGAL} & set(wanted)
    whole = ordered(treatment)
    reasons: list[str] = []
    left: list[str] = []
    if Wanted.LEVELS in wanted:  # wrong levels are mended first: all else is looked at behind them
        if levels is None or any(isinstance(step, LevelRemap) for step in whole):
            left.append("levels: they contradict no tag" if levels is None else "levels: they are remapped already")
        else:
            source = survey.source
            mode = RemapMode.FULL_TO_NARROW if source.range is Range.NARROW else RemapMode.NARROW_TO_FULL
            remap = LevelRemap.mistagged(mode, source.bit_depth, source.levels)
            whole = with_step(whole, replace(remap, heading=Heading.SHOT))
            reasons.append(f"{called(LevelRemap)}: {levels.reason} (confidence {levels.confidence:.2f})")
    suggested: list[Suggested] = []
    if what:
        pixels = pixels_of(survey, shot, look, whole, areas)
        suggested = suggest(pixels, what, aims, bearable=Wanted.BEARABLE in wanted)
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
    if whole != ordered(treatment):
        whole, held = held_inside(survey, shot, findings, look, whole)
        reasons += held
    proposal = Proposal(number, whole, tuple(reasons), tuple(left))
    if not offering or not any(one.what is What.BALANCE and not one.sure for one in suggested):
        return proposal
    behind = pixels.through(steps_of(suggested))
    seen, offered = behind.rgb[len(behind.rgb) // 2], []
    for offer in offered_lights(behind, aims, beside):
        ladder, held = held_inside(survey, shot, findings, look, with_step(whole, offer.step))
        taken = Proposal(number, ladder, (*reasons, f"{called(offer.step)}: {offer.title}, {offer.told}", *held))
        offered.append(Offered(offer, taken, np.asarray(apply_to_colours((offer.step,), seen, survey.source))))
    return replace(proposal, offered=tuple(offered), seen=seen)


def evidence_for(survey: Survey, shots: Sequence[Shot], number: int) -> ShotLevels | None:
    """What speaks against the range that a shot is read as: all of the source, or the shot alone; None where nothing does."""
    levels = [shot_levels(survey.table, shot) for shot in shots]
    whole = source_levels(levels, [shot.length for shot in shots])
    if mistagged(whole, survey.source):
        return whole
    own = levels[number]
    return own if own.speaks_for not in (None, survey.source.range) and own.confidence >= LIKELY else None


def pixels_of(survey: Survey, shot: Shot, look: PlanesAt, treatment: Treatment = (), areas: Sequence[Area] = ()) -> Pixels:
    """What a shot looks like behind a treatment.

    Raises
    ------
    MediaError : none of its frames can be decoded
    """
    return look_at(look, frames_of(shot), survey.source, survey.region, treatment=treatment, areas=areas)
