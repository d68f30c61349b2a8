"""Codes that a serial link reserves, in any amount."""

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from bluffline.rules.evidence import ShotEvidence
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Rule
from bluffline.rules.rules import Rules
from bluffline.rules.severity import Severity


class Reserved(Rule):
    """Codes that no sample may have."""

    titles = {"reserved": "Reserved codes"}
    place = 12
    words = "codes reserved for timing"
    answered = frozenset(titles)

    def on(self, rules: Rules) -> bool:
        return rules.reserved

    def judge(self, shot: ShotEvidence) -> Iterator[Finding]:
        count = shot.column("reserved")
        mask = shot.readable & (count > 0)
        share = (count / (shot.source.width * shot.source.height) * 100).astype(np.float32)
        for found in shot.runs_of("reserved", Severity.MUST_FIX, mask, count.astype(np.float64), share, "{:.0f}", least=1):
            row = shot.table.rows[found.worst_frame]
            place = f"the first at x {row['reserved_x']}, y {row['reserved_y']}"
            words = f"Reserved codes in {found.worst_value:.0f} samples: {place}"
            yield replace(found, unit="samples", reason=words + found.runs_told)
