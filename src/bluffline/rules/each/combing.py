"""Luma that falls into bands, as stretched 8-bit pictures do."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Annotated

import numpy as np

from bluffline.declared import Between
from bluffline.rules.evidence import ShotEvidence
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Rule
from bluffline.rules.severity import Severity


@dataclass(frozen=True, slots=True)
class CombingAsked:
    """``share``: percent of the luma codes in use that may be skipped."""

    share: Annotated[float, Between(0, 100, "percent")] = 5.0


class Combing(Rule):
    """Codes that are skipped again and again."""

    titles = {"combing": "Combed"}
    place = 19
    section, key = CombingAsked, "combing"

    def judge(self, shot: ShotEvidence) -> Iterator[Finding]:
        share = shot.column("combing")
        mask = shot.readable & (share > self.asked(shot.rules).share)
        words = "Combed: {:.1f} % of the codes in use are skipped"
        yield from shot.runs_of("combing", Severity.NOTE, mask, share.astype(np.float64), shot.all_of_it, words)
