"""The least treatment that makes a shot legal, with the reason for each of its steps."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import scipy  # its parts are loaded when they are first used
from numpy.typing import NDArray

from bluffline.figures import figure
from bluffline.measure.counted import Limits, luma_codes, ycbcr_planes
from bluffline.measure.frame_measure import FrameMeasure
from bluffline.propose.knees import sparing
from bluffline.propose.lights import Offer
from bluffline.rules.catalogue import answered
from bluffline.rules.columns import percent_columns
from bluffline.rules.finding import Finding
from bluffline.rules.shots import Shot
from bluffline.signal.format import Planes
from bluffline.survey.survey import Survey, exacting, measure_by_rules
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.soft_floor import SoftFloor
from bluffline.treat.ladder import Treatment, acts, colours_of, ordered, tone_curve, with_step
from bluffline.treat.step import Signal, Step, called

_ROUNDS = 4
_ANSWERS: dict[str, type[Step]] = {
    "luma-high": SoftCeiling, "luma-low": SoftFloor, "rgb-high": ChromaRein, "rgb-low": ChromaRein,
}  # fmt: skip
_THIN = 3  # pixels: what is narrower is thin
_STRAY = 0.1  # percent of the picture that lies beyond either of the percentiles that the survey keeps
ANSWERED = answered()

PlanesAt = Callable[[int], Planes | None]


@dataclass(frozen=True, slots=True)
class Proposal:
    """A treatment for one shot and, in the order of its steps, why each is there; ``left``: what was left alone, and why.

    ``offered``: lights to choose from, where none is sure; ``seen``: then the shot with the treatment, (H, W, 3) R′G′B′.
    """

    shot: int
    treatment: Treatment
    reasons: tuple[str, ...]
    left: tuple[str, ...] = ()
    offered: "tuple[Offered, ...]" = ()
    seen: NDArray[np.float64] | None = None


@dataclass(frozen=True, slots=True, eq=False)
class Offered:
    """A light, the whole treatment with its balance, and the shot so treated, small, (H, W, 3) R′G′B′."""

    offer: Offer
    proposal: Proposal
    seen: NDArray[np.float64]


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
) -> Proposal | None:
    """The least treatment for a shot with must-fix findings, tried on its worst frames; None where nothing is wrong.

    Parameters
    ----------
    findings : of this shot
    look : gives the native planes of a frame, or None where it can't be decoded
    treatment : that the shot has; its steps on colours and its level remap are kept, and what they leave is made legal
    """
    rules = {finding.rule for finding in findings}
    kept = tuple(step for step in treatment if not step.limits or not step.reach.everywhere)
    if not rules & ANSWERED and not acts(kept):
        return None
    steps: list[tuple[Step, str]] = []
    samples = _Samples(look, _worst_frames(survey, shot, findings))
    low, high = _without_the_thin(survey, samples, luma_extremes(survey, shot))
    for _ in range(_ROUNDS):
        treatment = _together(kept, steps)
        broken = _broken(survey, treatment, samples)
        added = _remedies(survey, treatment, broken, _extremes_after(survey, treatment, samples, (low, high)), samples)
        if not added:
            break
        steps += added
    if not steps and rules & ANSWERED:
        # What is outside is too little, or lies outside the picture: limits that leave all else as it is.
        steps = _bare_limits(survey)
    if not steps:
        return None
    treatment = _together(kept, steps)
    steps.sort(key=lambda pair: treatment.index(pair[0]))
    return Proposal(number, treatment, tuple(reason for _, reason in steps))


def held_inside(
    survey: Survey, shot: Shot, findings: Sequence[Finding], look: PlanesAt, treatment: Treatment
) -> tuple[Treatment, tuple[str, ...]]:
    """A treatment that changes a shot, with hard limits for whatever single pixels it leaves outside, and why they are there.

    Rules let a small share of a picture pass; but what is proposed is to put no pixel outside that was inside.
    """
    samples = _Samples(look, _worst_frames(survey, shot, findings))
    reasons: list[str] = []
    for step, reason in _bare_limits(survey):
        broken = _broken(survey, treatment, samples)
        over = any(f"{rule}-share" in broken for rule, kind in _ANSWERS.items() if kind is type(step))
        if over and not any(type(one) is type(step) and one.on and one.reach.everywhere for one in treatment):
            treatment = with_step(treatment, step)
            reasons.append(f"{called(step)}: {reason}")
    return treatment, tuple(reasons)


def _together(kept: Treatment, steps: Sequence[tuple[Step, str]]) -> Treatment:
    treatment = ordered(kept)
    for step, _ in steps:
        treatment = with_step(treatment, step)
    return treatment


def _extremes_after(
    survey: Survey, treatment: Treatment, samples: "_Samples", extremes: tuple[float, float]
) -> tuple[float, float]:
    """Least and greatest luma (percent) under a treatment: of greys where that tells all, else as sample frames measure it."""
    treat, levels = FrameTreatment(treatment, survey.source, region=survey.region), survey.source.levels
    looked = samples if colours_of(treatment) else ()
    broad = (_broad_luma(treat.apply(planes, frame), survey) for frame, planes in looked)
    found = [(float(luma.min()), float(luma.max())) for luma in broad]
    if not found:
        low, high = (float(value) for value in tone_curve(treatment, np.array(extremes), survey.source)[0])
        return low, high
    return levels.percent(min(low for low, _ in found)), levels.percent(max(high for _, high in found))


def _without_the_thin(survey: Survey, samples: "_Samples", extremes: tuple[float, float]) -> tuple[float, float]:
    """Extremes less what only thin parts of the sample frames reach beyond the limits: the limit is what they are held at.

    Coding rings beside edges: that is no tone of the picture, and a curve bent for it would grey what stands beside it.
    """
    (low, high), (dark, light) = extremes, survey.rules.limits.luma
    if low >= dark and high <= light:
        return extremes
    stray = _STRAY if survey.rules.area >= _STRAY else 0.0
    broad = [np.percentile(_broad_luma(planes, survey), (stray, 100 - stray)) for _, planes in samples]
    if not broad:
        return extremes
    levels = survey.source.levels
    least, most = levels.percent(float(min(ends[0] for ends in broad))), levels.percent(float(max(ends[1] for ends in broad)))
    return max(low, min(least, dark)), min(high, max(most, light))


def _active_luma(planes: Planes, survey: Survey) -> NDArray[Any]:
    region = survey.region
    return ycbcr_planes(planes, survey.source)[0][region.y : region.y + region.height, region.x : region.x + region.width]


def _broad_luma(planes: Planes, survey: Survey) -> NDArray[Any]:
    """Luma of the active picture; what is beyond a limit and thin, on legal ground, stands at the limit."""
    luma = _active_luma(planes, survey)
    dark, light = luma_codes(survey.rules.limits, survey.source)
    opened, closed = scipy.ndimage.grey_opening(luma, _THIN), scipy.ndimage.grey_closing(luma, _THIN)
    held = np.where(opened > light, luma, np.minimum(luma, light))
    return np.where(closed < dark, held, np.maximum(held, dark))


def _remedies(
    survey: Survey, treatment: Treatment, broken: dict[str, float], extremes: tuple[float, float], samples: "_Samples"
) -> list[tuple[Step, str]]:
    """The steps that are still missing, tone before chroma: a ceiling often mends R′G′B′ as well."""
    limits = survey.rules.limits
    have = {type(step) for step in treatment if step.on and step.reach.everywhere}
    low, high = extremes
    added: list[tuple[Step, str]] = []
    together = "outside" in broken and not broken.keys() & {"luma-high", "luma-low", "rgb-high", "rgb-low"}
    over, under = (rule in broken or (together and broken.get(f"{rule}-share", 0) > 0) for rule in ("luma-high", "luma-low"))
    if over and SoftCeiling not in have:
        ceiling = SoftCeiling.towards(high, limits.luma[1])
        told = _told("over", "reaches", high, limits.luma[1])
        added.append((sparing(ceiling, _tones(survey, treatment, samples), survey.source, limits.luma), told))
    if under and SoftFloor not in have:
        floor = SoftFloor.towards(low, limits.luma[0])
        told = _told("under", "falls to", low, limits.luma[0])
        added.append((sparing(floor, _tones(survey, treatment, samples), survey.source, limits.luma), told))
    if not added and ChromaRein not in have and ("rgb-high" in broken or "rgb-low" in broken or together):
        area = max(broken.get(rule, 0) for rule in ("rgb-high", "rgb-low", "outside"))
        added.append((ChromaRein(*limits.rgb), f"R′G′B′ is outside on {area:.1f} % of the picture"))
    return added


def _tones(survey: Survey, treatment: Treatment, samples: "_Samples") -> list[NDArray[np.int64]]:
    """How many pixels of the active picture stand at each luma code under a treatment, by sample frame."""
    treat, codes = FrameTreatment(treatment, survey.source, region=survey.region), 1 << survey.source.bit_depth
    lumas = (_active_luma(treat.apply(planes, frame), survey) for frame, planes in samples)
    return [np.bincount(luma.ravel(), minlength=codes) for luma in lumas]


def _bare_limits(survey: Survey) -> list[tuple[Step, str]]:
    """Hard limits, for stray pixels that no curve is to be bent for."""
    limits = survey.rules.limits
    return [
        (SoftCeiling.towards(limits.luma[1], limits.luma[1], hard=True), f"stray pixels over {limits.luma[1]:g} % are held"),
        (
            SoftFloor.towards(limits.luma[0], limits.luma[0], hard=True),
            f"stray pixels under {figure(limits.luma[0])} % are held",
        ),
        (ChromaRein(*limits.rgb, onset=0.0), "stray colours are reined in"),
    ]


def _told(side: str, how: str, value: float, limit: float) -> str:
    beyond = value > limit if side == "over" else value < limit
    if not beyond:
        return f"only thin parts are {side} {figure(limit)} %: they are held there, and no curve is bent for them"
    return f"luma {how} {figure(value, '.1f')} %, the limit is {figure(limit)} %"


def _worst_frames(survey: Survey, shot: Shot, findings: Sequence[Finding]) -> list[int]:
    """Frames that say most about a shot: for each rule broken, the one furthest out and the one most widely out."""
    chosen = {finding.worst_frame for finding in findings} or {shot.first, (shot.first + shot.last) // 2, shot.last}
    for rule in ("luma_high", "luma_low", "rgb_high", "rgb_low", "outside"):
        area = survey.table.column(f"{rule}_area")[shot.first : shot.last + 1]
        if area.max() > 0:
            chosen.add(shot.first + int(np.argmax(area)))
    return sorted(chosen)


class _Samples:
    """Frames that say most about a shot, read whenever they are looked at: of large pictures not all can be held."""

    def __init__(self, look: PlanesAt, frames: Sequence[int]) -> None:
        self._look, self._frames = look, frames

    def __iter__(self) -> Iterator[tuple[int, Planes]]:
        return ((frame, planes) for frame in self._frames if (planes := self._look(frame)) is not None)


def _broken(survey: Survey, treatment: Treatment, samples: "_Samples") -> dict[str, float]:
    """Rules that sample frames still break under a treatment, with the widest area in percent.

    With ``-share`` behind its name, each limit that is broken at all, however little.
    """
    treat = FrameTreatment(treatment, survey.source, region=survey.region)
    exact = exacting(survey.rules)
    worst: dict[str, float] = {}
    for frame, planes in samples:
        measure = measure_by_rules(treat.apply(planes, frame), survey.source, survey.region, exact)
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


def tightened(
    treatment: Treatment, rule: str, by: float, extremes: tuple[float, float], limits: Limits, signal: Signal
) -> Treatment:
    """A treatment that keeps ``by`` percent more clear of the limit that a written file was found to break.

    ``extremes``: luma of the source shot (percent), for a step that has to be added.
    """
    steps = list(treatment)
    kind = _ANSWERS.get(rule, ChromaRein)
    if not any(isinstance(step, kind) and step.on and step.reach.everywhere for step in steps):
        low, high = (float(value) for value in tone_curve(treatment, np.array(extremes), signal)[0])
        added: dict[type[Step], Step] = {
            SoftCeiling: SoftCeiling.towards(high, limits.luma[1]),
            SoftFloor: SoftFloor.towards(low, limits.luma[0]),
            ChromaRein: ChromaRein(*limits.rgb),
        }
        steps = list(with_step(treatment, added[kind]))
    for index, step in enumerate(steps):
        if not step.reach.everywhere:
            continue
        if isinstance(step, SoftCeiling) and kind is SoftCeiling:
            steps[index] = replace(step, limit=step.limit - by, knee=min(step.knee, step.limit - by - 1))
        elif isinstance(step, SoftFloor) and kind is SoftFloor:
            steps[index] = replace(step, limit=step.limit + by, knee=max(step.knee, step.limit + by + 1))
        elif isinstance(step, ChromaRein) and kind is ChromaRein:
            up, down = (by, 0.0) if rule == "rgb-high" else (0.0, by)
            steps[index] = replace(step, high=step.high - up, low=step.low + down)
    return tuple(steps)
