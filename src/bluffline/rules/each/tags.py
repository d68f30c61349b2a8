"""Frames from which on the programme says something else of itself."""

from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np

from bluffline.rules.evidence import ShotEvidence
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Rule
from bluffline.rules.severity import Severity
from bluffline.signal.format import difference


@dataclass(frozen=True, slots=True)
class TagsAsked:
    """``severity``: how grave it is where a programme's tags change."""

    severity: Severity = Severity.MUST_FIX


class Tags(Rule):
    """Range, matrix, primaries, transfer, fields, place of chroma and shape of pixels, from frame to frame."""

    titles = {"tags": "Tags change"}
    place = 20
    words = "changes of tags"
    section, key = TagsAsked, "tags"
    whole_frames = True
    tried = False

    def judge(self, shot: ShotEvidence) -> Iterator[Finding]:
        formats, start = shot.table.formats, shot.shot.first
        if len(formats) < 2:
            return
        place = shot.table.column("format")[max(start - 1, 0) : shot.shot.last + 1]
        if not start:
            place = np.concatenate([place[:1], place])
        changes, whole = place[1:] != place[:-1], shot.all_of_it
        for found in shot.runs_of(
            "tags", self.asked(shot.rules).severity, changes, whole.astype(np.float64), whole, "", least=1
        ):
            at = found.worst_frame - start
            words = difference(formats[place[at]], formats[place[at + 1]])
            yield replace(found, reason=f"From here its frames say {words}{found.runs_told}")
