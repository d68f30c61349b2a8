"""The least treatment that makes a shot legal, with the reason for each of its steps."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from bluffline.figures import figure
from bluffline.measure.counted import Limits
from bluffline.measure.frame_measure import FrameMeasure
from bluffline.prove.survey import Survey, exacting, measure_by_rules
from bluffline.rules.columns import percent_columns
from bluffline.rules.findings import Finding
from bluffline.rules.shots import Shot
from bluffline.signal.format import Planes
from bluffline.signal.levels import Range
from bluffline.treat.colour import COLOUR_STEPS
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.treat.steps import (
    STEP_ORDER,
    ChromaRein,
    LevelRemap,
    RemapMode,
    SoftCeiling,
    SoftFloor,
    Step,
    Treatment,
    colours_of,
    tone_curve,
    with_step,
)

_KNEE_REACH = 2.5  # the roll-off takes this many times the excess below the limit …
_KNEE_LEAST, _KNEE_MOST = 5.0, 30.0  # … but no less and no more than so many percent
_ROUNDS = 4
_STRAY = 0.1  # percent of the picture that lies beyond either of the percentiles that the survey keeps
# Findings that a treatment answers.
ANSWERED = frozenset({"luma-high", "luma-low", "rgb-high", "rgb-low", "outside", "reserved", "blanking"})

PlanesAt = Callable[[int], Planes | None]


@dataclass(frozen=True, slots=True)
class Proposal:
    """A treatment for one shot and, in the order of its steps, why each is there."""

    shot: int
    treatment: Treatment
    reasons: tuple[str, ...]


def ceiling_for(peak: float, limit: float, *, hard: bool = False) -> SoftCeiling:
    """A soft ceiling that brings ``peak`` to ``limit`` (percent) with a knee in proportion to the excess."""
    return SoftCeiling(limit, max(peak, limit), limit - _knee_room(peak - limit), hard)


def floor_for(trough: float, limit: float, *, hard: bool = False) -> SoftFloor:
    """A soft floor that brings ``trough`` to ``limit`` (percent)."""
    return SoftFloor(limit, min(trough, limit), limit + _knee_room(limit - trough), hard)


def _knee_room(excess: float) -> float:
    return round(min(max(_KNEE_REACH * excess, _KNEE_LEAST), _KNEE_MOST), 1)


def luma_extremes(survey: Survey, shot: Shot) -> tuple[float, float]:
    """Least and greatest luma of a shot, in percent, but for as few pixels as the rules tolerate in any case.

    They set a curve; one stray pixel must not. Where rules tolerate less than a thousandth of the picture, every pixel counts.
    """
    percent = percent_columns(survey.table, survey.source)
    span = slice(shot.first, shot.last + 1)
    readable = survey.table.column("readable")[span]
    if not readable.any():
        return 0.0, 100.0
    low, high = ("y_p01", "y_p999") if survey.rules.area >= _STRAY else ("y_min", "y_max")
    return float(percent[low][span][readable].min()), float(percent[high][span][readable].max())


def propose(
    survey: Survey,
    number: int,
    shot: Shot,
    findings: Sequence[Finding],
    look: PlanesAt,
    treatment: Treatment = (),
    *,
    remap: bool = False,
) -> Proposal | None:
    """The least treatment for a shot with must-fix findings, tried on its worst frames; None where nothing is wrong.

    Parameters
    ----------
    findings : of this shot
    look : gives the native planes of a frame, or None where it can't be decoded
    treatment : that the shot has; its steps on colours and its level remap are kept, and what they leave is made legal
    remap : the whole source is surely of the other range, so every shot of it is remapped
    """
    rules = {finding.rule for finding in findings}
    kept = tuple(step for step in treatment if isinstance(step, (*COLOUR_STEPS, LevelRemap)))
    if not rules & ANSWERED and not colours_of(kept) and not remap:
        return None
    source = survey.source
    steps: list[tuple[Step, str]] = []
    if remap and not any(isinstance(step, LevelRemap) for step in kept):
        mode = RemapMode.FULL_TO_NARROW if source.range is Range.NARROW else RemapMode.NARROW_TO_FULL
        steps.append((LevelRemap.mistagged(mode, source.bit_depth, source.levels), f"the shot is {mode.split(' ')[0]} range"))
    samples = [planes for frame in _worst_frames(survey, shot, findings) if (planes := look(frame)) is not None]
    low, high = luma_extremes(survey, shot)
    for _ in range(_ROUNDS):
        treatment = (*kept, *(step for step, _ in steps))
        broken = _broken(survey, treatment, samples)
        added = _remedies(survey, treatment, broken, (low, high))
        if not added:
            break
        steps += added
        steps.sort(key=lambda pair: STEP_ORDER.index(type(pair[0])))
    if not steps and rules & ANSWERED:
        # What is outside is too little, or lies outside the picture: limits that leave all else as it is.
        steps = _bare_limits(survey)
    if not steps:
        return None
    return Proposal(number, (*kept, *(step for step, _ in steps)), tuple(reason for _, reason in steps))


def _remedies(
    survey: Survey, treatment: Treatment, broken: dict[str, float], extremes: tuple[float, float]
) -> list[tuple[Step, str]]:
    """The steps that are still missing, tone before chroma: a ceiling often mends R′G′B′ as well."""
    limits = survey.rules.limits
    have = {type(step) for step in treatment}
    low, high = (float(value) for value in tone_curve(treatment, np.array(extremes))[0])
    added: list[tuple[Step, str]] = []
    together = "outside" in broken and not broken.keys() & {"luma-high", "luma-low", "rgb-high", "rgb-low"}
    over, under = (rule in broken or (together and broken.get(f"{rule}-share", 0) > 0) for rule in ("luma-high", "luma-low"))
    if over and SoftCeiling not in have:
        added.append((ceiling_for(high, limits.luma[1]), _told("reaches", high, limits.luma[1])))
    if under and SoftFloor not in have:
        added.append((floor_for(low, limits.luma[0]), _told("falls to", low, limits.luma[0])))
    if not added and ChromaRein not in have and ("rgb-high" in broken or "rgb-low" in broken or together):
        area = max(broken.get(rule, 0) for rule in ("rgb-high", "rgb-low", "outside"))
        added.append((ChromaRein(*limits.rgb), f"R′G′B′ is outside on {area:.1f} % of the picture"))
    return added


def _bare_limits(survey: Survey) -> list[tuple[Step, str]]:
    """Hard limits, for stray pixels that no curve is to be bent for."""
    limits = survey.rules.limits
    return [
        (ceiling_for(limits.luma[1], limits.luma[1], hard=True), f"stray pixels over {limits.luma[1]:g} % are held"),
        (
            floor_for(limits.luma[0], limits.luma[0], hard=True),
            f"stray pixels under {figure(limits.luma[0])} % are held",
        ),
        (ChromaRein(*limits.rgb, onset=0.0), "stray colours are reined in"),
    ]


def _told(how: str, value: float, limit: float) -> str:
    return f"luma {how} {figure(value, '.1f')} %, the limit is {figure(limit)} %"


def _worst_frames(survey: Survey, shot: Shot, findings: Sequence[Finding]) -> list[int]:
    """Frames that say most about a shot: for each rule broken, the one furthest out and the one most widely out."""
    chosen = {finding.worst_frame for finding in findings} or {shot.first, (shot.first + shot.last) // 2, shot.last}
    for rule in ("luma_high", "luma_low", "rgb_high", "rgb_low", "outside"):
        area = survey.table.column(f"{rule}_area")[shot.first : shot.last + 1]
        if area.max() > 0:
            chosen.add(shot.first + int(np.argmax(area)))
    return sorted(chosen)


def _broken(survey: Survey, treatment: Treatment, samples: Sequence[Planes]) -> dict[str, float]:
    """Rules that sample frames still break under a treatment, with the widest area in percent.

    With ``-share`` behind its name, each limit that is broken at all, however little.
    """
    treat = FrameTreatment(treatment, survey.source, region=survey.region)
    exact = exacting(survey.rules)
    worst: dict[str, float] = {}
    for planes in samples:
        measure = measure_by_rules(treat.apply(planes), survey.source, survey.region, exact)
        for rule, area in areas_outside(measure).items():
            if survey.rules.outside(area):
                worst[rule] = max(area, worst.get(rule, 0.0))
            if area > 0:
                worst[f"{rule}-share"] = max(area, worst.get(f"{rule}-share", 0.0))
    return worst


def areas_outside(measure: FrameMeasure) -> dict[str, float]:
    """Percent of the active picture outside each limit, by rule."""
    return {
        "luma-high": measure.luma_high_area,
        "luma-low": measure.luma_low_area,
        "rgb-high": measure.rgb_high_area,
        "rgb-low": measure.rgb_low_area,
        "outside": measure.outside_area,
    }


def tightened(treatment: Treatment, rule: str, by: float, extremes: tuple[float, float], limits: Limits) -> Treatment:
    """A treatment that keeps ``by`` percent more clear of the limit that a written file was found to break.

    ``extremes``: luma of the source shot (percent), for a step that has to be added.
    """
    steps = list(treatment)
    answers: dict[str, type[Step]] = {"luma-high": SoftCeiling, "luma-low": SoftFloor}
    kind = answers.get(rule, ChromaRein)
    if not any(isinstance(step, kind) and not step.bypassed for step in steps):
        low, high = (float(value) for value in tone_curve(treatment, np.array(extremes))[0])
        added: dict[type[Step], Step] = {
            SoftCeiling: ceiling_for(high, limits.luma[1]),
            SoftFloor: floor_for(low, limits.luma[0]),
            ChromaRein: ChromaRein(*limits.rgb),
        }
        steps = list(with_step(treatment, added[kind]))
    for index, step in enumerate(steps):
        if isinstance(step, SoftCeiling) and kind is SoftCeiling:
            steps[index] = replace(step, limit=step.limit - by, knee=min(step.knee, step.limit - by - 1))
        elif isinstance(step, SoftFloor) and kind is SoftFloor:
            steps[index] = replace(step, limit=step.limit + by, knee=max(step.knee, step.limit + by + 1))
        elif isinstance(step, ChromaRein) and kind is ChromaRein:
            up, down = (by, 0.0) if rule == "rgb-high" else (0.0, by)
            steps[index] = replace(step, high=step.high - up, low=step.low + down)
    return tuple(steps)
