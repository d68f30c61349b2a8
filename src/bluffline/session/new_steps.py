"""Steps added by hand: what their figures begin with."""

from bluffline.prove.propose import luma_extremes
from bluffline.prove.survey import Survey
from bluffline.rules.shots import Shot
from bluffline.treat.kinds.level_remap import LevelRemap, RemapMode
from bluffline.treat.step import Measured, Step


def new_step(kind: type[Step], survey: Survey, shot: Shot) -> Step:
    """A step for a shot, its figures from what the shot measures and the rules allow."""
    low, high = luma_extremes(survey, shot)
    return kind.begun(Measured(low, high, survey.rules.limits, survey.source))


def remap_step(mode: RemapMode, survey: Survey, shot: Shot) -> LevelRemap:
    """The level remap of a mode, with the figures of a shot."""
    if mode is RemapMode.EXTREMES_TO_LIMITS:
        return LevelRemap.extremes_to_limits(luma_extremes(survey, shot), survey.rules.limits.luma)
    return LevelRemap.mistagged(mode, survey.source.bit_depth, survey.source.levels)
