"""A shot whose picture is larger or smaller than the programme's."""

from collections.abc import Iterator

import numpy as np

from bluffline.rules.evidence import ShotEvidence
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Rule
from bluffline.rules.severity import Severity


class ActivePicture(Rule):
    """Changes of what the picture fills."""

    titles = {"active-picture": "Active picture changes"}
    place = 14

    def judge(self, shot: ShotEvidence) -> Iterator[Finding]:
        if shot.picture.usual or shot.picture.blanked:
            return
        own, usual = shot.picture.region, shot.surveyed.region
        words = f"The picture is {own.width}×{own.height} here, {usual.width}×{usual.height} in most of the programme"
        whole = shot.all_of_it
        yield from shot.runs_of("active-picture", Severity.NOTE, shot.readable, whole.astype(np.float64), whole, words)
