"""What moves contradicts the order of fields that frames tell."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import product

import numpy as np

from bluffline.measure.fields import FieldVote, first_fields, steady_votes
from bluffline.measure.table import SurveyTable
from bluffline.rules.evidence import Surveyed, across, runs_in
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Rule
from bluffline.rules.rules import Rules
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot
from bluffline.signal.format import Scan

_FIRST = {FieldVote.TOP: Scan.TOP_FIRST, FieldVote.BOTTOM: Scan.BOTTOM_FIRST}


@dataclass(frozen=True, slots=True)
class FieldsAsked:
    """``severity``: how grave it is where what moves contradicts the order of fields that is told."""

    severity: Severity = Severity.LOOK


class FieldOrder(Rule):
    """Which field is first: where it is told again and again, in a shot that tells it, else in all of the programme."""

    titles = {"fields": "Order of fields"}
    place = 31
    words = "order of fields"
    section, key = FieldsAsked, "fields"
    whole_frames = True
    tried = False

    def judge_file(
        self, table: SurveyTable, surveyed: Surveyed, shots: Sequence[Shot], rules: Rules
    ) -> Iterator[Finding]:
        if surveyed.source is None:
            return  # a few frames are judged, not a file
        votes, starts = table.column("field_vote"), np.array([shot.first for shot in shots], np.intp)
        of_shots, (whole,) = first_fields(votes, starts), first_fields(votes, starts[:1])
        lengths = [shot.length for shot in shots]
        seen = np.repeat(np.where(of_shots == FieldVote.NOTHING, whole, of_shots), lengths)
        for first, last, vote in steady_votes(votes):
            seen[first : last + 1] = vote  # it may change where no cut is seen, and shots may be divided by hand
        scans = np.array([list(Scan).index(each.scan) for each in table.formats or [surveyed.source]])[table.column("format")]
        # Frames that are coded now as a whole and now in fields say one thing and the other: a shot is what most of it says.
        most = np.stack([np.add.reduceat(scans == place, starts, dtype=np.int64) for place in range(len(Scan))]).argmax(axis=0)
        says = np.repeat(most, lengths)
        for (vote, first_is), (place, scan) in product(_FIRST.items(), enumerate(Scan)):
            if scan is first_is:
                continue
            words = f"The {first_is.removesuffix('-first')} field is first by what moves, tagged {scan.replace('-', ' ')}"
            for first, last in runs_in((seen == vote) & (says == place)):
                yield across("fields", self.asked(rules).severity, shots, words, first=first, last=last)
