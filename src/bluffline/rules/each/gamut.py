"""Colours that the gamut asked for can't show, on more of the picture than is tolerated."""

from collections.abc import Iterator

import numpy as np

from bluffline.rules.evidence import ShotEvidence
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Rule
from bluffline.rules.rules import Rules
from bluffline.rules.severity import Severity
from bluffline.signal.matrix import standard


class Gamut(Rule):
    """A smaller gamut than the container's."""

    titles = {"gamut": "Colours out of gamut"}
    place = 16

    def told(self, rules: Rules) -> str:
        return "colours against " + ("a smaller gamut" if rules.gamut is None else standard(rules.gamut))

    def on(self, rules: Rules) -> bool:
        return rules.gamut is not None

    def judge(self, shot: ShotEvidence) -> Iterator[Finding]:
        assert shot.rules.gamut is not None, "a rule that is off judges nothing"
        area = shot.column("gamut_area")
        words = f"Colours outside {standard(shot.rules.gamut)} on {{:.1f}} % of the picture"
        mask = shot.readable & (area > shot.rules.area)
        yield from shot.runs_of("gamut", Severity.MUST_FIX, mask, area.astype(np.float64), area, words)
