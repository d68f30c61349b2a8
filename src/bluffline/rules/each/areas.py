"""Luma outside the limits that an area has of its own, on more of that area than is tolerated."""

from collections.abc import Iterator

import numpy as np

from bluffline.rules.evidence import ShotEvidence
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Rule
from bluffline.rules.rules import Rules
from bluffline.rules.severity import Severity


class Areas(Rule):
    """Parts of the picture with limits of their own."""

    titles = {"area-high": "Luma over, in an area", "area-low": "Luma under, in an area"}
    place = 15
    colon_told = True

    def told(self, rules: Rules) -> str:
        return ", ".join(f"area {area.name}" for area in rules.limited)

    def judge(self, shot: ShotEvidence) -> Iterator[Finding]:
        black, swing = shot.levels
        for number, area in enumerate(shot.rules.limited):
            for end, words, sign in (("high", "over", 1), ("low", "under", -1)):
                share = shot.column(f"areas_{end}")[:, number]
                codes = shot.column("areas_max" if sign > 0 else "areas_min")[:, number].astype(np.float64)
                percent = (codes - black) / swing * 100
                mask = shot.readable & (share > shot.rules.area)
                reason = f"{area.name}: luma {words} {{:.1f}} %"
                yield from shot.runs_of(f"area-{end}", Severity.MUST_FIX, mask, percent, share, reason, sign)
