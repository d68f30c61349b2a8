"""Pixels outside any limit, counted together, on more of the picture than is tolerated."""

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from bluffline.rules.each.over_limits import OVER
from bluffline.rules.evidence import ShotEvidence
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Rule
from bluffline.rules.severity import Severity


class Outside(Rule):
    """All limits together."""

    titles = {"outside": "Outside any limit"}
    place = 11
    words = "both together"
    answered = frozenset(titles)

    def judge(self, shot: ShotEvidence) -> Iterator[Finding]:
        area = shot.area("outside")
        parts = {rule: shot.area(name) for rule, _, name, _, _ in OVER}
        mask = shot.readable & (area > shot.rules.area)
        for found in shot.runs_of("outside", Severity.MUST_FIX, mask, area.astype(np.float64), area, "{:.1f} %"):
            worst = found.worst_frame - shot.shot.first
            made_of = tuple((rule, round(float(part[worst]), 3)) for rule, part in parts.items() if part[worst] > 0)
            named = {rule: words.replace("Luma", "luma") for rule, _, _, words, _ in OVER}
            told = ", ".join(f"{named[rule]} {share:.1f} %" for rule, share in made_of)
            words = f"Outside on {found.worst_value:.1f} % in all: {told}"
            yield replace(found, reason=words + found.runs_told, made_of=made_of)
