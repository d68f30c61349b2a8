"""Steps added by hand: what their figures begin with."""

from bluffline.prove.propose import ceiling_for, floor_for, luma_extremes
from bluffline.prove.survey import Survey
from bluffline.rules.shots import Shot
from bluffline.signal.levels import Range
from bluffline.treat.colour import Balance, Cdl, HueNudge
from bluffline.treat.steps import ChromaRein, LevelRemap, RemapMode, SoftCeiling, SoftFloor, Step

# The steps that can be added by hand; others come from a chart fit or a file.
STEP_KINDS: tuple[type[Step], ...] = (Balance, HueNudge, Cdl, LevelRemap, SoftCeiling, SoftFloor, ChromaRein)
_SKIN_HUE = 123.0  # degrees on the vectorscope


def new_step(kind: type[Step], survey: Survey, shot: Shot) -> Step:
    """A step for a shot, its figures from what the shot measures and the rules allow."""
    limits, source = survey.rules.limits, survey.source
    low, high = luma_extremes(survey, shot)
    if kind is LevelRemap:
        mode = RemapMode.FULL_TO_NARROW if source.range is Range.NARROW else RemapMode.NARROW_TO_FULL
        return LevelRemap.mistagged(mode, source.bit_depth, source.levels)
    if kind is Balance:
        return Balance((1.0, 1.0, 1.0), source.transfer)
    if kind is HueNudge:
        return HueNudge(_SKIN_HUE, 40.0, 0.0, 5.0, 80.0, source.matrix)
    if kind is Cdl:
        return Cdl()
    if kind is SoftCeiling:
        return ceiling_for(high, limits.luma[1])
    if kind is SoftFloor:
        return floor_for(low, limits.luma[0])
    return ChromaRein(*limits.rgb)


def remap_step(mode: RemapMode, survey: Survey, shot: Shot) -> LevelRemap:
    """The level remap of a mode, with the figures of a shot."""
    if mode is RemapMode.EXTREMES_TO_LIMITS:
        return LevelRemap.extremes_to_limits(luma_extremes(survey, shot), survey.rules.limits.luma)
    return LevelRemap.mistagged(mode, survey.source.bit_depth, survey.source.levels)
