"""What lies outside the active picture and is not black within the limits."""

from collections.abc import Iterator

import numpy as np

from bluffline.measure.blanking import LIT
from bluffline.rules.evidence import ShotEvidence
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Rule
from bluffline.rules.severity import Severity


class Blanking(Rule):
    """Bars beside the picture, where it has any."""

    titles = {"blanking": "Blanking not black"}
    place = 13
    words = "blanking"
    answered = frozenset(titles)

    def judge(self, shot: ShotEvidence) -> Iterator[Finding]:
        if not shot.picture.blanked:
            return
        share = (shot.column("blank_lit") / np.maximum(shot.column("blank_pixels"), 1) * 100).astype(np.float32)
        mask = shot.readable & (share > shot.rules.area)
        black, swing = shot.levels
        least, greatest = (
            (shot.column(f"blank_{end}").astype(np.float64) - black) / swing * 100 for end in ("least", "greatest")
        )
        for end, sign, words in ((greatest, 1, "reaching {:.1f} %"), (least, -1, "falling to {:.1f} %")):
            lit = greatest > LIT if sign > 0 else greatest <= LIT
            text = f"Blanking that is not black, {words} of luma"
            yield from shot.runs_of("blanking", Severity.MUST_FIX, mask & lit, end, share, text, sign)
