"""Luma or R′G′B′ outside the limits on more of the picture than is tolerated."""

from collections.abc import Iterator

from bluffline.rules.evidence import ShotEvidence
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Rule
from bluffline.rules.severity import Severity

OVER = (
    ("luma-high", "y_max", "luma_high", "Luma over", 1),
    ("luma-low", "y_min", "luma_low", "Luma under", -1),
    ("rgb-high", "rgb_max", "rgb_high", "R′G′B′ over", 1),
    ("rgb-low", "rgb_min", "rgb_low", "R′G′B′ under", -1),
)


class OverLimits(Rule):
    """Each limit by itself."""

    titles = {name: words for name, _, _, words, _ in OVER}
    place = 10
    words = "luma, R′G′B′"
    answered = frozenset(titles)
    extremes = {name: (column, sign > 0) for name, column, _, _, sign in OVER}

    def judge(self, shot: ShotEvidence) -> Iterator[Finding]:
        for rule, value, area_name, words, sign in OVER:
            area = shot.area(area_name)
            mask = shot.readable & (area > shot.rules.area)
            yield from shot.runs_of(rule, Severity.MUST_FIX, mask, shot.percent(value), area, words + " {:.1f} %", sign)
